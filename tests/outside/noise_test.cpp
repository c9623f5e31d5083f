// SPDX-License-Identifier: GPL-3.0-or-later
// Noise and fringes on photographs that Debian's python3-skimage carries (camera, chelsea, coffee: CC0),
// against OpenCV's non-local means and with fringes made by OpenCV's resampling.
#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>
#include <opencv2/photo.hpp>

#include "core/files/picture_file.h"
#include "core/finish/fringes.h"
#include "core/finish/noise.h"
#include "core/picture/luma.h"
#include "tests/outside/outside_data.h"
#include "tests/support/measures.h"

using namespace moorhaze;

namespace {

Picture photo(const char* name) {
    return read_picture(test::skimage_folder() / "data" / name);
}

}  // namespace

TEST_CASE("planted noise leaves at least as well as by OpenCV's non-local means at its best strength",
          "[outside][finish]") {
    for (const char* name : {"camera.png", "chelsea.png"})
        for (const double noise : {0.02, 0.06}) {
            const Picture picture = photo(name);
            const cv::Mat1f truth = perceptual_luma(picture, ToneCurve(picture.profile), Job{});
            cv::Mat1f noisy = truth.clone();
            cv::RNG random(3);
            for (float& own : noisy) own = std::clamp(own + float(random.gaussian(noise)), 0.0f, 1.0f);
            cv::Mat3f light(noisy.size());
            for (int y = 0; y < light.rows; ++y)
                for (int x = 0; x < light.cols; ++x) light(y, x) = cv::Vec3f::all(noisy(y, x) * noisy(y, x));
            reduce_noise(light, {.noise = noise}, {}, 1, {});
            const double ours = test::psnr_db(perceptual_luma(light, Job{}), truth);
            cv::Mat1b levels, smooth;
            noisy.convertTo(levels, CV_8U, 255);
            double best = 0;
            for (const double strength : {0.8, 1.0, 1.2}) {
                cv::fastNlMeansDenoising(levels, smooth, float(strength * noise * 255));
                cv::Mat1f own;
                smooth.convertTo(own, CV_32F, 1 / 255.0);
                best = std::max(best, test::psnr_db(own, truth));
            }
            INFO(name << ", noise " << noise << ": ours " << ours << " dB, non-local means " << best);
            CHECK(ours >= best);
        }
}

TEST_CASE("lateral fringes that OpenCV's resampling made of a photograph go by four fifths",
          "[outside][finish]") {
    const Picture picture = photo("coffee.png");
    const ToneCurve curve(picture.profile);
    const cv::Size size = picture.pixels.size();
    const cv::Point2f middle(float(size.width - 1) / 2, float(size.height - 1) / 2);
    std::vector<cv::Mat> channels;
    cv::split(picture.pixels, channels);
    // Outwards by 0.4 % and inwards by 0.3 %: 1.4 and 1.1 px in the corners.
    cv::warpAffine(channels[0], channels[0], cv::getRotationMatrix2D(middle, 0, 1.004), size, cv::INTER_CUBIC,
                   cv::BORDER_REPLICATE);
    cv::warpAffine(channels[2], channels[2], cv::getRotationMatrix2D(middle, 0, 0.997), size, cv::INTER_CUBIC,
                   cv::BORDER_REPLICATE);
    Picture fringed{{}, {}, picture.profile};
    cv::merge(channels, fringed.pixels);
    // The photograph's own lens has some: what is found in it is taken off.
    const Fringes own = with_lateral_found({}, picture, curve, {}),
                  found = with_lateral_found({}, fringed, curve, {});
    const double corner = std::hypot(size.width, size.height) / 2;
    const auto px = [corner](const LateralFringe& fringe) {
        return (fringe.linear + fringe.square / 2) * corner / std::sqrt(2.0);  // halfway out by area
    };
    const double planted = corner / std::sqrt(2.0);
    CHECK(px(found.red) - px(own.red) == Approx(0.004 * planted).margin(0.2 * 0.004 * planted));
    CHECK(px(found.blue) - px(own.blue) == Approx(-0.003 * planted).margin(0.2 * 0.003 * planted));
    // What is left once it was taken out.
    const auto mended_by = [&](const Fringes& fringes) {
        cv::Mat3f light = to_linear(fringed, curve);
        take_fringes_out(light, fringes, {{}, middle, corner, 1}, {});
        return from_linear(light, curve, picture.profile);
    };
    Fringes left = with_lateral_found({}, mended_by(found), curve, {});
    CHECK(std::abs(px(left.red)) < 0.2 * 0.004 * planted);
    CHECK(std::abs(px(left.blue)) < 0.2 * 0.003 * planted);
}
