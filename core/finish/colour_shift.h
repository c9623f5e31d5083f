// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/finish.h"
#include "core/picture/colour_space.h"

namespace moorhaze {

/// Saturation, vibrance and single colours, in Oklab; lightness stays but where one colour's is changed.
/// What would leave the gamut below 0 is drawn towards the grey of its luminance, so that no channel breaks
/// off. Immutable, thread-safe.
class ColourShift {
  public:
    /// @throws BadParameter as check().
    ColourShift(const Colour& colour, const ColourSpace& space);
    /// @param light  `pixels` interleaved RGB of linear light, changed in place.
    void apply(float* light, int pixels) const;

  private:
    static constexpr int kHues = 360;
    struct OfHue {
        float chroma = 1, cosine = 1, sine = 0, lightness = 1;  ///< factors, and the turn of the hue
    };
    float to_cones_[9], from_roots_[9], to_lab_[9], from_cones_[9], luminance_[3];
    float saturation_, vibrance_;
    bool by_hue_;
    OfHue hues_[kHues + 1];
};

/// How much of a change of one colour reaches a hue, by their distance: 1 at 0°, 0 from 45° on.
double reach_of_hue(double distance_deg);

/// Oklab lightness, chroma and hue (0..360) of linear light.
struct HueAndChroma {
    double lightness = 0, chroma = 0, hue_deg = 0;
};
HueAndChroma hue_of(const cv::Vec3d& linear, const ColourSpace& space);

}  // namespace moorhaze
