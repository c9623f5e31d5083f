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

TEST_CASE("the pairs of scikit-image's own registration tests are registered to their stated shifts",
          "[outside]") {
    // python3-skimage: skimage/registration/tests/data, three photographs and the same shifted by whole
    // pixels; the names tell by how much.
    const auto folder = test::skimage_folder() / "registration" / "tests" / "data";
    struct Pair {
        const char *original, *transformed;
        double right, down;
    };
    for (const Pair& pair : {Pair{"OriginalX75Y75.png", "TransformedX75Y75.png", 75, 75},
                             {"OriginalX130Y130.png", "TransformedX130Y130.png", 130, 130},
                             {"OriginalX-130Y130.png", "TransformedX-130Y130.png", -130, 130}}) {
        if (!std::filesystem::exists(folder / pair.original)) {
            WARN(pair.original << " is not in this version of python3-skimage");
            continue;
        }
        const test::Scratch scratch;
        std::filesystem::copy(folder / pair.original, scratch / "f1.png");
        std::filesystem::copy(folder / pair.transformed, scratch / "f2.png");
        const Series series = open_series({scratch.folder()}, {}).series;
        const SeriesGeometry found = register_series(series, 0, {});
        INFO(pair.original);
        REQUIRE(found.frames[1].registered);
        const cv::Point2d shift = found.frames[1].shift_px(series.size());
        CHECK(std::abs(std::abs(shift.x) - std::abs(pair.right)) < 0.5);
        CHECK(std::abs(std::abs(shift.y) - std::abs(pair.down)) < 0.5);
        CHECK(found.frames[1].scale() == Approx(1).margin(0.002));
        CHECK(found.frames[1].rotation_deg() == Approx(0).margin(0.1));
    }
}
