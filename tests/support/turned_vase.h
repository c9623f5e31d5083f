// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <vector>

#include "core/picture/picture.h"

/// A vase that stands beside the middle of its turntable and goes round it, before a lit ground: drawn so
/// that the axis leans by a known angle about the middle of the picture.
namespace moorhaze::test {

struct TurnedVase {
    double scale = 1;  ///< of the picture, 420x320 at 1
    cv::Size size() const { return {int(420 * scale), int(320 * scale)}; }
    double axis_x() const { return 221.3 * scale; }  ///< at the picture's middle height
    static constexpr double kLean_deg = 1.7;
    /// How far to either side of the axis the vase reaches in any view, px.
    double reach() const { return (46 + 24 + 9) * scale; }

    /// @param ground_light  at the picture's upper end, linear.
    Picture view(double turn_deg, double ground_light) const;
};

/// Writes folder/view-01/f-1.tif, ...: views of a full turn, all frames of one alike, in light that differs
/// by 4 % to either side.
void write_turned_views(const std::filesystem::path& folder, const TurnedVase& vase, int views, int frames);

/// The light of each of them.
double light_of_turned_view(int view);

}  // namespace moorhaze::test
