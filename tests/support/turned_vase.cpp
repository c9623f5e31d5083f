// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/turned_vase.h"

#include <algorithm>
#include <cmath>
#include <string>

#include "core/files/picture_file.h"
#include "core/picture/tone_curve.h"

namespace moorhaze::test {
namespace {

namespace fs = std::filesystem;

constexpr int kSamples = 4;        // a side of a pixel at the outline
constexpr double kSurelyPx = 2.5;  // farther from the outline a pixel is all or nothing

}  // namespace

Picture TurnedVase::view(double turn_deg, double ground_light) const {
    const double turn = turn_deg * CV_PI / 180, lean = kLean_deg * CV_PI / 180;
    const cv::Size all = size();
    // How far within the vase, px of its own drawing at scale 1.
    const auto within = [&](double x, double y) {
        // Into the upright object's own coordinates: the axis at 0, the picture's middle height at 0.
        const double dx = (x - axis_x()) / scale, dy = (y - all.height / 2.0) / scale;
        const double across = dx * std::cos(lean) - dy * std::sin(lean);
        const double down = dx * std::sin(lean) + dy * std::cos(lean);
        return std::min(
            {down + 90, 90 - down, 46 + 24 * std::sin(down / 28) - std::abs(across - 9 * std::cos(turn))});
    };
    const auto share_at = [&](int x, int y) {
        if (const double own = within(x, y) * scale; std::abs(own) > kSurelyPx) return own > 0 ? 1.0 : 0.0;
        int inside = 0;
        for (int i = 0; i < kSamples * kSamples; ++i)
            inside += within(x + (i % kSamples + 0.5) / kSamples - 0.5,
                             y + (i / kSamples + 0.5) / kSamples - 0.5) > 0;
        return double(inside) / (kSamples * kSamples);
    };
    cv::Mat3f light(all);
    for (int y = 0; y < all.height; ++y)
        for (int x = 0; x < all.width; ++x) {
            const double falloff = 1 - 0.1 * y / all.height, share = share_at(x, y);
            const double ground = ground_light * falloff,
                         own = 0.12 + 0.05 * std::cos(turn + x / scale / 40.0);
            light(y, x) = cv::Vec3f(1, 1, 1) * float(share * own + (1 - share) * ground);
        }
    return from_linear(light, ToneCurve({}), {});
}

double light_of_turned_view(int view) {
    return 0.7 * (1 + 0.04 * std::sin(2.3 * view));
}

void write_turned_views(const fs::path& folder, const TurnedVase& vase, int views, int frames) {
    for (int i = 0; i < views; ++i) {
        const std::string number = std::to_string(i + 1);
        const fs::path own = folder / ("view-" + std::string(number.size() < 2 ? "0" : "") + number);
        fs::create_directories(own);
        const Picture picture = vase.view(360.0 * i / views, light_of_turned_view(i));
        for (int frame = 1; frame <= frames; ++frame)
            write_picture(own / ("f-" + std::to_string(frame) + ".tif"), picture, {}, {}, {});
    }
}

}  // namespace moorhaze::test
