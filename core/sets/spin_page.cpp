// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/spin_page.h"

#include <fcntl.h>
#include <stdlib.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <sstream>

#include "core/files/picture_file.h"
#include "core/finish/hand_over.h"
#include "core/picture/resized.h"
#include "core/series/series.h"
#include "core/sets/html.h"
#include "core/sets/spin_files.h"
#include "core/work/for_rows.h"
#include "core/work/json_text.h"
#include "core/work/utf8.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;

constexpr int kTile_px = 510;  ///< and the overlap on each side: 512 in the middle of a picture
constexpr int kOverlap_px = 1;
constexpr int kLeastLevel = 8;  ///< 256 px: smaller ones nobody looks at

/// The name without its last number, and that number; -1: there is none.
std::pair<std::string, long> name_and_number(const fs::path& file) {
    const std::string stem = file.stem().string();
    std::size_t begin = stem.size();
    while (begin > 0 && std::isdigit(static_cast<unsigned char>(stem[begin - 1]))) --begin;
    if (begin == stem.size() || stem.size() - begin > 9) return {stem, -1};
    return {stem.substr(0, begin), std::stol(stem.substr(begin))};
}

/// Each {name} replaced by its value; what a value holds is nobody's name.
std::string replaced(std::string_view text, const std::map<std::string, std::string>& values) {
    std::string made;
    while (!text.empty()) {
        const std::size_t begin = std::min(text.find('{'), text.size());
        made += text.substr(0, begin);
        text.remove_prefix(begin);
        const std::size_t end = text.find('}');
        const auto found =
            end == std::string_view::npos ? values.end() : values.find(std::string(text.substr(1, end - 1)));
        if (found != values.end()) made += found->second;
        const std::size_t taken = found != values.end() ? end + 1 : std::min<std::size_t>(text.size(), 1);
        if (found == values.end()) made += text.substr(0, taken);
        text.remove_prefix(taken);
    }
    return made;
}

void write_bytes(const fs::path& file, std::string_view bytes) {
    std::error_code failed;
    fs::create_directories(file.parent_path(), failed);
    std::ofstream out(file, std::ios::binary);
    out.write(bytes.data(), std::streamsize(bytes.size()));
    out.close();
    if (!out) throw FileError(file.string() + ": cannot be written. Check that there is room left.");
}
void write(const fs::path& folder, const SpinFile& file) {
    write_bytes(folder / file.name, file.bytes);
}

std::string two_digits(int number) {
    return (number < 10 ? "0" : "") + std::to_string(number);
}

WriteSettings jpeg_writing(int quality) {
    WriteSettings writing;
    writing.format = FileFormat::jpeg;
    writing.bits = 8;
    writing.jpeg_quality = quality;
    return writing;
}

/// In sRGB, as pages want it, 8 bit, without transparency.
Picture for_page(const Picture& picture, const Job& job) {
    Output output;
    output.format = FileFormat::jpeg;
    output.bits = 8;
    output.profile = ProfileWish::srgb;
    return with_bits(for_output(picture, output, job), 8);
}

cv::Size fitted(cv::Size size, int long_side) {
    const double scale = std::min(1.0, double(long_side) / std::max(size.width, size.height));
    return {std::max(1, int(std::lround(size.width * scale))),
            std::max(1, int(std::lround(size.height * scale)))};
}

int levels_of(cv::Size size) {
    return int(std::ceil(std::log2(std::max(size.width, size.height))));
}

/// A pyramid of tiles: level k has half the size of level k + 1, rounded up.
void write_tiles(const Picture& picture, const fs::path& folder, int quality, const Job& job) {
    const int finest = levels_of(picture.pixels.size());
    Picture level = picture;
    for (int k = finest; k >= std::min(kLeastLevel, finest); --k) {
        if (k < finest)
            level = with_bits(
                resized(level, {(level.width() + 1) / 2, (level.height() + 1) / 2}, job.quiet()), 8);
        const int columns = (level.width() + kTile_px - 1) / kTile_px;
        const int rows = (level.height() + kTile_px - 1) / kTile_px;
        const fs::path own = folder / std::to_string(k);
        fs::create_directories(own);
        for_rows(columns * rows, job.quiet(), [&](int i) {
            const int column = i % columns, row = i / columns;
            const cv::Rect inner(column * kTile_px, row * kTile_px, kTile_px, kTile_px);
            const cv::Rect part = cv::Rect(inner.x - kOverlap_px, inner.y - kOverlap_px,
                                           kTile_px + 2 * kOverlap_px, kTile_px + 2 * kOverlap_px) &
                                  cv::Rect({}, level.pixels.size());
            Picture tile;
            tile.pixels = level.pixels(part).clone();
            write_picture(own / (std::to_string(column) + "_" + std::to_string(row) + ".jpg"), tile, {},
                          jpeg_writing(quality), job.quiet());
        });
    }
}

