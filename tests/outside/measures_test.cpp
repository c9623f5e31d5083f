// Our measures and merges against scikit-image, which we did not write.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

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
