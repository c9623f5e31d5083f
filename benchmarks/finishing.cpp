// SPDX-License-Identifier: GPL-3.0-or-later
// How long finishing takes at 24 megapixels: what the person waits for after a change (1280x800 in view, at
// the whole picture and at 100 %), and what handing a finished picture over costs against bare decoding and
// writing.
#include <filesystem>
#include <opencv2/imgproc.hpp>
#include <tuple>

#include "benchmarks/times.h"
#include "core/finish/finished.h"
#include "core/finish/framing.h"
#include "core/finish/hand_over.h"
#include "core/picture/display.h"

namespace {

using namespace moorhaze;
using bench::Times;
namespace fs = std::filesystem;

const cv::Size kSize(6000, 4000), kView(896, 726);
constexpr int kChanges = 40;

/// Smooth things with grain: what a merge looks like to a compressor.
Picture grainy(int type) {
    cv::Mat small(kSize / 8, type);
    cv::RNG random(3);
    const int most = type == CV_16UC3 ? 65535 : 255;
    random.fill(small, cv::RNG::UNIFORM, most / 5, most * 4 / 5);
    Picture picture;
    cv::resize(small, picture.pixels, kSize, 0, 0, cv::INTER_CUBIC);
    return picture;
}

Finish all_but_ground() {
    Finish finish;
    finish.light = {.warmth_k = 6000, .violet = 2, .exposure_ev = 0.3, .lights = -0.2, .shadows = 0.3};
    finish.tones = {.black = 0.02, .white = 0.95, .middle = 0.45, .curve = {{0.3, 0.25}, {0.7, 0.75}}};
    finish.colour = {.saturation = 0.1, .vibrance = 0.2, .ones = {{40, 5, 0.2, 0}}};
    finish.detail = {
        .clarity = 0.2, .sharpening = 0.6, .radius_px = 0.8, .threshold = 0.005, .colour_noise = 0};
    finish.vignette.corners_ev = -0.4;
    return finish;
}

void preview(const FinishSubject& subject, const char* what, Finish finish, int level, PixelRect part) {
    Times times;
    for (int i = 0; i < kChanges; ++i) {
        finish.light.exposure_ev = 0.01 * i;  // what a slider does
        times.take([&] { display_levels(finished(subject, finish, level, part, {}), {}); });
    }
    times.print(what);
}

}  // namespace

int main() {
    const fs::path folder = fs::temp_directory_path() / "moorhaze-finishing-benchmark";
    fs::create_directories(folder);
    Times making;
    std::shared_ptr<const FinishSubject> subject;
    const Picture merge = grainy(CV_16UC3);
    making.take([&] { subject = finish_subject(merge, {}, 6, {}); });
    making.print("entering Finish: levels, base of light");
    Finish light;
    light.light.exposure_ev = 0.1;
    const Finish all = all_but_ground();
    Finish turned = all;
    turned.framing = with_turn({}, subject->area, 2);
    const PixelRect whole_at_fit(0, 0, (kSize.width + 7) / 8, (kSize.height + 7) / 8),
        at_100({2000, 1500}, kView);
    preview(*subject, "preview, fit, exposure alone", light, 3, whole_at_fit);
    preview(*subject, "preview, fit, everything", all, 3, whole_at_fit);
    preview(*subject, "preview, fit, everything, turned", turned, 3, whole_at_fit);
    preview(*subject, "preview, 100 %, exposure alone", light, 0, at_100);
    preview(*subject, "preview, 100 %, everything", all, 0, at_100);
    preview(*subject, "preview, 100 %, everything, turned", turned, 0, at_100);
    Finish quiet = light, lateral = light, edges = light;
    quiet.detail.noise = 0.02;
    lateral.fringes = {.red = {0.001, 0}, .blue = {-0.001, 0}};
    edges.fringes.at_edges = 1;
    preview(*subject, "preview, 100 %, exposure and noise", quiet, 0, at_100);
    preview(*subject, "preview, 100 %, exposure and lateral fringes", lateral, 0, at_100);
    preview(*subject, "preview, 100 %, exposure and edge fringes", edges, 0, at_100);

    const fs::path jpeg = folder / "frame.jpg";
    write_picture(jpeg, grainy(CV_8UC3), {},
                  {.format = FileFormat::jpeg, .bits = 8, .overwrite = true, .made_with = {}}, {});
    Times decoding, writing, finishing, grounding;
    for (int i = 0; i < 3; ++i) {
        decoding.take([&] { read_picture(jpeg); });
        writing.take([&] {
            write_picture(folder / "plain.tif", merge, {}, {.overwrite = true, .made_with = {}}, {});
        });
        finishing.take([&] {
            const auto own = finish_subject(merge, {}, 1, {});
            std::ignore = write_output(folder / "finished.tif", finished(*own, all, {}), {}, {}, true, {});
        });
    }
    decoding.print("decoding a JPEG of 24 MP");
    writing.print("writing the plain TIFF, 16 bit");
    finishing.print("finishing everything and writing it");
    std::printf("handing over: %.2f times decoding and writing\n",
                finishing.at(0.5) / (decoding.at(0.5) + writing.at(0.5)));

    // A JPEG for a page, with what is said in it: against its encoding alone.
    const Picture eight = with_bits(merge, 8);
    Output page;
    page.format = FileFormat::jpeg, page.bits = 8;
    SaidInFile said;
    said.about.title = "bog cotton";
    Times encoding, plain, everything;
    for (int i = 0; i < 3; ++i) {
        encoding.take([&] {
            write_picture(folder / "alone.jpg", eight, {},
                          {.format = FileFormat::jpeg, .bits = 8, .overwrite = true, .made_with = {}}, {});
        });
        for (const bool finishes : {false, true})
            (finishes ? everything : plain).take([&] {
                const auto own = finish_subject(merge, {}, 1, {});
                std::ignore = write_output(folder / "page.jpg", finished(*own, finishes ? all : Finish{}, {}),
                                           page, said, true, {});
            });
    }
    encoding.print("encoding a JPEG of 24 MP");
    plain.print("handing it over as it was merged");
    everything.print("handing it over with everything finished");
    std::printf("a JPEG: %.2f times its encoding, %.2f with everything finished\n",
                plain.at(0.5) / encoding.at(0.5), everything.at(0.5) / encoding.at(0.5));
    return 0;
}
