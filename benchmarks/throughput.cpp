// SPDX-License-Identifier: GPL-3.0-or-later
// Megapixels per second of each step, and what a whole merge costs against decoding the same files.
//   moorhaze-benchmarks FRAMES...                 a series of your own
//   moorhaze-benchmarks --demo FOLDER [--scale K] a demo series, enlarged K times (4: 24 megapixels)
#include <sys/resource.h>

#include <chrono>
#include <cstdio>
#include <cstring>
#include <opencv2/imgproc.hpp>

#include "core/align/common_area.h"
#include "core/align/measure_series.h"
#include "core/focus/profile_frames.h"
#include "core/focus/series_report.h"
#include "core/mend/snags.h"
#include "core/merge/merge.h"
#include "core/merge/quick_merge.h"
#include "core/work/for_rows.h"

namespace {

using namespace moorhaze;

template <class Work>
double seconds_of(const Work& work) {
    const auto begin = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
}

/// Enlarged copies of a series, so that real detail is looked for at real sizes.
std::vector<std::filesystem::path> enlarged(const std::filesystem::path& folder, int scale,
                                            const std::filesystem::path& to) {
    std::filesystem::create_directories(to);
    const Series series = open_series({folder}, {}).series;
    std::vector<std::filesystem::path> files;
    for (const Frame& frame : series.frames) {
        Picture picture = read_picture(frame.path);
        cv::resize(picture.pixels, picture.pixels, {}, scale, scale, cv::INTER_CUBIC);
        WriteSettings settings;
        settings.format = FileFormat::jpeg;
        settings.bits = 8;
        settings.jpeg_quality = 92;
        settings.overwrite = true;
        files.push_back(to / frame.path.filename());
        write_picture(files.back(), picture, frame.info.shooting, settings, {});
    }
    return files;
}

void print(const char* step, double seconds, double megapixels, double decode_seconds) {
    std::printf("%-22s %8.2f s %9.1f MP/s %8.2f x decode\n", step, seconds, megapixels / seconds,
                seconds / decode_seconds);
    std::fflush(stdout);
}

}  // namespace

int main(int argc, char** argv) {
    std::vector<std::filesystem::path> files;
    std::filesystem::path scratch;
    bool only_cull = false;
    if (argc >= 3 && !std::strcmp(argv[1], "--demo")) {
        const int scale = argc >= 5 && !std::strcmp(argv[3], "--scale") ? std::atoi(argv[4]) : 1;
        scratch = std::filesystem::temp_directory_path() / "moorhaze-benchmark";
        files = enlarged(argv[2], scale, scratch);
    } else {
        for (int i = 1; i < argc; ++i)
            if (!std::strcmp(argv[i], "--cull"))
                only_cull = true;
            else
                files.emplace_back(argv[i]);
    }
    if (files.empty()) {
        std::fprintf(stderr, "usage: moorhaze-benchmarks [--cull] FRAMES... | --demo FOLDER [--scale K]\n");
        return 2;
    }
    try {
        const Series series = open_series(files, {}).series;
        const double megapixels = 1e-6 * series.size().area() * series.count();
        std::printf("%d frames of %dx%d, %.0f megapixels\n", series.count(), series.size().width,
                    series.size().height, megapixels);
        // Once beforehand, so that the files are in the system's cache; then on all cores, a file each.
        auto decode_all = [&] {
            for_rows(series.count(), {}, [&](int i) { read_picture(series.frames[std::size_t(i)].path); });
        };
        decode_all();
        const double decode = seconds_of(decode_all);
        print("decode", decode, megapixels, decode);
        PreviewShelf shelf(series.count());
        SeriesProfile profile;
        SeriesReport report;
        const auto keep = [&](int frame, const FrameLook& look) { shelf.put(frame, look.preview); };
        std::vector<FocusProfile> profiles;
        const double looks =
            seconds_of([&] { profiles = profile_frames(series, nullptr, nullptr, keep, {}).profiles; });
        print("profile", looks, megapixels, decode);
        const double judged = seconds_of([&] { report = report_on(series, profiles, {}); });
        print("order, faults, gaps", judged, megapixels, decode);
        profile = report.whole;
        std::unique_ptr<const QuickMerge> quick;
        const double laid = seconds_of([&] {
            quick = std::make_unique<const QuickMerge>(shelf.pictures(),
                                                       register_previews(shelf.pictures(), {}), Job{});
        });
        print("previews laid over", laid, megapixels, decode);
        print("quick merge of all", seconds_of([&] { quick->merge(series.chosen(), {}); }), megapixels,
              decode);
        const ProfileCache cache(std::filesystem::temp_directory_path() / "moorhaze-benchmark-looks");
        profile_frames(series, &cache, nullptr, {}, {});
        print("profile, seen before", seconds_of([&] { profile_frames(series, &cache, nullptr, keep, {}); }),
              megapixels, decode);
        std::filesystem::remove_all(cache.folder());
        rusage so_far{};
        getrusage(RUSAGE_SELF, &so_far);
        std::printf("peak memory so far %.0f MB\n", double(so_far.ru_maxrss) / 1024);
        if (only_cull) return 0;
        SeriesGeometry geometry;
        const double align =
            seconds_of([&] { geometry = register_series(series, profile.suggested_reference, {}); });
        print("align", align, megapixels, decode);
        const std::vector<int> chosen = series.chosen();
        const PixelRect area = common_area(geometry, chosen, series.size());
        print("lay over (resample)", seconds_of([&] {
                  AlignedFrames frames(series, geometry, chosen, area);
                  for (int i = 0; i < frames.count(); ++i) frames.load(i, {}).value();
              }),
              megapixels, decode);
        for (const MergeMethod& method : merge_methods()) {
            MergeResult result;
            const double merge = seconds_of([&] {
                AlignedFrames frames(series, geometry, chosen, area);
                result = method.merge(frames, {}, {}, {});
            });
            print(("merge, " + method.name).c_str(), merge, megapixels, decode);
            print(("align + " + method.name).c_str(), align + merge, megapixels, decode);
            const double snags = seconds_of([&] {
                AlignedFrames frames(series, geometry, chosen, area);
                find_snags(result, frames, {}, {});
            });
            print(("snags, " + method.name).c_str(), snags, megapixels, decode);
        }
        rusage usage{};
        getrusage(RUSAGE_SELF, &usage);
        std::printf("peak memory %.0f MB\n", double(usage.ru_maxrss) / 1024);
    } catch (const std::exception& error) {
        std::fprintf(stderr, "moorhaze-benchmarks: %s\n", error.what());
        return 1;
    }
    if (!scratch.empty()) std::filesystem::remove_all(scratch);
    return 0;
}
