// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/focus_depth.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <opencv2/imgproc.hpp>
#include <string>

#include "core/merge/accumulated.h"
#include "core/merge/band_energy.h"
#include "core/merge/frame_detail.h"
#include "core/picture/blur.h"
#include "core/picture/pyramid.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kBackdropReach = 16;        // px; what is never sharp over less is a smooth spot of the subject
constexpr int kMeeting = 6;               // px within which depths count as meeting
constexpr double kDepthQuietShare = 0.1;  // the least sharp places of a frame hold nothing but noise
constexpr double kLeastDepthNoise = 1e-9;
constexpr float kOutOfNoise = 3;  // times the noise: trust begins, full at twice that
constexpr float kCalm = 5,
                kNotCalm =
                    8;  // times the noise: below the first all that is seen is noise, above the second detail
constexpr float kQuiet = 20;           // times the noise: what stands out by less is hardly a peak
constexpr float kCoarserTrust = 0.8f;  // what coarser detail says about a place is worth less
/// A place whose energy is less than this share of what lies within a few pixels may only hold what blur
/// spread there.
constexpr float kSpreadFinest = 0.02f, kSpread = 0.1f;
constexpr double kFillSlope = 0.25;     // frames per blur width that the nearer side reaches out
constexpr double kBandFrequency = 1.5;  // rad per px of a Laplacian band, from memory: about its middle

/// What has still to be gathered to come from one sigma to a larger one.
double more(double sigma, double gathered) {
    return std::sqrt(std::max(0.0, sigma * sigma - gathered * gathered));
}

/// Lowers each value to the least of what its surroundings hold plus `slope` for each px of distance: a
/// chamfer transform in two passes. Source: Borgefors, "Distance Transformations in Digital Images", CVGIP
/// 34(3), 1986.
void lower_to_cones(cv::Mat1f& values, float slope) {
    const float diagonal = slope * 1.41421356f;
    auto pass = [&](int y, int x, int back) {
        float value = values(y, x);
        if (x - back >= 0 && x - back < values.cols) value = std::min(value, values(y, x - back) + slope);
        if (y - back >= 0 && y - back < values.rows) {
            value = std::min(value, values(y - back, x) + slope);
            if (x > 0) value = std::min(value, values(y - back, x - 1) + diagonal);
            if (x + 1 < values.cols) value = std::min(value, values(y - back, x + 1) + diagonal);
        }
        values(y, x) = value;
    };
    for (int y = 0; y < values.rows; ++y)
        for (int x = 0; x < values.cols; ++x) pass(y, x, 1);
    for (int y = values.rows - 1; y >= 0; --y)
        for (int x = values.cols - 1; x >= 0; --x) pass(y, x, -1);
}

/// The place among the frames read of the one that the settings choose for the backdrop.
/// @throws BadParameter when it is not among them.
int place_of_backdrop(const MergeSettings& settings, const AlignedFrames& frames,
                      const std::vector<int>& read) {
    const auto found = std::find_if(read.begin(), read.end(), [&](int place) {
        return frames.index(place) + 1 == settings.backdrop_frame;
    });
    if (found == read.end())
        throw BadParameter("the backdrop shall come from frame " + std::to_string(settings.backdrop_frame) +
                           ", which is not among the frames merged: choose another, or widen the range");
    return int(found - read.begin());
}

void clear_uncovered(cv::Mat1f& values, const Coverage& coverage, int level) {
    for (int y = 0; y < values.rows; ++y) {
        const RowSpan covered = coverage.row(y, level, values.cols);
        std::fill(values[y], values[y] + covered.begin, 0.0f);
        std::fill(values[y] + std::max(covered.begin, covered.end), values[y] + values.cols, 0.0f);
    }
}

}  // namespace

cv::Mat1b backdrop_of(const cv::Mat1f& trust, double trust_floor, int reach_px) {
    cv::Mat1b below = trust < trust_floor;
    const cv::Mat window = cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * reach_px + 1, 2 * reach_px + 1});
    cv::morphologyEx(below, below, cv::MORPH_OPEN, window);
    return below;
}

void check_backdrop(const MergeSettings& settings, const AlignedFrames& frames) {
    if (settings.backdrop_frame == 0) return;
    std::vector<int> all(std::size_t(frames.count()));
    std::iota(all.begin(), all.end(), 0);
    place_of_backdrop(settings, frames, all);
}

