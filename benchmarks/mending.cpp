// SPDX-License-Identifier: GPL-3.0-or-later
// How long mending takes at 24 megapixels: what a moving brush waits for, without and with 200 strokes
// beneath.
#include <filesystem>
#include <opencv2/imgproc.hpp>

#include "benchmarks/times.h"
#include "core/mend/mended.h"
#include "core/merge/sharpness.h"
#include "core/picture/display.h"

namespace {

using namespace moorhaze;
namespace fs = std::filesystem;

const cv::Size kSize(6000, 4000);
constexpr int kFrames = 4, kBeneath = 200, kDabs = 200;

/// Noise that is smooth enough to have things in it.
Picture grainy(std::uint64_t seed, int type) {
    cv::Mat small(kSize / 8, type);
    cv::RNG random(seed);
    const int most = type == CV_16UC3 ? 65535 : 255;
    random.fill(small, cv::RNG::UNIFORM, most / 5, most * 4 / 5);
    Picture picture;
    cv::resize(small, picture.pixels, kSize, 0, 0, cv::INTER_CUBIC);
    return picture;
}

using bench::Times;

}  // namespace

int main() {
    const fs::path folder = fs::temp_directory_path() / "moorhaze-mending-benchmark";
    fs::create_directories(folder);
    std::vector<fs::path> files;
    for (int i = 0; i < kFrames; ++i) {
        files.push_back(folder / ("frame-" + std::to_string(i + 1) + ".jpg"));
        if (!fs::exists(files.back()))
            write_picture(files.back(), grainy(std::uint64_t(i + 1), CV_8UC3), {},
                          {.format = FileFormat::jpeg, .bits = 8, .overwrite = true, .made_with = {}}, {});
    }
    const Series series = open_series(files, {}).series;
    SeriesGeometry geometry = unmoved(series, kFrames / 2);
    geometry.frames[0].matrix(0, 2) = 1.3;  // resampled, as most frames are
    const FrameSource source(series, geometry, std::make_shared<FrameShelf>(std::size_t(2) << 30));
    MergeResult merge;
    merge.picture = grainy(9, CV_16UC3);
    merge.area = {0, 0, kSize.width, kSize.height};
    const MendSources sources{source};
    cv::RNG random(4);
    SharedList<Stroke> strokes;
    // All within a screenful, each over many others.
    for (int i = 0; i < kBeneath; ++i) {
        Stroke stroke{series.frames[std::size_t(i % kFrames)].id, 17, 0.6, 0.4, {}};
        double x = 2000 + random.uniform(0, 700), y = 1500 + random.uniform(0, 500);
        for (int k = 0; k < 30; ++k)
            stroke.points.push_back({x += random.uniform(-8, 9), y += random.uniform(-8, 9)});
        strokes = strokes.appended(stroke);
    }
    const auto dabs = [&](const char* what, const SharedList<Stroke>& beneath) {
        Times times;
        Stroke live{series.frames[0].id, 17, 0.6, 0.4, {{2300, 1700}}};
        for (int i = 0; i < kDabs; ++i) {
            const StrokePoint last = live.points.back();
            live.points.push_back({2300 + 3.0 * i, 1700 + 80 * std::sin(i / 10.0)});
            Stroke piece = live;
            piece.points = {last, live.points.back()};
            times.take(
                [&] { to_display(mended(merge, beneath.appended(live), sources, reach_of(piece), {}), {}); });
        }
        times.print(what);
        return times.at(0.5);
    };
    dabs("(frames decoded)", {});
    const double alone = dabs("a dab of 34 px, nothing beneath", {});
    const double beneath = dabs("a dab of 34 px, 200 strokes beneath", strokes);
    std::printf("%-44s %.1f times\n", "what lies beneath costs", beneath / alone);
    Times whole;
    for (int i = 0; i < 3; ++i)
        whole.take([&] { mended(merge, strokes, sources, {2000, 1500, 1280, 800}, {}); });
    whole.print("1280x800 with 200 strokes, anew");
    Times healed, taken;
    for (int i = 0; i < 20; ++i) {
        const double x = 1000 + 200.0 * i;
        Stroke speck{WipeBack{}, 12, 0.6, 1, {{x, 900}, {x + 10, 905}}};
        healed.take([&] { healing(merge, strokes, sources, speck, {}); });
        Stroke scribble{series.frames[1].id, 17, 0.6, 1, {{x, 2000}, {x + 300, 2200}}};
        taken.take([&] {
            try {
                taking_the_thing(merge, strokes, sources, scribble, {});
            } catch (const BadParameter&) {
            }
        });
    }
    // What a sounding shows of frames that are decoded, and another source under the whole view.
    constexpr int kPatches = 7, kPatch_px = 88;
    const auto seen = [&](int frame, const PixelRect& area) {
        to_display(picture_of(source.load(frame, area, {}), source.curve(), source.profile()), {});
    };
    Times sounded, viewed;
    for (int i = 0; i < 50; ++i) {
        const int x = 500 + 90 * i;
        sounded.take([&] {
            for (int k = 0; k < kPatches; ++k) {
                const PixelRect area(x, 1200, kPatch_px, kPatch_px);
                seen(k % kFrames, area);
                sharpness_of(source.load(k % kFrames, area, {}), 4, {});
            }
        });
        viewed.take([&] { seen(i % kFrames, {x, 1000, 1280, 800}); });
    }
    sounded.print("a sounding of 7 frames seen before");
    viewed.print("another source on a view of 1280x800");
    healed.print("healing a speck of 24 px");
    taken.print("taking a thing by a scribble of 360 px");
    return 0;
}
