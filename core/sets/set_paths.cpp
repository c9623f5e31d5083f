// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/set_paths.h"

#include <algorithm>

#include "core/finish/hand_over.h"
#include "core/focus/profile_cache.h"
#include "core/project/project_folder.h"
#include "core/work/errors.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kReadable = 180;  // bytes; with hash, ending and a temporary name's rest below 255

bool is_link(const fs::path& path) {
    std::error_code unknown;
    return fs::is_symlink(fs::symlink_status(path, unknown));
}

}  // namespace

std::string SetPaths::name_of(const std::string& series) {
    return shortened(as_file_name(series), kReadable) + "-" + content_key_of_text(series).substr(0, 10);
}

fs::path SetPaths::of_series(const std::string& series, const char* ending) const {
    return records() / (name_of(series) + ending);
}

fs::path SetPaths::view(const std::string& series) const {
    return folder_ / "views" / (name_of(series) + ".tif");
}

fs::path SetPaths::unfinished_project(const std::string& series) const {
    return projects() / ("." + name_of(series));
}

fs::path SetPaths::free_project(const std::string& series) const {
    return free_project_file(projects(), name_of(series));
}

std::optional<fs::path> SetPaths::recorded_project(const std::string& series,
                                                   const std::string& recorded) const {
    const std::string named = fs::path(recorded).stem().string(), own = name_of(series);
    const bool is_own =
        named == own || (named.starts_with(own + "-") && named.size() > own.size() + 1 &&
                         std::all_of(named.begin() + std::ptrdiff_t(own.size()) + 1, named.end(),
                                     [](char digit) { return digit >= '0' && digit <= '9'; }));
    if (!is_own) return {};
    return projects() / named / (named + kProjectEnding);
}

void SetPaths::make() const {
    for (const fs::path& folder : {folder_, records(), projects(), folder_ / "views"}) {
        if (is_link(folder))
            throw FileError(folder.string() +
                            ": is a link to another place. Remove it, or choose another place with --out.");
        std::error_code failed;
        if (folder == folder_ || folder == records()) fs::create_directories(folder, failed);
        if (failed)
            throw FileError(folder.string() + ": cannot be made (" + failed.message() +
                            "). Choose another place for the pictures with --out.");
    }
}

void SetPaths::retire(const fs::path& inside) const {
    if (inside.parent_path() != projects() || is_link(projects()) || is_link(inside)) return;
    std::error_code failed;
    const fs::path aside = projects() / (".gone-" + inside.filename().string());
    fs::remove_all(aside, failed);
    fs::rename(inside, aside, failed);
    if (!failed) fs::remove_all(aside, failed);
}

bool stays_beneath(const fs::path& name) {
    return !name.empty() && name.is_relative() &&
           std::none_of(name.begin(), name.end(), [](const fs::path& part) { return part == ".."; });
}

}  // namespace moorhaze
