// SPDX-License-Identifier: GPL-3.0-or-later
// Healing on open pictures against scikit-image's inpainting, which we did not write.
#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>

#include "core/mend/healing_place.h"
#include "core/mend/stroke_rendering.h"
#include "core/picture/tone_curve.h"
#include "tests/outside/outside_data.h"
#include "tests/support/series_files.h"

using namespace moorhaze;

namespace {

constexpr int kSpecks = 20, kRadius = 7;

/// How strong the finest detail is where a mask is set.
double grain(const Picture& picture, const cv::Mat1b& where) {
    cv::Mat1f grey, soft;
    cv::Mat plain;
    picture.pixels.convertTo(plain, CV_32F, picture.bits() == 16 ? 1 / 65535.0 : 1 / 255.0);
    cv::cvtColor(plain, grey, cv::COLOR_RGB2GRAY);
    cv::GaussianBlur(grey, soft, {0, 0}, 1.5);
    cv::Scalar mean, deviation;
    cv::meanStdDev(grey - soft, mean, deviation, where);
    return deviation[0];
}

}  // namespace

TEST_CASE("healed specks keep the grain of their surroundings, which inpainting smooths away", "[outside]") {
    // python3-skimage: skimage/data, textures under CC0.
    const auto [name, least] =
        GENERATE(table<const char*, double>({{"brick.png", 0.7}, {"gravel.png", 0.7}}));
    const auto file = test::skimage_folder() / "data" / name;
    REQUIRE(std::filesystem::exists(file));
    Picture whole = with_bits(read_picture(file), 16);
    cv::RNG random(6);
    Picture damaged = whole;
    damaged.pixels = whole.pixels.clone();
    cv::Mat1b places(whole.pixels.size(), uchar(0));
    SharedList<Stroke> strokes;
    std::vector<StrokePoint> specks;
    for (int i = 0; i < kSpecks; ++i) {
        const cv::Point at(60 + 95 * (i % 5) + random.uniform(-20, 20),
                           60 + 125 * (i / 5) + random.uniform(-20, 20));
        cv::circle(damaged.pixels, at, kRadius, cv::Scalar::all(2000), cv::FILLED);
        cv::circle(places, at, kRadius, cv::Scalar(255), cv::FILLED);
        specks.push_back({double(at.x), double(at.y)});
    }
    const ToneCurve curve(damaged.profile);
    const MergePlanes planes{{0, 0, whole.pixels.cols, whole.pixels.rows}, {}, {}, {}, {}};
    for (const StrokePoint& speck : specks) {
        Stroke stroke{WipeBack{}, kRadius + 3, 0.3, 1, {speck}};
        stroke.match_tone = true;
        const PixelRect around =
            PixelRect(int(speck.x_px) - 90, int(speck.y_px) - 90, 181, 181) & planes.area;
        const cv::Mat3f light = light_beneath(damaged, planes, strokes, around, curve, {}, {});
        stroke.source = healing_place(light, stroke_mask(stroke, around, planes, {}), stroke.radius_px, {});
        strokes = strokes.appended(stroke);
    }
    Picture healed = damaged;
    healed.pixels = render_strokes(damaged, planes, strokes, planes.area, curve, {}, {});

    const test::Scratch scratch;
    const WriteSettings plain{.format = FileFormat::png, .bits = 8, .overwrite = true, .made_with = {}};
    Picture mask;
    cv::merge(std::vector<cv::Mat>{places, places, places}, mask.pixels);
    write_picture(scratch / "damaged.png", damaged, {}, plain, {});
    write_picture(scratch / "mask.png", mask, {}, plain, {});
    const auto ran = test::run(std::string(test::kPython) + " " + MOORHAZE_OUTSIDE_DIR +
                               "/reference_inpaint.py " + (scratch / "damaged.png").string() + " " +
                               (scratch / "mask.png").string() + " " + (scratch / "filled.png").string());
    INFO(ran.text);
    REQUIRE(ran.code == 0);
    const Picture filled = read_picture(scratch / "filled.png");

    const double truth = grain(whole, places), own = grain(healed, places), reference = grain(filled, places);
    INFO(name << ": grain " << truth << ", healed " << own << ", inpainted " << reference);
    CHECK(own > least * truth);
    CHECK(own < 1.3 * truth);
    CHECK(std::abs(own - truth) < std::abs(reference - truth));
    // No speck is left, and nothing else is touched.
    cv::Mat1b far;
    cv::dilate(places, far, cv::getStructuringElement(cv::MORPH_ELLIPSE, {13, 13}));
    CHECK(cv::norm(healed.pixels, damaged.pixels, cv::NORM_INF, ~far) == 0);
    double darkest = 65535;
    cv::Mat1w grey;
    cv::cvtColor(healed.pixels, grey, cv::COLOR_RGB2GRAY);
    for (const StrokePoint& speck : specks)
        darkest =
            std::min(darkest, cv::mean(grey(cv::Rect(int(speck.x_px) - 4, int(speck.y_px) - 4, 9, 9)))[0]);
    CHECK(darkest > 6000);
}