void check(const SpinSettings& settings) {
    if (settings.view_px < 100 || settings.view_px > 4000)
        throw BadParameter("the size of a spin page's views lies between 100 and 4000 px");
    if (settings.quality < 1 || settings.quality > 100)
        throw BadParameter("the quality lies between 1 and 100");
}

bool is_spin_page(const fs::path& folder) {
    return fs::exists(folder / "spin.js") && fs::exists(folder / "views.js");
}

bool lies_beneath(const fs::path& file, const fs::path& folder) {
    return std::mismatch(folder.begin(), folder.end(), file.begin(), file.end()).first == folder.end();
}

/// What a page consists of; anything else in its folder is somebody's.
bool is_of_page(const fs::path& name) {
    const std::string names[] = {"views.js",
                                 "views",
                                 "tiles",
                                 spin_index().name,
                                 spin_style().name,
                                 spin_script().name,
                                 spin_viewer().name,
                                 *fs::path(spin_viewer().name).begin(),
                                 spin_viewer_licence().name};
    return std::any_of(std::begin(names), std::end(names),
                       [&](const std::string& own) { return name == own; });
}

/// Puts the new page in the old one's place in one step; what somebody added to the old one stays.
void replace_page(const fs::path& made, const fs::path& target) {
    if (fs::exists(target))
        for (const auto& entry : fs::directory_iterator(target)) {
            const fs::path name = entry.path().filename();
            if (!is_of_page(name) && !fs::exists(made / name))
                fs::copy(entry.path(), made / name,
                         fs::copy_options::recursive | fs::copy_options::copy_symlinks);
        }
    if (!fs::exists(target)) {
        fs::rename(made, target);
        return;
    }
    // Exchanged, so that at no time there is none; afterwards the old one has the temporary name, and goes
    // with it.
    if (renameat2(AT_FDCWD, made.c_str(), AT_FDCWD, target.c_str(), RENAME_EXCHANGE) == 0) return;
    const fs::path old = made.string() + "-old";
    fs::rename(target, old);
    fs::rename(made, target);
    fs::remove_all(old);
}

/// Removed at the end, unless it was renamed.
struct UnfinishedFolder {
    fs::path path;
    /// A new folder beside the target, with a name of its own, so that two who write at once don't meet.
    static fs::path beside(const fs::path& target) {
        std::string name = (target.parent_path() / ".moorhaze-XXXXXX").string();
        if (!mkdtemp(name.data()))
            throw FileError(target.string() + ": the folder around it cannot be written (" +
                            std::strerror(errno) + "). Choose another place.");
        fs::permissions(name, fs::perms(0755));
        return name;
    }
    ~UnfinishedFolder() {
        std::error_code ignored;
        fs::remove_all(path, ignored);
    }
};

}  // namespace

std::vector<fs::path> numbered_pictures(const fs::path& folder) {
    std::error_code failed;
    fs::directory_iterator files(folder, failed);
    if (failed)
        throw FileError(folder.string() + ": cannot be read (" + failed.message() +
                        "). Name the folder that the numbered pictures are in.");
    std::map<std::string, std::vector<fs::path>> by_name;
    const auto& endings = picture_endings();
    for (const auto& entry : files) {
        std::string ending = entry.path().extension().string();
        std::transform(ending.begin(), ending.end(), ending.begin(),
                       [](unsigned char letter) { return char(std::tolower(letter)); });
        if (entry.path().filename().string().starts_with('.') ||
            std::find(endings.begin(), endings.end(), ending) == endings.end())
            continue;
        if (const auto [name, number] = name_and_number(entry.path()); number >= 0)
            by_name[name + "*" + ending].push_back(entry.path());
    }
    const auto most = std::max_element(
        by_name.begin(), by_name.end(),
        [](const auto& one, const auto& other) { return one.second.size() < other.second.size(); });
    if (most == by_name.end())
        throw FileError(folder.string() + ": holds no numbered pictures (name-01.jpg, name-02.jpg, ...).");
    std::vector<fs::path> pictures = most->second;
    std::sort(pictures.begin(), pictures.end(), [](const fs::path& one, const fs::path& other) {
        return natural_less(one.filename().string(), other.filename().string());
    });
    return pictures;
}

