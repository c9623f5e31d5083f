// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/found_files.h"

#include <algorithm>
#include <map>
#include <optional>
#include <set>

#include "core/files/raw.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

std::string lower_ending(const std::filesystem::path& file) {
    std::string ending = file.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](unsigned char c) { return char(std::tolower(c)); });
    return ending;
}

bool is_one_of(const std::vector<std::string>& endings, const std::filesystem::path& file) {
    return std::find(endings.begin(), endings.end(), lower_ending(file)) != endings.end();
}

bool looks_like_picture(const std::filesystem::path& file) {
    return is_one_of(picture_endings(), file) && file.filename().string().front() != '.';
}

/// The pictures of one folder, without those inside it.
std::vector<std::filesystem::path> pictures_in(const std::filesystem::path& folder) {
    std::vector<std::filesystem::path> files;
    std::error_code failure;
    for (const auto& inside : std::filesystem::directory_iterator(folder, failure))
        if (std::error_code unknown; looks_like_picture(inside.path()) && inside.is_regular_file(unknown))
            files.push_back(inside.path());
    if (failure)
        throw FileError(folder.string() + ": the folder cannot be read (" + failure.message() +
                        "). Check its permissions.");
    return files;
}

bool in_order(const std::filesystem::path& one, const std::filesystem::path& other) {
    const auto a = one.parent_path().string(), b = other.parent_path().string();
    return a != b ? natural_less(a, b) : natural_less(one.filename().string(), other.filename().string());
}

/// Cameras count to 9999 and begin again: where the clock shows that the later half of the names was taken
/// first, the halves change places.
void follow_overflow(std::vector<Frame>& frames) {
    auto folder_end = frames.begin();
    for (auto begin = frames.begin(); begin != frames.end(); begin = folder_end) {
        const auto folder = begin->path.parent_path();
        folder_end =
            std::find_if(begin, frames.end(), [&](const Frame& f) { return f.path.parent_path() != folder; });
        auto clock = [](const Frame& f) { return f.info.shooting.taken.value_or(std::string()); };
        if (clock(*begin).empty() || begin->path.stem().string().find("0001") == std::string::npos) continue;
        auto descent = folder_end;
        int descents = 0;
        for (auto at = begin; std::next(at) != folder_end; ++at)
            if (clock(*std::next(at)) < clock(*at)) descent = std::next(at), ++descents;
        const bool last_is_full =
            std::prev(folder_end)->path.stem().string().find("9999") != std::string::npos;
        if (descents == 1 && last_is_full && clock(*std::prev(folder_end)) <= clock(*begin))
            std::rotate(begin, descent, folder_end);
    }
}

}  // namespace

bool holds_set(const std::filesystem::path& folder) {
    std::error_code unknown;
    return std::filesystem::is_directory(folder / kSetFolder, unknown);
}

FoundFiles find_files(const std::vector<std::filesystem::path>& files_or_folder) {
    std::vector<std::filesystem::path> files;
    for (const auto& entry : files_or_folder) {
        std::error_code failure;
        if (!std::filesystem::is_directory(entry, failure)) {
            files.push_back(entry);
            continue;
        }
        auto here = pictures_in(entry);
        if (here.empty()) {
            const auto options = std::filesystem::directory_options::skip_permission_denied;
            for (auto inside = std::filesystem::recursive_directory_iterator(entry, options, failure);
                 !failure && inside != std::filesystem::recursive_directory_iterator();
                 inside.increment(failure)) {
                const std::string name = inside->path().filename().string();
                // What a simulated shoot knows of itself is no frame.
                std::error_code unknown;  // a link that leads round in a circle is neither
                const bool is_folder = inside->is_directory(unknown);
                if (is_folder && (name.front() == '.' || name == "truth" || name == kSetFolder ||
                                  holds_set(inside->path())))
                    inside.disable_recursion_pending();
                else if (inside->is_regular_file(unknown) && looks_like_picture(inside->path()))
                    here.push_back(inside->path());
            }
        }
        files.insert(files.end(), here.begin(), here.end());
    }
    std::stable_sort(files.begin(), files.end(), in_order);
    files.erase(std::unique(files.begin(), files.end()), files.end());

    FoundFiles found;
    std::set<std::string> raws;
    for (const auto& file : files)
        if (is_one_of(raw_endings(), file)) raws.insert((file.parent_path() / file.stem()).string());
    int twins = 0;
    for (const auto& file : files)
        if (!is_one_of(raw_endings(), file) && raws.count((file.parent_path() / file.stem()).string()))
            ++twins;
        else
            found.files.push_back(file);
    if (twins > 0)
        found.notes.push_back(std::to_string(twins) + (twins == 1 ? " picture stands" : " pictures stand") +
                              " beside raw files of the same name; the raw files are taken.");
    return found;
}

std::vector<Frame> read_frames(const std::vector<std::filesystem::path>& files,
                               std::vector<std::string>& problems, std::vector<std::string>& notes,
                               const Job& job) {
    std::vector<std::optional<Frame>> read(files.size());
    std::vector<std::string> failures(files.size());
    for_rows(int(files.size()), job, [&](int i) {
        const auto place = std::size_t(i);
        try {
            read[place] = Frame{files[place], read_picture_info(files[place]), {}, true, {}};
        } catch (const FileError& error) {
            failures[place] = error.what();
        }
    });
    std::vector<Frame> frames;
    for (std::size_t i = 0; i < files.size(); ++i) {
        if (!read[i]) {
            problems.push_back(failures[i]);
            continue;
        }
        if (!read[i]->info.warning.empty()) notes.push_back(read[i]->info.warning);
        frames.push_back(std::move(*read[i]));
    }
    if (!frames.empty()) follow_overflow(frames);
    for (std::size_t i = 0; i < frames.size(); ++i) frames[i].id = {int(i) + 1};
    return frames;
}

std::string nothing_found(const std::vector<std::filesystem::path>& files_or_folder,
                          const std::vector<std::string>& problems) {
    if (files_or_folder.empty()) return "nothing was named";
    return files_or_folder[0].string() + ": " +
           (problems.empty() ? "holds no JPEG, TIFF, PNG or raw file. Choose the folder with the frames."
                             : "no frame can be read. The first problem: " + problems[0]);
}

std::string series_name(const std::filesystem::path& file) {
    auto folder = std::filesystem::absolute(file).lexically_normal().parent_path();
    if (folder.filename() == "frames") folder = folder.parent_path();
    return folder.filename().string();
}

}  // namespace moorhaze
