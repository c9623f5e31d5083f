// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <opencv2/core.hpp>

namespace moorhaze {

/// Writes one plane as TIFF: CV_32FC1 as 32-bit float, CV_16UC1 and CV_8UC1 as grey. Beside, then renamed;
/// overwrites.
/// @throws FileError, BadParameter for other types.
void write_plane(const std::filesystem::path& file, const cv::Mat& plane);

/// Reads back what write_plane wrote. @throws FileError.
cv::Mat read_plane(const std::filesystem::path& file);

}  // namespace moorhaze