std::vector<std::string> gaps_in_numbers(const std::vector<fs::path>& pictures) {
    std::vector<std::string> remarks;
    for (std::size_t i = 1; i < pictures.size(); ++i) {
        const long before = name_and_number(pictures[i - 1]).second,
                   own = name_and_number(pictures[i]).second;
        if (before < 0 || own < 0) continue;
        const std::string names =
            pictures[i - 1].filename().string() + " and " + pictures[i].filename().string();
        if (own == before) remarks.push_back("view " + std::to_string(own) + " is there twice: " + names);
        if (own > before + 1)
            remarks.push_back((own == before + 2 ? "view " + std::to_string(own - 1) + " is missing"
                                                 : "views " + std::to_string(before + 1) + " to " +
                                                       std::to_string(own - 1) + " are missing") +
                              ", between " + names);
    }
    return remarks;
}

SpinPage write_spin_page(const std::vector<fs::path>& pictures, const fs::path& out,
                         const SpinSettings& settings, const Job& job) {
    check(settings);
    if (pictures.size() < 2) throw BadParameter("a spin page needs two views at least");
    const fs::path folder = fs::absolute(out).lexically_normal();
    const fs::path target = folder.has_filename() ? folder : folder.parent_path();
    if (fs::exists(target) && !fs::is_empty(target)) {
        if (!is_spin_page(target))
            throw FileError(target.string() +
                            ": is there and is no spin page. Name a folder that is not there yet.");
        if (!settings.overwrite)
            throw FileError(target.string() + ": is there already. Choose another name, or add --overwrite.");
    }
    for (const fs::path& picture : pictures)
        if (lies_beneath(fs::absolute(picture).lexically_normal(), target))
            throw FileError(target.string() + ": holds the pictures that the page is made of (" +
                            picture.filename().string() + "). Choose another place for the page.");
    std::error_code failed;
    fs::create_directories(target.parent_path(), failed);
    const UnfinishedFolder beside{UnfinishedFolder::beside(target)};
    fs::create_directories(beside.path / "views");

    SpinPage page;
    page.views = int(pictures.size());
    page.remarks = gaps_in_numbers(pictures);
    const std::string title = settings.title.empty() ? target.filename().string() : settings.title;
    nlohmann::ordered_json views = nlohmann::ordered_json::array();
    cv::Size size, shown;
    for (int i = 0; i < page.views; ++i) {
        const fs::path& file = pictures[std::size_t(i)];
        job.checkpoint(double(i) / page.views);
        const Picture picture = for_page(read_picture(file), job.quiet());
        if (i == 0) {
            size = picture.pixels.size();
            shown = fitted(size, settings.view_px);
        } else if (picture.pixels.size() != size) {
            throw FileError(file.string() + ": is " + std::to_string(picture.width()) + "x" +
                            std::to_string(picture.height()) + ", the views before it " +
                            std::to_string(size.width) + "x" + std::to_string(size.height) +
                            ". All views need one size.");
        }
        const std::string name = two_digits(i + 1);
        const Picture small = shown == size ? picture : with_bits(resized(picture, shown, job.quiet()), 8);
        write_picture(beside.path / "views" / (name + ".jpg"), small, {}, jpeg_writing(settings.quality),
                      job.quiet());
        views.push_back("views/" + name + ".jpg");
        if (settings.deep_zoom)
            write_tiles(picture, beside.path / "tiles" / (name + "_files"), settings.quality, job);
    }
    nlohmann::ordered_json data{{"title", shown_text(title)},
                                {"views", views},
                                {"width", shown.width},
                                {"height", shown.height},
                                {"direction", settings.turns_left ? -1 : 1},
                                {"tiles", nullptr}};
    if (settings.deep_zoom)
        data["tiles"] = {{"size", kTile_px},
                         {"overlap", kOverlap_px},
                         {"least", std::min(kLeastLevel, levels_of(size))},
                         {"width", size.width},
                         {"height", size.height}};
    write_bytes(beside.path / "views.js", "window.spin = " + json_text(data, 1) + ";\n");
    const std::string name = target.filename().string();
    page.embed = "<iframe src=\"" + as_link(name) + "/index.html\" title=\"" + in_html(title) +
                 "\" style=\"width:100%;aspect-ratio:1;border:0\" allowfullscreen></iframe>";
    write_bytes(beside.path / "index.html",
                replaced(spin_index().bytes, {{"title", in_html(title)},
                                              {"embed", page.embed},
                                              {"count", std::to_string(page.views)},
                                              {"first", views[0].get<std::string>()},
                                              {"width", std::to_string(shown.width)},
                                              {"height", std::to_string(shown.height)}}));
    write(beside.path, spin_style());
    write(beside.path, spin_script());
    if (settings.deep_zoom) {
        write(beside.path, spin_viewer());
        write(beside.path, spin_viewer_licence());
    }
    for (const auto& entry : fs::recursive_directory_iterator(beside.path))
        if (entry.is_regular_file()) {
            ++page.files;
            page.bytes += entry.file_size();
        }
    job.checkpoint(1);
    replace_page(beside.path, target);
    return page;
}

}  // namespace moorhaze