cv::Mat1f DepthMeasure::gathered(const std::vector<cv::Mat1f>& energies, std::size_t which,
                                 const Job& job) const {
    constexpr double before = FrameDetail::kGathered;
    if (which > 0) return gaussian_blur(energies[which], more(sigma_, before), job);
    // The finest size with what the next two hold: alone it tells of depth by its noise, too, and has too
    // little to tell where there is only coarser detail.
    cv::Mat1f sum = energies[0].clone();
    if (energies.size() > 2) sum += pyramid_up(energies[2], sum.size(), job);
    if (energies.size() > 1) sum += energies[1];
    return gaussian_blur(sum, more(sigma_ / 2, before / 2), job);
}

double DepthMeasure::noise_of(const PyramidBands& sizes, std::size_t which, const cv::Mat1f& gathered) {
    constexpr int kMean = 2;  // downsampled so often, the finest energy is gathered about as far
    const double quiet =
        quiet_energy(gathered, kDepthQuietShare, sizes.coverage, PyramidBands::level_of(which));
    if (which > 0) return quiet;
    // There may be no place left without coarse detail: noise is no more there than it is in the finest.
    const cv::Mat1f& finest = sizes.energy[0];
    cv::Mat1f means;
    cv::resize(finest, means,
               {(finest.cols + (1 << kMean) - 1) >> kMean, (finest.rows + (1 << kMean) - 1) >> kMean}, 0, 0,
               cv::INTER_AREA);
    return std::min(quiet, 3.0 * double(quiet_energy(means, kDepthQuietShare, sizes.coverage, 1 + kMean)));
}

void DepthMeasure::add_noise(const PyramidBands& sizes, NoiseFloor& noise, const Job& job) const {
    for (std::size_t i = 0; i < std::min(sizes.energy.size(), noise.bands()); ++i)
        noise.add(i, noise_of(sizes, i, gathered(sizes.energy, i, job)));
}

FocusDepth::FocusDepth(cv::Size size, double detail_size_px)
    : half_((size.width + 1) / 2, (size.height + 1) / 2), measure_(detail_size_px) {
    cv::Size here = half_;
    for (int i = 0; i < kDepthBands; ++i) {
        if (i > 1) here = {(here.width + 1) / 2, (here.height + 1) / 2};
        sizes_.emplace_back(here);
        if (std::min(here.width, here.height) < 12) break;
    }
}

void FocusDepth::add(const PyramidBands& sizes, const Job& job) {
    for (std::size_t i = 0; i < std::min(sizes_.size(), sizes.energy.size()); ++i) {
        const cv::Mat1f energy = measure_.gathered(sizes.energy, i, job.quiet());
        sizes_[i].add(energy, sizes.coverage, PyramidBands::level_of(i), job.quiet());
        noise_.add(i, DepthMeasure::noise_of(sizes, i, energy));
    }
    ++count_;
}

std::vector<double> FocusDepth::noise() const {
    std::vector<double> noise = known_noise_.empty() ? noise_.finish() : known_noise_;
    noise.resize(sizes_.size(), 0.0);
    for (double& own : noise) own = std::max(kLeastDepthNoise, own);
    return noise;
}

cv::Mat1f FocusDepth::so_far() const {
    const int step = std::max(1, half_.width / 1000);
    cv::Mat1f depth((half_.height + step - 1) / step, (half_.width + step - 1) / step);
    const std::vector<double> noises = noise();
    for_rows(depth.rows, {}, [&](int y) {
        for (int x = 0; x < depth.cols; ++x) {
            depth(y, x) = -1;
            // The finest size that stands out of the noise.
            for (std::size_t i = 0; i < sizes_.size(); ++i) {
                const int shift = std::max(0, int(i) - 1);
                const cv::Mat1f& strongest = sizes_[i].strongest();
                const cv::Point at(std::min((step * x) >> shift, strongest.cols - 1),
                                   std::min((step * y) >> shift, strongest.rows - 1));
                if (strongest(at) < 2 * kOutOfNoise * float(noises[i])) continue;
                depth(y, x) = float(sizes_[i].place(at));
                break;
            }
        }
    });
    return depth;
}

