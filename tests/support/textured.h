// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/picture.h"

namespace moorhaze::test {

/// A texture with detail at all sizes, 0.15..0.85, the same for the same seed. It is a sum of waves, so it
/// can be evaluated at any place: a warp of it has an exact answer.
class Texture {
  public:
    explicit Texture(unsigned seed, int waves = 60, double shortest_px = 5, double longest_px = 90);
    double at(double x, double y) const;

  private:
    struct Wave {
        double across, down, phase, strength;
    };
    std::vector<Wave> waves_;
    double total_ = 0;
};

/// 16-bit grey-as-RGB picture of values 0..1 given by place.
template <class Value>
Picture picture_from(cv::Size size, const Value& value) {
    Picture picture{cv::Mat(size, CV_16UC3), {}, {}};
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x) {
            const auto v = cv::saturate_cast<std::uint16_t>(65535.0 * value(x, y));
            picture.pixels.at<cv::Vec3w>(y, x) = {v, v, v};
        }
    return picture;
}

/// Colours that differ in every channel, for file round trips.
Picture colourful(cv::Size size, int bits, bool with_alpha);

}  // namespace moorhaze::test
