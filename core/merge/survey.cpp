#include "core/merge/survey.h"

#include <algorithm>

#include "core/merge/band_energy.h"
#include "core/picture/pyramid.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
namespace {

/// Movement is looked for in pictures halved at least so often, and until they are so small: all frames' are
/// held at once.
constexpr int kLeastHalvings = 3;
constexpr int kSmallPixels = 200'000;
constexpr float kSmallNoise = 0.002f;  // perceptual luma of those
constexpr double kNoiseShare = 0.16;   // of a frame's places hold nothing but noise
constexpr double kLeastNoise = 1e-9;

}  // namespace

Surveyor::Surveyor(PixelRect area, int levels)
    : area_(area), halvings_(std::min(levels, kLeastHalvings)), noise_(std::size_t(levels), 0.0) {
    while (halvings_ < levels && (area.area() >> (2 * halvings_)) > kSmallPixels) ++halvings_;
}

void Surveyor::add(const DetailSizes& sizes, const Job& job) {
    for (std::size_t k = 0; k < noise_.size(); ++k)
        noise_[k] += quiet_energy(sizes.energy[k], kNoiseShare, sizes.coverage, DetailSizes::level_of(k));
    light_.emplace_back(sizes.luma[std::size_t(halvings_ - 1)].clone());
    cv::Mat pooled = sizes.energy[0];
    for (int i = 1; i < halvings_; ++i) pooled = pyramid_down(pooled, job);
    sharpness_.emplace_back(pooled);
}

MergeSurvey Surveyor::finish(std::vector<double> depth_noise, double detail_size_px, const Job& job) const {
    MergeSurvey survey;
    survey.detail_size_px = detail_size_px;
    survey.area = area_;
    survey.halvings = halvings_;
    survey.depth_noise = std::move(depth_noise);
    for (std::size_t k = 0; k < noise_.size(); ++k) {
        survey.noise.push_back(std::max(kLeastNoise, noise_[k] / double(light_.size())));
        // Coarse detail holds hardly any noise, but there may be no place left without detail.
        if (k > 1) survey.noise[k] = std::min(survey.noise[k], survey.noise[1]);
    }
    survey.moved = find_moved_parts(light_, sharpness_, kSmallNoise, job);
    return survey;
}

MergeSurvey survey_frames(AlignedFrames& frames, const MergeSettings& settings, const Job& job) {
    const ReusedMemory memory;
    const cv::Size size = frames.target().size();
    const int levels = detail_levels(size);
    Surveyor surveyor(frames.target(), levels);
    const DepthMeasure measure(settings.detail_size_px);
    std::vector<double> depth_noise;
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
        const DetailSizes sizes = detail_sizes(frame->half_luma(job.quiet()), levels, job.quiet());
        surveyor.add(sizes, job.quiet());
        measure.add_noise(sizes, depth_noise, job.quiet());
    }
    if (read == 0) throw FileError(trouble);
    for (double& noise : depth_noise) noise /= read;
    return surveyor.finish(depth_noise, settings.detail_size_px, job.quiet());
}

}  // namespace moorhaze