double FocusDepth::blur_px(const std::vector<double>& noises) const {
    // Blur of a width s takes exp(-s²ω²/4) of a band's energy at the frequency ω; here s one frame off the
    // peak. Sizes whose energy falls by about a half tell it best.
    double sum = 0, total = 0;
    for (std::size_t i = 0; i < sizes_.size(); ++i) {
        const SharpnessPeaks& peaks = sizes_[i];
        const auto noise = float(noises[i]);
        std::vector<float> falls;
        for (int y = 0; y < peaks.strongest().rows; y += 2)
            for (int x = 0; x < peaks.strongest().cols; x += 2) {
                const float best = peaks.strongest()(y, x), beside = peaks.beside(y, x);
                if (best > 30 * noise && beside > 0) falls.push_back((beside - noise) / (best - noise));
            }
        if (falls.size() < 50) continue;
        const auto middle = falls.begin() + long(falls.size() / 2);
        std::nth_element(falls.begin(), middle, falls.end());
        const double fall = std::clamp(double(*middle), 0.05, 0.98);
        // The finest is measured with the next two.
        const double omega = kBandFrequency / double(1 << std::max<std::size_t>(1, i));
        const double weight = std::sqrt(double(falls.size())) * std::exp(-std::pow((fall - 0.5) / 0.3, 2));
        sum += weight * std::log(2 * std::sqrt(-std::log(fall)) / omega);
        total += weight;
    }
    return total > 0 ? std::clamp(std::exp(sum / total), 0.2, 20.0) : 2;
}

DepthField FocusDepth::finish(double trust_floor, int reach_px, const Job& job,
                              const cv::Mat1s& highlights) const {
    DepthField field;
    const auto floor = float(trust_floor);
    const std::vector<double> noises = noise();
    for (std::size_t k = sizes_.size(); k-- > 0;) {
        const SharpnessPeaks& own = sizes_[k];
        const auto noise = float(noises[k]);
        const cv::Mat1f depth = own.depth(job.quiet()), pronounced = own.trust(job.quiet(), kQuiet * noise);
        const cv::Mat1f& strongest = own.strongest();
        cv::Mat1f around;
        const int reach = k == 0 ? 2 : 4;
        cv::dilate(strongest, around,
                   cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * reach + 1, 2 * reach + 1}));
        const float spread = k == 0 ? kSpreadFinest : kSpread;
        cv::Mat1f trust(depth.size()), weight(depth.size());
        for_rows(depth.rows, job.quiet(), [&](int y) {
            for (int x = 0; x < depth.cols; ++x) {
                const float best = strongest(y, x);
                const float out = std::clamp((best / noise - kOutOfNoise) / kOutOfNoise, 0.0f, 1.0f);
                const float own_energy =
                    std::clamp(2 * best / (spread * around(y, x) + 1e-12f) - 1, 0.0f, 1.0f);
                trust(y, x) = out * own_energy * pronounced(y, x);
                // Rises over a fifth around the floor, so that moving the floor moves no hard edge.
                weight(y, x) =
                    out * own_energy * std::clamp((pronounced(y, x) - floor) * 5 + 0.5f, 0.0f, 1.0f);
            }
        });
        if (k == 0) {
            field.calm = cv::Mat1f(depth.size());
            for_rows(depth.rows, job.quiet(), [&](int y) {
                for (int x = 0; x < depth.cols; ++x)
                    field.calm(y, x) =
                        std::clamp((kNotCalm - around(y, x) / noise) / (kNotCalm - kCalm), 0.0f, 1.0f);
            });
        }
        if (field.depth.empty()) {
            field.depth = fill_from_around(depth, weight, job.quiet());
            field.trust = trust;
            continue;
        }
        const bool same = field.depth.size() == depth.size();
        cv::Mat1f coarse = same ? field.depth : cv::Mat1f(pyramid_up(field.depth, depth.size(), job.quiet()));
        cv::Mat1f coarse_trust =
            same ? field.trust : cv::Mat1f(pyramid_up(field.trust, depth.size(), job.quiet()));
        for_rows(depth.rows, job.quiet(), [&](int y) {
            for (int x = 0; x < depth.cols; ++x) {
                coarse(y, x) = std::lerp(coarse(y, x), depth(y, x), weight(y, x));
                coarse_trust(y, x) = std::max(trust(y, x), kCoarserTrust * coarse_trust(y, x));
            }
        });
        field.depth = coarse, field.trust = coarse_trust;
    }
    cv::medianBlur(field.depth, field.depth, 5);
    field.blur_px = blur_px(noises);

    // What is not to be trusted: behind an edge the frames that show the edge sharp, since in those the near
    // side does not spread over it; elsewhere what lies around.
    cv::Mat1f weight(half_), near(half_);
    for_rows(half_.height, job.quiet(), [&](int y) {
        for (int x = 0; x < half_.width; ++x) {
            weight(y, x) = std::clamp((field.trust(y, x) - floor) * 5 + 0.5f, 0.0f, 1.0f);
            near(y, x) = weight(y, x) > 0.5f ? field.depth(y, x) : float(count_ - 1);
        }
    });
    const cv::Mat1f filled = fill_from_around(field.depth, weight, job.quiet());
    lower_to_cones(near, float(2 * kFillSlope / field.blur_px));  // planes are at half size
    for_rows(half_.height, job.quiet(), [&](int y) {
        for (int x = 0; x < half_.width; ++x)
            field.depth(y, x) =
                std::lerp(std::min(filled(y, x), near(y, x)), field.depth(y, x), weight(y, x));
    });
    cv::medianBlur(field.depth, field.depth, 3);
    for_rows(highlights.rows, job.quiet(), [&](int y) {
        for (int x = 0; x < half_.width; ++x)
            if (highlights(y, x) >= 0) field.depth(y, x) = float(highlights(y, x));
    });

    const int reach = std::max(1, reach_px / 2);
    const cv::Mat window = cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * reach + 1, 2 * reach + 1});
    cv::erode(field.depth, field.nearest, window);
    cv::dilate(field.depth, field.farthest, window);
    // Discs of highlights are the strongest detail around them: only the depth tells there.
    for_rows(highlights.rows, job.quiet(), [&](int y) {
        for (int x = 0; x < half_.width; ++x)
            if (highlights(y, x) != kNoHighlight)
                field.nearest(y, x) = field.farthest(y, x) = field.depth(y, x);
    });
    return field;
}

