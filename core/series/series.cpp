#include "core/series/series.h"

#include <algorithm>
#include <map>
#include <optional>

#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

bool has_picture_ending(const std::filesystem::path& file) {
    std::string ending = file.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](unsigned char c) { return char(std::tolower(c)); });
    const auto& known = picture_endings();
    return std::find(known.begin(), known.end(), ending) != known.end();
}

std::vector<std::filesystem::path> list_files(const std::vector<std::filesystem::path>& given) {
    std::vector<std::filesystem::path> files;
    for (const auto& entry : given) {
        std::error_code failure;
        if (!std::filesystem::is_directory(entry, failure)) {
            files.push_back(entry);
            continue;
        }
        for (const auto& inside : std::filesystem::directory_iterator(entry, failure))
            if (has_picture_ending(inside.path()) && inside.path().filename().string().front() != '.')
                files.push_back(inside.path());
        if (failure)
            throw FileError(entry.string() + ": the folder cannot be read (" + failure.message() +
                            "). Check its permissions.");
    }
    std::stable_sort(files.begin(), files.end(), [](const auto& a, const auto& b) {
        return natural_less(a.filename().string(), b.filename().string());
    });
    files.erase(std::unique(files.begin(), files.end()), files.end());
    return files;
}

/// +1 rising, -1 falling, 0 neither or unknown.
int trend_of_focus(const std::vector<Frame>& frames) {
    if (frames.size() < 2) return 0;
    int rising = 0, falling = 0;
    for (std::size_t i = 1; i < frames.size(); ++i) {
        const auto before = frames[i - 1].info.shooting.focus_distance_m,
                   here = frames[i].info.shooting.focus_distance_m;
        if (!before || !here) return 0;
        rising += *here > *before;
        falling += *here < *before;
    }
    return rising > 0 && falling == 0 ? 1 : falling > 0 && rising == 0 ? -1 : 0;
}

std::string size_text(int width, int height) {
    return std::to_string(width) + "x" + std::to_string(height);
}

}  // namespace

std::vector<int> Series::chosen() const {
    std::vector<int> indices;
    for (int i = 0; i < count(); ++i)
        if (frames[std::size_t(i)].used && range.contains(i)) indices.push_back(i);
    return indices;
}

bool natural_less(const std::string& one, const std::string& other) {
    std::size_t i = 0, j = 0;
    auto digit = [](char c) { return c >= '0' && c <= '9'; };
    while (i < one.size() && j < other.size()) {
        if (digit(one[i]) && digit(other[j])) {
            while (i < one.size() && one[i] == '0') ++i;
            while (j < other.size() && other[j] == '0') ++j;
            std::size_t a = i, b = j;
            while (a < one.size() && digit(one[a])) ++a;
            while (b < other.size() && digit(other[b])) ++b;
            if (a - i != b - j) return a - i < b - j;
            for (; i < a; ++i, ++j)
                if (one[i] != other[j]) return one[i] < other[j];
        } else {
            if (one[i] != other[j]) return one[i] < other[j];
            ++i, ++j;
        }
    }
    if (one.size() - i != other.size() - j) return one.size() - i < other.size() - j;
    return one < other;
}

OpenedSeries open_series(const std::vector<std::filesystem::path>& files_or_folder, const Job& job) {
    const auto files = list_files(files_or_folder);
    std::vector<std::optional<Frame>> read(files.size());
    std::vector<std::string> failures(files.size());
    for_rows(int(files.size()), job, [&](int i) {
        const auto place = std::size_t(i);
        try {
            read[place] = Frame{files[place], read_picture_info(files[place]), true};
        } catch (const FileError& error) {
            failures[place] = error.what();
        }
    });

    OpenedSeries opened;
    std::map<std::pair<int, int>, int> sizes;
    for (const auto& frame : read)
        if (frame) ++sizes[{frame->info.width, frame->info.height}];
    const auto common = std::max_element(sizes.begin(), sizes.end(),
                                         [](const auto& a, const auto& b) { return a.second < b.second; });
    for (std::size_t i = 0; i < files.size(); ++i) {
        if (!read[i]) {
            opened.problems.push_back(failures[i]);
            continue;
        }
        const PictureInfo& info = read[i]->info;
        if (std::pair{info.width, info.height} != common->first) {
            opened.problems.push_back(files[i].string() + ": is " + size_text(info.width, info.height) +
                                      " pixels, most others are " +
                                      size_text(common->first.first, common->first.second) +
                                      "; frames of one series have one size. It is left out.");
            continue;
        }
        if (!info.warning.empty()) opened.notes.push_back(info.warning);
        opened.series.frames.push_back(std::move(*read[i]));
    }
    if (opened.series.frames.empty()) {
        std::string reason =
            files_or_folder.empty() ? "nothing was named" : files_or_folder[0].string() + ": ";
        if (!files_or_folder.empty())
            reason += opened.problems.empty()
                          ? "holds no JPEG, TIFF or PNG. Choose the folder with the frames."
                          : "no frame can be read. The first problem: " + opened.problems[0];
        throw FileError(reason);
    }
    if (trend_of_focus(opened.series.frames) < 0) {
        std::reverse(opened.series.frames.begin(), opened.series.frames.end());
        opened.notes.push_back(
            "The frames run from far to near by their focus distances; their order is turned round.");
    }
    opened.series.range = {0, opened.series.count() - 1};
    auto folder = std::filesystem::absolute(opened.series.frames[0].path).lexically_normal().parent_path();
    if (folder.filename() == "frames") folder = folder.parent_path();
    opened.series.name = folder.filename().string();
    return opened;
}

}  // namespace moorhaze
