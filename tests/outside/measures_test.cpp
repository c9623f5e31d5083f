// SPDX-License-Identifier: GPL-3.0-or-later
// Our measures and merges against scikit-image, which we did not write.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>
#include <sstream>

#include "core/align/common_area.h"
#include "core/align/measure_series.h"
#include "core/merge/merge.h"
#include "tests/outside/outside_data.h"
#include "tests/support/measures.h"
#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

nlohmann::json reference_measures(const std::filesystem::path& one, const std::filesystem::path& other) {
    const auto ran = test::run(std::string(test::kPython) + " " + MOORHAZE_OUTSIDE_DIR +
                               "/reference_measures.py " + one.string() + " " + other.string());
    INFO(ran.text);
    REQUIRE(ran.code == 0);
    return nlohmann::json::parse(ran.text);
}

}  // namespace

TEST_CASE("PSNR and SSIM agree with scikit-image", "[outside]") {
    const test::Scratch scratch;
    const test::Texture texture(21);
    const Picture clean = test::picture_from({220, 160}, [&](int x, int y) { return texture.at(x, y); });
    const Picture soft = test::picture_from({220, 160}, [&](int x, int y) {
        return 0.5 * texture.at(x, y) + 0.25 * texture.at(x + 3, y) + 0.25 * texture.at(x, y + 3);
    });
    write_picture(scratch / "a.tif", clean, {}, {}, {});
    write_picture(scratch / "b.tif", soft, {}, {}, {});
    const auto reference = reference_measures(scratch / "a.tif", scratch / "b.tif");
    CHECK(test::psnr_db(test::luma_of(clean), test::luma_of(soft)) ==
          Approx(reference["psnr"].get<double>()).margin(0.01));
    // The window's cut-off differs by a pixel between the two: a thousandth.
    CHECK(test::ssim(test::luma_of(clean), test::luma_of(soft)) ==
          Approx(reference["ssim"].get<double>()).margin(2e-3));
}

TEST_CASE("a merge of the shipped series is better by scikit-image's measure too", "[outside]") {
    const test::Scratch scratch;
    const auto demo = test::open_demo("brass-wheels");
    const SeriesGeometry geometry = register_series(demo.series, demo.reference, {});
    const PixelRect area = common_area(geometry, demo.series.chosen(), demo.series.size());
    AlignedFrames frames(demo.series, geometry, demo.series.chosen(), area);
    write_picture(scratch / "merge.tif", merge_method("pyramid").merge(frames, {}, {}, {}).picture, {}, {},
                  {});
    Picture truth = with_bits(demo.sharp, 16),
            single = with_bits(read_picture(demo.series.frames[std::size_t(demo.reference)].path), 16);
    truth.pixels = truth.pixels(area).clone();
    single.pixels = single.pixels(area).clone();
    write_picture(scratch / "truth.tif", truth, {}, {}, {});
    write_picture(scratch / "single.tif", single, {}, {}, {});
    const auto merge = reference_measures(scratch / "merge.tif", scratch / "truth.tif");
    const auto one = reference_measures(scratch / "single.tif", scratch / "truth.tif");
    CHECK(merge["ssim"].get<double>() > one["ssim"].get<double>());
    CHECK(merge["psnr"].get<double>() > one["psnr"].get<double>() + 6);
}

TEST_CASE("colour differences are those of the published pairs", "[outside]") {
    // python3-skimage: skimage/color/tests/ciede2000_test_data.txt, the 34 pairs of Sharma, Wu, Dalal (2005).
    // A line holds: number, 1, L, a, b, ten intermediate values, the difference, 2, L, a, b, ...
    const auto file = test::skimage_folder() / "color" / "tests" / "ciede2000_test_data.txt";
    REQUIRE(std::filesystem::exists(file));
    std::istringstream lines(test::read_all(file));
    std::string line;
    int pairs = 0;
    while (std::getline(lines, line)) {
        std::istringstream text(line);
        std::vector<double> values;
        for (double value = 0; text >> value;) values.push_back(value);
        if (values.size() < 20) continue;
        const test::Lab one{values[2], values[3], values[4]}, other{values[17], values[18], values[19]};
        CHECK(test::ciede2000(one, other) == Approx(values[15]).margin(1e-4));  // published to four places
        ++pairs;
    }
    CHECK(pairs == 34);
}