int detail_levels(cv::Size target) {
    constexpr int least_side = 12;
    return std::max(FrameDetail::kFine + 1, pyramid_levels(target, least_side));
}

PyramidBands pyramid_bands(const DownsampledFrame& frame, int levels, const Job& job) {
    PyramidBands sizes{{frame.luma}, {frame.fine_energy}, Coverage(frame.covered, frame.width)};
    for (int level = 1; level < levels; ++level) {
        const cv::Mat1f own = sizes.luma.back();
        sizes.luma.emplace_back(pyramid_down(own, job));
        sizes.energy.push_back(band_energy(own, sizes.luma.back(), FrameDetail::kGathered, job));
    }
    if (!sizes.coverage.is_all())
        for (std::size_t which = 0; which < sizes.energy.size(); ++which)
            clear_uncovered(sizes.energy[which], sizes.coverage, PyramidBands::level_of(which));
    return sizes;
}

Focus focus_of(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
               MergeResult& result, const std::function<void(const PyramidBands&)>& each, const Job& job) {
    const cv::Size size = frames.target().size();
    const int levels = detail_levels(size);
    FocusDepth depth(size, settings.detail_size_px);
    if (context.statistics && context.statistics->detail_size_px == settings.detail_size_px)
        depth.set_noise(context.statistics->depth_noise);
    std::optional<cv::Mat1s> known;
    if (context.statistics) known = context.statistics->highlights_in(frames.target());
    Highlights highlights(frames);
    Focus focus;
    for (int place = 0; place < frames.count(); ++place) {
        job.checkpoint(double(place) / frames.count());
        const auto frame = frames.open(place);
        if (!frame) {
            result.problems.push_back(frame.error());
            continue;
        }
        focus.read.push_back(place);
        // All sizes for who asks for them; for depth alone the finest will do.
        const PyramidBands sizes = pyramid_bands(frame->downsampled_luma(job.quiet()),
                                                 each ? levels : std::min(levels, kDepthBands), job.quiet());
        depth.add(sizes, job);
        if (!known) highlights.add(*frame, job.quiet());
        if (each) each(sizes);
        if (context.on_frame)
            context.on_frame([&] {
                cv::Mat1f places = depth.so_far();
                for (float& own : places) own = own < 0 ? 0 : series_number(own, frames, focus.read);
                return places;
            });
    }
    if (focus.read.empty())
        throw FileError(result.problems.empty() ? "there is no frame to merge" : result.problems[0].what);
    focus.noise = depth.noise();
    focus.highlights = known ? *known : highlights.frames(job.quiet());
    result.statistics.highlights = focus.highlights.clone();
    focus.field = depth.finish(settings.trust_floor, kMeeting, job, focus.highlights);
    if (settings.backdrop_frame > 0) {
        const auto place = float(place_of_backdrop(settings, frames, focus.read));
        const cv::Mat1b backdrop =
            backdrop_of(focus.field.trust, settings.trust_floor, kBackdropReach / 2);  // at half size
        for (cv::Mat1f* plane : {&focus.field.depth, &focus.field.nearest, &focus.field.farthest})
            plane->setTo(place, backdrop);
        focus.highlights.setTo(-1, backdrop);
    }
    return focus;
}

cv::Mat1f at_full_size(const cv::Mat1f& half, cv::Size size) {
    cv::Mat1f full(size);
    for_rows(size.height, {}, [&](int y) {
        for (int x = 0; x < size.width; ++x) full(y, x) = half(y / 2, x / 2);
    });
    return full;
}

}  // namespace moorhaze
