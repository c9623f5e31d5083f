// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/textured.h"

#include <cmath>
#include <random>

namespace moorhaze::test {

Texture::Texture(unsigned seed, int waves, double shortest_px, double longest_px) {
    std::mt19937 random(seed);
    auto unit = [&] { return double(random()) / 4294967296.0; };
    for (int i = 0; i < waves; ++i) {
        const double length = shortest_px * std::pow(longest_px / shortest_px, unit());
        const double angle = 6.283185307 * unit(), phase = 6.283185307 * unit();
        const double strength = std::pow(length / longest_px, 0.6);
        waves_.push_back({6.283185307 / length * std::cos(angle), 6.283185307 / length * std::sin(angle),
                          phase, strength});
        total_ += strength * strength;
    }
}

double Texture::at(double x, double y) const {
    double sum = 0;
    for (const Wave& wave : waves_)
        sum += wave.strength * std::sin(wave.across * x + wave.down * y + wave.phase);
    return std::clamp(0.5 + 0.14 * sum / std::sqrt(total_ / 2), 0.15, 0.85);
}

Picture colourful(cv::Size size, int bits, bool with_alpha) {
    Picture picture{cv::Mat(size, bits == 8 ? CV_8UC3 : CV_16UC3), {}, {}};
    if (with_alpha) picture.alpha.create(size, bits == 8 ? CV_8U : CV_16U);
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x) {
            const unsigned values[4] = {unsigned(x * 1237 + y * 31), unsigned(y * 911 + 400),
                                        unsigned((x + y) * 577), unsigned(x * 4001 + 9)};
            for (int channel = 0; channel < 3; ++channel) {
                if (bits == 8)
                    picture.pixels.at<cv::Vec3b>(y, x)[channel] = std::uint8_t(values[channel]);
                else
                    picture.pixels.at<cv::Vec3w>(y, x)[channel] = std::uint16_t(values[channel]);
            }
            if (with_alpha && bits == 8) picture.alpha.at<std::uint8_t>(y, x) = std::uint8_t(values[3]);
            if (with_alpha && bits == 16) picture.alpha.at<std::uint16_t>(y, x) = std::uint16_t(values[3]);
        }
    return picture;
}

}  // namespace moorhaze::test
