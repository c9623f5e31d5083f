// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/noise_floor.h"

#include <algorithm>
#include <cmath>

namespace moorhaze {
namespace {

/// Of the frames, the quietest first: one frame without light in a longer series does not decide.
constexpr double kQuietShare = 0.15;
constexpr double kFall = 0.4;  // from band to band, at least
constexpr std::size_t kFirstHeld = 2;

}  // namespace

std::vector<double> NoiseFloor::finish() const {
    std::vector<double> floors;
    for (std::vector<double> own : of_frames_) {
        if (own.empty()) {
            floors.push_back(0);
            continue;
        }
        const auto at = own.begin() + std::lround(kQuietShare * double(own.size() - 1));
        std::nth_element(own.begin(), at, own.end());
        floors.push_back(*at);
        const std::size_t band = floors.size() - 1;
        if (band >= kFirstHeld) floors[band] = std::min(floors[band], kFall * floors[band - 1]);
    }
    return floors;
}

}  // namespace moorhaze
