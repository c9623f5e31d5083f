// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/finish/finish.h"

namespace moorhaze {

/// The way tones go: black and white point, then the middle (a power), then the curve. Cheap to call.
/// Between its points the curve is a monotone cubic: it never rises beyond them nor falls.
/// Source of the curve: Fritsch & Carlson, "Monotone Piecewise Cubic Interpolation", SIAM J. Numer. Anal.
/// 17(2), 1980.
class ToneMapping {
  public:
    /// @throws BadParameter as check().
    explicit ToneMapping(const Tones& tones);

    double operator()(double tone) const;  ///< 0..1 of any tone
    /// The tone that black, white and middle bring to `level`, a place of the curve.
    double tone_at(double level) const;
    /// Where a tone stands on the curve's axis: after black, white and middle.
    double level_of(double tone) const;
    double curve_at(double level) const;

  private:
    Tones tones_;
    double power_ = 1;
    std::vector<double> at_, to_, slope_;
};

/// The same from linear light to linear light, as a table of `kToneSteps` + 1 values over the square root of
/// light; one more repeats the last.
inline constexpr int kToneSteps = 8192;
std::vector<float> tone_table(const ToneMapping& mapping);

/// Applies it to `count` values of light; those above 1 count as 1.
void map_tones(const std::vector<float>& table, float* light, int count);

}  // namespace moorhaze
