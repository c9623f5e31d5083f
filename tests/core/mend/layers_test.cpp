// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/layers.h"

#include <catch2/catch.hpp>

#include "core/align/series_geometry.h"
#include "tests/support/scratch.h"
#include "tests/support/series_files.h"

using namespace moorhaze;

TEST_CASE("layers laid over the merge give the mended picture, whatever was painted over what", "[mend]") {
    const test::Scratch scratch;
    const Series series = test::write_series(scratch, test::strip_series({240, 140}, 5));
    const SeriesGeometry geometry = unmoved(series, 2);
    AlignedFrames aligned(series, geometry, series.chosen(), {0, 0, 240, 140});
    const MergeResult merge = merge_method("blend").merge(aligned, {}, {}, {});
    const FrameSource frames(series, geometry, std::make_shared<FrameShelf>(std::size_t(100) << 20));
    const MendSources sources{frames};
    Stroke soft{series.frames[0].id, 25, 0.9, 0.6, {{60, 60}, {150, 80}}},
        hard{series.frames[4].id, 9, 0, 1, {{100, 70}, {140, 90}}},
        more{series.frames[4].id, 14, 1, 0.3, {{30, 30}, {60, 100}}},
        wiped{WipeBack{}, 6, 0.5, 1, {{120, 60}, {120, 100}}}, off = hard;
    off.is_off = true;
    const SharedList<Stroke> strokes(std::vector<Stroke>{soft, hard, more, wiped, off});
    std::vector<MendLayer> layers;
    const TakeMendLayer take = [&](const MendLayer& layer) { layers.push_back(layer); };
    mend_layers(merge, strokes, sources, take, {});
    REQUIRE(layers.size() == 3);  // neighbours from one source are one, one that is off is none
    CHECK(layers[0].source == soft.source);
    CHECK(layers[1].source == hard.source);
    CHECK(layers[2].source == wiped.source);
    cv::Mat canvas = merge.picture.pixels.clone();
    for (const MendLayer& layer : layers) {
        CHECK((layer.area & merge.area) == layer.area);
        for (int y = 0; y < layer.area.height; ++y)
            for (int x = 0; x < layer.area.width; ++x) {
                cv::Vec3w& below =
                    canvas.at<cv::Vec3w>(layer.area.y + y - merge.area.y, layer.area.x + x - merge.area.x);
                const double alpha = layer.picture.alpha.at<std::uint16_t>(y, x) / 65535.0;
                for (int c = 0; c < 3; ++c)
                    below[c] = cv::saturate_cast<std::uint16_t>(
                        alpha * layer.picture.pixels.at<cv::Vec3w>(y, x)[c] + (1 - alpha) * below[c]);
            }
    }
    CHECK(cv::norm(canvas, mended(merge, strokes, sources, merge.area, {}).pixels, cv::NORM_INF) <= 2);
    layers.clear();
    mend_layers(merge, {}, sources, take, {});
    CHECK(layers.empty());
}
