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

struct PairRegistration {
    Similarity moving_to_fixed;
    double log_gain = 0;  ///< moving light times exp(log_gain) is about the fixed light
    double weight = 0;  ///< how well determined it is: effective places over their mean squared disagreement
    double likeness = 0;  ///< weighted correlation of the details, -1..1
};

/// Registers two neighbouring frames on what both hold in detail, coarse to fine: Gauss-Newton steps on the
/// picture places with the strongest detail, each weighted by how sharp both frames are there and how well it
/// agrees.
/// @param start  a first guess; none: found by phase correlation of the smallest pictures.
/// @return nothing when the frames have too little in common.   Thread-safe.
/// Sources: Baker & Matthews, "Lucas-Kanade 20 Years On", IJCV 56(3), 2004 (inverse compositional step);
/// Kuglin & Hines, "The phase correlation image alignment method", 1975.
std::optional<PairRegistration> register_pair(const DetailPyramid& moving, const DetailPyramid& fixed,
                                              const std::optional<Similarity>& start, const Job& job);

}  // namespace moorhaze
