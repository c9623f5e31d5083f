// SPDX-License-Identifier: GPL-3.0-or-later
// Registration of textures that we did not make, moved by code that we did not write.
#include <catch2/catch.hpp>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/align/measure_series.h"
#include "tests/outside/outside_data.h"
#include "tests/support/scratch.h"
#include "tests/support/series_files.h"

using namespace moorhaze;

TEST_CASE("photographed textures warped by scikit-image are registered to a twentieth of a pixel",
          "[outside]") {
    for (const char* name : {"brick.png", "gravel.png", "grass.png"}) {
        const auto source = test::skimage_folder() / "data" / name;
        if (!std::filesystem::exists(source)) {
            WARN(name << " is not in this version of python3-skimage");
            continue;
        }
        const test::Scratch scratch;
        // A similarity about the origin: scale 1.012, rotation 0.6 degrees, shift 3.4, -2.7 px; Lanczos-like
        // order 5.
        const auto made = test::run(
            std::string(test::kPython) +
            " -c \"import numpy as np; from skimage import io, transform; a = io.imread('" + source.string() +
            "').astype(float) / 255; t = transform.SimilarityTransform(scale=1.012, "
            "rotation=np.deg2rad(0.6), translation=(3.4, -2.7)); "
            "w = transform.warp(a, t, order=5, mode='reflect'); "
            "[io.imsave(n, np.repeat((np.clip(p, 0, 1) * 65535 + .5).astype(np.uint16)[..., None], 3, 2), "
            "check_contrast=False) "
            "for n, p in (('" +
            (scratch / "f1.tif").string() + "', w), ('" + (scratch / "f2.tif").string() + "', a))]\"");
        INFO(name << " " << made.text);
        REQUIRE(made.code == 0);
        const Series series = open_series({scratch.folder()}, {}).series;
        const SeriesGeometry found = register_series(series, 1, {});
        REQUIRE(found.frames[0].registered);
        // scikit-image's transform leads from the output to the input, so from frame 1 to frame 2.
        const double c = 1.012 * std::cos(0.6 / 57.29577951), s = 1.012 * std::sin(0.6 / 57.29577951);
        double worst = 0;
        for (const double x : {0.0, 255.0, 511.0})
            for (const double y : {0.0, 255.0, 511.0}) {
                const cv::Vec3d place = found.frames[0].matrix * cv::Vec3d(x, y, 1);
                worst = std::max(
                    worst, std::hypot(place[0] - (c * x - s * y + 3.4), place[1] - (s * x + c * y - 2.7)));
            }
        CHECK(worst < 0.05);
    }
}

TEST_CASE("a pair of scikit-image's own registration tests is registered to its stated shift", "[outside]") {
    // python3-skimage: skimage/registration/tests/data/*X75Y75.png, the same scan shifted by whole pixels, 75
    // to the right and 75 up, under a mask that stays. Parts are cut out so that the mask is outside; they
    // then lie 5 and -3 pixels apart. The speckle is noise to a focus measure and detail to registration.
    const auto folder = test::skimage_folder() / "registration" / "tests" / "data";
    if (!std::filesystem::exists(folder / "OriginalX75Y75.png")) {
        WARN("OriginalX75Y75.png is not in this version of python3-skimage");
        return;
    }
    const test::Scratch scratch;
    const auto made = test::run(
        std::string(test::kPython) + " -c \"from skimage import io; a, b = (io.imread('" + folder.string() +
        "/' + n + 'X75Y75.png') for n in ('Original', 'Transformed')); io.imsave('" +
        (scratch / "f1.png").string() + "', a[240:360, 180:330], check_contrast=False); io.imsave('" +
        (scratch / "f2.png").string() + "', b[168:288, 250:400], check_contrast=False)\"");
    INFO(made.text);
    REQUIRE(made.code == 0);
    const Series series = open_series({scratch.folder()}, {}).series;
    const SeriesGeometry found = register_series(series, 0, {});
    REQUIRE(found.frames[1].registered);
    const cv::Point2d shift = found.frames[1].shift_px(series.size());
    CHECK(shift.x == Approx(-5).margin(0.1));
    CHECK(shift.y == Approx(3).margin(0.1));
    CHECK(found.frames[1].scale() == Approx(1).margin(0.001));
    CHECK(found.frames[1].rotation_deg() == Approx(0).margin(0.05));
}

