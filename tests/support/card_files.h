// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "tests/support/series_files.h"

namespace moorhaze::test {

/// Writes folder/NAME/frame-01.tif, ... for each name: planted focus series, each of another part of one
/// texture.
void write_card(const std::filesystem::path& folder, const std::vector<std::string>& names,
                cv::Size size = {180, 120}, int frames = 4);

/// All files below a folder by their relative names, and what they hold; hidden ones among them.
std::map<std::string, std::string> contents_of(const std::filesystem::path& folder);

}  // namespace moorhaze::test
