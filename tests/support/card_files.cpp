// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/card_files.h"

#include <cstdio>

#include "core/files/picture_file.h"

namespace moorhaze::test {

void write_card(const std::filesystem::path& folder, const std::vector<std::string>& names, cv::Size size,
                int frames) {
    for (std::size_t i = 0; i < names.size(); ++i) {
        std::filesystem::create_directories(folder / names[i]);
        const double down_px = 37.0 * double(i);
        const auto pictures =
            strip_series(size, frames, [&](int, double x, double y) { return cv::Point2d(x, y + down_px); });
        for (std::size_t k = 0; k < pictures.size(); ++k) {
            char name[32];
            std::snprintf(name, sizeof name, "frame-%02d.tif", int(k) + 1);
            WriteSettings write;
            write.bits = 8;
            write.compression = TiffCompression::none;
            write_picture(folder / names[i] / name, pictures[k], {}, write, {});
        }
    }
}

std::map<std::string, std::string> contents_of(const std::filesystem::path& folder) {
    std::map<std::string, std::string> contents;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(folder))
        if (entry.is_regular_file())
            contents[entry.path().lexically_relative(folder).generic_string()] = read_all(entry.path());
    return contents;
}

}  // namespace moorhaze::test
