// SPDX-License-Identifier: GPL-3.0-or-later
// Our resampling beside that of OpenCV and scikit-image, which we did not write.
#include <catch2/catch.hpp>
#include <cmath>
#include <functional>
#include <numbers>
#include <opencv2/imgproc.hpp>
#include <sstream>

#include "core/files/picture_file.h"
#include "core/picture/warp.h"
#include "tests/outside/outside_data.h"
#include "tests/support/measures.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

constexpr double kPi = std::numbers::pi;
const cv::Size kSize(200, 200);

struct Wave {
    double across, down;  ///< cycles per pixel
    double at(double x, double y) const { return 0.5 + 0.05 * std::sin(2 * kPi * (across * x + down * y)); }
};

cv::Matx33d shift(cv::Point2d by) {
    return {1, 0, by.x, 0, 1, by.y, 0, 0, 1};
}

/// How far a wave that was moved is from the ideal one, by the wave's own strength: 0 ideal, 1 lost.
double lost(const Wave& wave, cv::Point2d by, const std::function<cv::Mat1f(const Picture&)>& resample) {
    const Picture picture = test::picture_from(kSize, [&](int x, int y) { return wave.at(x, y); });
    const cv::Mat1f moved = resample(picture);
    double sum = 0, whole = 0;
    for (int y = 20; y < kSize.height - 20; ++y)
        for (int x = 20; x < kSize.width - 20; ++x) {
            const double ideal = wave.at(x - by.x, y - by.y);
            sum += std::pow(moved(y, x) - ideal, 2);
            whole += std::pow(ideal - 0.5, 2);
        }
    return std::sqrt(sum / whole);
}

cv::Mat1f by_opencv(const Picture& picture, cv::Point2d by, int interpolation) {
    cv::Mat1f plane, out;
    cv::Mat channel;
    cv::extractChannel(picture.pixels, channel, 1);
    channel.convertTo(plane, CV_32F, 1 / 65535.0);
    cv::warpAffine(plane, out, cv::Matx23d(1, 0, by.x, 0, 1, by.y), kSize, interpolation,
                   cv::BORDER_REFLECT_101);
    return out;
}

cv::Mat1f by_us(const Picture& picture, cv::Point2d by) {
    static const ToneCurve srgb{ColourProfile{}};
    const LinearFrame laid = warp_to_linear(picture, srgb, {shift(by), {{}, kSize}}, {});
    return test::luma_of(from_linear(laid.pixels, srgb, {}));
}

}  // namespace

TEST_CASE("frequency response: nearer to the ideal than OpenCV's bilinear and cubic", "[outside]") {
    // Fractions that OpenCV's tables of 1/32 px hold exactly. Its cubic kernel (A = -0.75) overshoots up to a
    // quarter of a cycle and then falls off; at single frequencies it happens to cross the ideal.
    const std::vector<double> frequencies{0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4};
    for (const cv::Point2d by : {cv::Point2d(0.5, 0), {0.25, 0}, {0, 0.375}, {0.5, 0.5}, {3.25, -1.75}}) {
        double ours = 0, cubic = 0, linear = 0;
        std::ostringstream table;
        for (const double frequency : frequencies) {
            double own_worst = 0, cubic_worst = 0, linear_worst = 0;
            for (const double turn : {0.0, 0.3, kPi / 4, kPi / 2}) {
                const Wave wave{frequency * std::cos(turn), frequency * std::sin(turn)};
                const auto kept = [](double& sum, double& worst, double value) {
                    sum += value * value;
                    worst = std::max(worst, value);
                };
                kept(ours, own_worst, lost(wave, by, [&](const Picture& p) { return by_us(p, by); }));
                kept(cubic, cubic_worst,
                     lost(wave, by, [&](const Picture& p) { return by_opencv(p, by, cv::INTER_CUBIC); }));
                kept(linear, linear_worst,
                     lost(wave, by, [&](const Picture& p) { return by_opencv(p, by, cv::INTER_LINEAR); }));
            }
            table << "\n" << frequency << ": " << own_worst << " " << cubic_worst << " " << linear_worst;
            CHECK(own_worst < linear_worst);
            if (frequency >= 0.3) CHECK(own_worst < cubic_worst);
            // What a merge lives on, detail of four pixels and more, keeps its strength to a few percent.
            if (frequency <= 0.25) CHECK(own_worst < 0.06);
        }
        INFO("shift " << by.x << ", " << by.y << "; lost at most, ours, cubic, bilinear:" << table.str());
        CHECK(ours < 0.6 * cubic);
        CHECK(ours < 0.15 * linear);
    }
}

TEST_CASE("a similarity lands pixels where scikit-image lands them", "[outside]") {
    const test::Scratch scratch;
    const test::Texture texture(31, 60, 8, 90);
    const Picture frame = test::picture_from(kSize, [&](int x, int y) { return texture.at(x, y); });
    write_picture(scratch / "frame.tif", frame, {}, {}, {});
    // warp() takes the map from the output to the input, as scikit-image defines it; order 5 is a spline.
    const auto made = test::run(
        std::string(test::kPython) +
        " -c \"import numpy as np; from skimage import io, transform; a = io.imread('" +
        (scratch / "frame.tif").string() +
        "')[..., 1].astype(float) / 65535; t = transform.SimilarityTransform(scale=1.03, "
        "rotation=np.deg2rad(3), translation=(4.3, -7.8)); w = transform.warp(a, t.inverse, order=5, "
        "mode='reflect'); io.imsave('" +
        (scratch / "moved.tif").string() +
        "', np.repeat((np.clip(w, 0, 1) * 65535 + .5).astype(np.uint16)[..., None], 3, 2), "
        "check_contrast=False)\"");
    INFO(made.text);
    REQUIRE(made.code == 0);
    const cv::Mat1f theirs = test::luma_of(read_picture(scratch / "moved.tif"));
    const double c = 1.03 * std::cos(3 * kPi / 180), s = 1.03 * std::sin(3 * kPi / 180);
    static const ToneCurve srgb{ColourProfile{}};
    const LinearFrame laid =
        warp_to_linear(frame, srgb, {{c, -s, 4.3, s, c, -7.8, 0, 0, 1}, {{}, kSize}}, {});
    const cv::Mat1f ours = test::luma_of(from_linear(laid.pixels, srgb, {}));
    double sum = 0;
    int count = 0;
    for (int y = 30; y < kSize.height - 30; ++y)
        for (int x = 30; x < kSize.width - 30; ++x, ++count) sum += std::pow(ours(y, x) - theirs(y, x), 2);
    // A shift by a hundredth of a pixel would be 0.0006 here.
    CHECK(std::sqrt(sum / count) < 0.0012);
}
