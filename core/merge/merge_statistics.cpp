// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/merge_statistics.h"

#include <algorithm>

#include "core/merge/band_energy.h"
#include "core/picture/pyramid.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
namespace {

/// Movement is looked for in pictures downsampled at least so often, and until they are so small: all frames'
/// are held at once.
constexpr int kLeastDownsamplings = 3;
constexpr int kSmallPixels = 200'000;
constexpr float kSmallNoise = 0.002f;  // perceptual luma of those
constexpr double kNoiseShare = 0.16;   // of a frame's places hold nothing but noise
constexpr double kLeastNoise = 1e-9;

}  // namespace

StatisticsGatherer::StatisticsGatherer(PixelRect area, int levels)
    : area_(area), downsamplings_(std::min(levels, kLeastDownsamplings)), noise_(std::size_t(levels)) {
    while (downsamplings_ < levels && (area.area() >> (2 * downsamplings_)) > kSmallPixels) ++downsamplings_;
}

void StatisticsGatherer::add(const PyramidBands& sizes, const Job& job) {
    for (std::size_t k = 0; k < noise_.bands(); ++k)
        noise_.add(k, quiet_energy(sizes.energy[k], kNoiseShare, sizes.coverage, PyramidBands::level_of(k)));
    light_.emplace_back(sizes.luma[std::size_t(downsamplings_ - 1)].clone());
    cv::Mat pooled = sizes.energy[0];
    for (int i = 1; i < downsamplings_; ++i) pooled = pyramid_down(pooled, job);
    sharpness_.emplace_back(pooled);
}

MergeStatistics StatisticsGatherer::finish(std::vector<double> depth_noise, double detail_size_px,
                                           const Job& job) const {
    MergeStatistics statistics;
    statistics.detail_size_px = detail_size_px;
    statistics.area = area_;
    statistics.downsamplings = downsamplings_;
    statistics.depth_noise = std::move(depth_noise);
    statistics.noise = noise_.finish();
    for (double& noise : statistics.noise) noise = std::max(kLeastNoise, noise);
    statistics.moved = find_moved_parts(light_, sharpness_, kSmallNoise, job);
    return statistics;
}

MergeStatistics gather_statistics(AlignedFrames& frames, const MergeSettings& settings, const Job& job) {
    const ReusedMemory memory;
    const cv::Size size = frames.target().size();
    const int levels = detail_levels(size);
    StatisticsGatherer gatherer(frames.target(), levels);
    Highlights highlights(frames);
    const DepthMeasure measure(settings.detail_size_px);
    NoiseFloor depth_noise(kDepthBands);
    std::string trouble = "there is no frame to merge";
    int read = 0;
    for (int place = 0; place < frames.count(); ++place) {
        job.checkpoint(double(place) / frames.count());
        const auto frame = frames.open(place);
        if (!frame) {
            trouble = frame.error().what;
            continue;
        }
        ++read;
        const PyramidBands sizes = pyramid_bands(frame->downsampled_luma(job.quiet()), levels, job.quiet());
        gatherer.add(sizes, job.quiet());
        measure.add_noise(sizes, depth_noise, job.quiet());
        highlights.add(*frame, job.quiet());
    }
    if (read == 0) throw FileError(trouble);
    MergeStatistics statistics = gatherer.finish(depth_noise.finish(), settings.detail_size_px, job.quiet());
    statistics.highlights = highlights.frames(job.quiet());
    return statistics;
}

}  // namespace moorhaze
