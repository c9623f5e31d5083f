// Registration of textures that we did not make, moved by code that we did not write.
#include <catch2/catch.hpp>
#include <cmath>

#include "core/align/measure_series.h"
#include "tests/outside/outside_data.h"
#include "tests/support/scratch.h"

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
