// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/files/shooting_data.h"

namespace moorhaze {

/// The EXIF block of shooting data that did not come from a file: for pictures made here.
/// @param width_px  needed to express the sensor's width as focal plane resolution.
std::vector<std::uint8_t> exif_block(const ShootingData& data, int width_px);

}  // namespace moorhaze
