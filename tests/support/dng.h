// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <filesystem>
#include <functional>
#include <opencv2/core.hpp>

namespace moorhaze::test {

/// A camera raw file as a DNG of one sensor plane, written with libtiff alone.
struct DngSettings {
    cv::Size size{64, 48};
    int orientation = 1;
    int black = 512, white = 15872;
    std::array<float, 3> neutral{0.5f, 1.0f, 0.625f};  ///< camera colour of white
    /// The camera's colours of XYZ (D65), by rows: those of linear sRGB (IEC 61966-2-1).
    std::array<float, 9> from_xyz{3.2406f, -1.5372f, -0.4986f, -0.9689f, 1.8758f,
                                  0.0415f, 0.0557f,  -0.2040f, 1.0570f};
    std::string taken;  ///< "2026:09:12 07:31:00"; empty: none
};

/// @param light  linear, in the camera's primaries, of white-balanced light at a place, 0..1, before white
/// balance is taken off.
void write_dng(const std::filesystem::path& file, const DngSettings& settings,
               const std::function<cv::Vec3d(int x, int y)>& light);

}  // namespace moorhaze::test
