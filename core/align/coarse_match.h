// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <complex>
#include <optional>

#include "core/align/detail_pyramid.h"

namespace moorhaze {

/// Scale, rotation and shift in one: a place z = x + iy, counted from the picture's centre in frame pixels,
/// goes to turn·z + shift. |turn| is the scale, arg(turn) the rotation.
struct Similarity {
    std::complex<double> turn{1, 0};
    std::complex<double> shift{0, 0};

    std::complex<double> operator()(std::complex<double> z) const { return turn * z + shift; }
    Similarity inverse() const { return {1.0 / turn, -shift / turn}; }
    /// First `before`, then this.
    Similarity after(const Similarity& before) const {
        return {turn * before.turn, turn * before.shift + shift};
    }
};

struct CoarseMatch {
    Similarity fixed_to_moving;
    double likeness = 0;  ///< weighted correlation of the details, -1..1
};

/// How two small pictures lie over each other, to a fraction of their own pixels: Gauss-Newton steps on the
/// picture places with the strongest detail, coarse to fine, each weighted by how sharp both frames are there
/// and how well it agrees.
/// @param start  a first guess. What it leads to is kept when the pictures are alike there; otherwise they
/// are
///               tried as they lie, then shifted, turned and scaled by phase correlation.
/// @return nothing when the pictures have too little in common.   Thread-safe.
/// Sources: Baker & Matthews, "Lucas-Kanade 20 Years On", IJCV 56(3), 2004 (inverse compositional step);
/// Kuglin & Hines, "The phase correlation image alignment method", 1975.
std::optional<CoarseMatch> coarse_match(const DetailPyramid& moving, const DetailPyramid& fixed,
                                        const std::optional<Similarity>& start);

}  // namespace moorhaze
