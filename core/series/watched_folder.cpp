// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/watched_folder.h"

#include <algorithm>
#include <fstream>

#include "core/files/picture_file.h"
#include "core/series/series.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;

constexpr std::uintmax_t kSmallJpeg = 1u << 20;

/// Sizes of the pictures in a folder; temporary names of ours and others begin with a dot.
std::map<std::string, std::uintmax_t> picture_sizes(const fs::path& folder) {
    std::error_code failure;
    fs::directory_iterator files(folder, failure);
    if (failure)
        throw FileError(folder.string() + ": cannot be read (" + failure.message() +
                        "). Choose the folder again.");
    std::map<std::string, std::uintmax_t> sizes;
    for (const fs::directory_entry& entry : files) {
        const std::string name = entry.path().filename().string();
        std::string ending = entry.path().extension().string();
        std::transform(ending.begin(), ending.end(), ending.begin(),
                       [](unsigned char c) { return char(std::tolower(c)); });
        const auto& endings = picture_endings();
        if (name.starts_with('.') || std::find(endings.begin(), endings.end(), ending) == endings.end())
            continue;
        std::error_code gone;
        const auto size = entry.file_size(gone);
        if (!gone) sizes[name] = size;
    }
    return sizes;
}

std::string last_bytes(const fs::path& file, std::streamoff count) {
    std::ifstream stream(file, std::ios::binary | std::ios::ate);
    const auto size = std::streamoff(stream.tellg());
    if (!stream || size <= 0) return {};
    std::string bytes(std::size_t(std::min(size, count)), '\0');
    stream.seekg(size - std::streamoff(bytes.size()));
    stream.read(bytes.data(), std::streamsize(bytes.size()));
    return stream ? bytes : std::string();
}

}  // namespace

bool is_complete_picture(const fs::path& file) {
    try {
        const PictureInfo info = read_picture_info(file);
        // Cameras append things after a JPEG's end marker, so it is looked for in the last part. In a small
        // file that part may hold a preview with an end of its own: only decoding tells.
        std::error_code gone;
        if (info.format == FileFormat::jpeg && std::filesystem::file_size(file, gone) > kSmallJpeg)
            return last_bytes(file, 65536).find("\xFF\xD9") != std::string::npos;
        if (info.format == FileFormat::png) return last_bytes(file, 12).find("IEND") != std::string::npos;
        read_preview(file, 64);  // neither a TIFF nor a raw file tells anywhere that it is whole
        return true;
    } catch (const Error&) {
        return false;
    }
}

WatchedFolder::WatchedFolder(fs::path folder) : folder_(std::move(folder)) {
    for (const auto& [name, size] : picture_sizes(folder_)) known_.insert(name);
}

std::vector<fs::path> WatchedFolder::look() {
    std::vector<std::string> complete;
    auto sizes = picture_sizes(folder_);
    for (const auto& [name, size] : sizes) {
        if (known_.contains(name)) continue;
        const auto before = growing_.find(name);
        if (size > 0 && before != growing_.end() && before->second == size &&
            is_complete_picture(folder_ / name))
            complete.push_back(name);
    }
    for (const auto& name : complete) known_.insert(name);
    growing_ = std::move(sizes);
    std::sort(complete.begin(), complete.end(), natural_less);
    std::vector<fs::path> files;
    for (const auto& name : complete) files.push_back(folder_ / name);
    return files;
}

}  // namespace moorhaze