TEST_CASE("photographs moved to the limits of what is asked for are registered", "[outside]") {
    // opencv-doc: graf1.png (a painted wall) and leuvenA.jpg (a street), moved by OpenCV's Lanczos kernel: a
    // tenth of the width, 5 degrees, a quarter larger, an exposure value darker or brighter.
    struct Limit {
        const char* name;
        double right, down, turn_deg, scale, gain;
    };
    const auto folder = test::outside_folder() / "opencv-doc";
    if (!std::filesystem::exists(folder / "graf1.png")) {
        WARN("opencv-doc was not fetched: run tools/outside-data");
        return;
    }
    for (const char* photo : {"graf1.png", "leuvenA.jpg"}) {
        const Picture whole = with_bits(read_picture(folder / photo), 16);
        const ToneCurve curve(whole.profile);
        const cv::Mat3f light = to_linear(whole, curve);
        for (const Limit& limit :
             {Limit{"shift", 0.1, -0.06, 0, 1, 1}, Limit{"rotation", 0, 0, 5, 1, 1},
              Limit{"scale", 0, 0, 0, 1.25, 1}, Limit{"darker", 0.01, 0, 0.5, 1.01, 0.5},
              Limit{"brighter", 0, 0.01, -0.5, 0.99, 2}, Limit{"much at once", 0.06, 0.03, -3, 1.1, 0.7}}) {
            INFO(photo << ", " << limit.name);
            // Both frames are cut from the middle, so that neither has empty edges.
            const cv::Size size(light.cols * 6 / 10, light.rows * 6 / 10);
            const cv::Point corner(light.cols * 2 / 10, light.rows * 2 / 10);
            const double angle = limit.turn_deg / 57.29577951, c = limit.scale * std::cos(angle),
                         s = limit.scale * std::sin(angle), u = (size.width - 1) / 2.0,
                         v = (size.height - 1) / 2.0;
            const cv::Matx33d moved(c, -s, u - c * u + s * v + limit.right * size.width, s, c,
                                    v - s * u - c * v + limit.down * size.width, 0, 0, 1),
                cut(1, 0, -corner.x, 0, 1, -corner.y, 0, 0, 1);
            cv::Mat there;
            cv::warpPerspective(light * std::min(1.0, 1 / limit.gain), there, moved * cut, size,
                                cv::INTER_LANCZOS4, cv::BORDER_REPLICATE);
            const cv::Mat3f here = light(cv::Rect(corner, size)) * std::min(1.0, 1 / limit.gain) * 1.0f;
            cv::Mat3f bright = cv::max(cv::Mat(there * limit.gain), 0);
            const test::Scratch scratch;
            const Series series =
                test::write_series(scratch, {from_linear(here, curve, {}), from_linear(bright, curve, {})});
            const SeriesGeometry found = register_series(series, 0, {});
            REQUIRE(found.frames[1].registered);
            const cv::Matx33d truth = moved.inv();
            double worst = 0;
            for (int i = 0; i < 81; ++i) {
                const cv::Vec3d at((size.width - 1) * (i % 9) / 8.0, (size.height - 1) * (i / 9) / 8.0, 1);
                const cv::Vec3d a = truth * at, b = found.frames[1].matrix * at;
                worst = std::max(worst, std::hypot(a[0] / a[2] - b[0] / b[2], a[1] / a[2] - b[1] / b[2]));
            }
            CHECK(worst < 0.10);
            CHECK(found.frames[1].gain() * limit.gain == Approx(1).margin(0.02));
        }
    }
}

TEST_CASE("two photographs from places too far apart are not forced over each other", "[outside]") {
    // opencv-doc: graf1.png and graf3.png show one wall from two sides, turned against each other by far more
    // than a frame of a focus series can be (Mikolajczyk et al., "A Comparison of Affine Region Detectors",
    // IJCV 65, 2005).
    const auto folder = test::outside_folder() / "opencv-doc";
    if (!std::filesystem::exists(folder / "graf1.png")) return;
    const test::Scratch scratch;
    std::filesystem::copy(folder / "graf1.png", scratch / "f1.png");
    std::filesystem::copy(folder / "graf3.png", scratch / "f2.png");
    const SeriesGeometry found =
        register_series(open_series({scratch / "f1.png", scratch / "f2.png"}, {}).series, 0, {});
    CHECK_FALSE(found.frames[1].registered);
    CHECK_FALSE(found.frames[1].problem.empty());
}
