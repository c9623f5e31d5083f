// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/pyramid_merge.h"

#include <algorithm>
#include <cmath>

#include "core/merge/accumulated.h"
#include "core/merge/band_energy.h"
#include "core/merge/focus_depth.h"
#include "core/merge/frame_detail.h"
#include "core/merge/highlights.h"
#include "core/merge/light_bounds.h"
#include "core/picture/pyramid.h"
#include "core/work/for_rows.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
namespace {

/// A place's noise is learnt on every so many places across and down, by the share of a frame's places that
/// holds nothing else. What is no stronger is left alone: the mean of gathered noise is somewhat above that
/// quantile, but the noise of sizes that come from several frames adds up, which that of one frame partly
/// takes back.
constexpr int kSampled = 4;
constexpr double kNoiseQuantile = 0.16;
constexpr float kMeanNoise = 1;
/// Times the noise: what stands out by less than the first is grain, by more than the second all detail.
constexpr float kGrainRatio = 6, kDetailRatio = 20;

struct Level {
    cv::Mat3f detail;  ///< chosen so far
    cv::Mat1f energy;  ///< that it was chosen by
    cv::Mat1f own;     ///< its own energy
    cv::Mat1w source;  ///< its frame, from 1
};

/// The strongest of many frames' grain is stronger than one frame's: brought back to that.
/// @param noise  that it makes of a frame's energy.
void calm_grain(Level& level, float noise, const Job& job) {
    for_rows(level.own.rows, job, [&](int y) {
        const float* energy = level.own[y];
        cv::Vec3f* detail = level.detail[y];
        for (int x = 0; x < level.own.cols; ++x) {
            const float ratio = energy[x] / noise;
            if (ratio >= kDetailRatio || !(energy[x] > 0)) continue;
            const float calmed = std::min(1.0f, std::sqrt(kMeanNoise / ratio)),
                        share = std::clamp((ratio - kGrainRatio) / (kDetailRatio - kGrainRatio), 0.0f, 1.0f);
            detail[x] *= calmed + (1 - calmed) * share;
        }
    });
}

/// Takes the detail of a part of a row where it is stronger than what was chosen so far.
/// @param detail_of  gives the detail of a place.
template <class DetailOf>
void choose_row(Level& level, cv::Point from, int width, const DetailOf& detail_of, const float* energy,
                const float* own_energy, const uchar* covered, int number) {
    float* const strongest = level.energy[from.y] + from.x;
    cv::Vec3f* const detail = level.detail[from.y] + from.x;
    float* const own = level.own[from.y] + from.x;
    ushort* const source = level.source[from.y] + from.x;
    for (int x = 0; x < width; ++x) {
        if (!covered[x] || !(energy[x] > strongest[x])) continue;
        strongest[x] = energy[x];
        own[x] = own_energy[x];
        source[x] = ushort(number);
        detail[x] = detail_of(x);
    }
}

/// A frame's energies on every few places across and down, where it has pixels, for its noise.
class Samples {
  public:
    explicit Samples(cv::Size size)
        : values_((size.height + kSampled - 1) / kSampled, (size.width + kSampled - 1) / kSampled,
                  kNotCovered) {}
    void take(cv::Point from, int width, const float* energy, const uchar* covered) {
        if (from.y % kSampled != 0) return;
        for (int x = (kSampled - from.x % kSampled) % kSampled; x < width; x += kSampled)
            if (covered[x]) values_(from.y / kSampled, (from.x + x) / kSampled) = energy[x];
    }
    double noise() const {
        std::vector<float> seen;
        for (const float value : values_)
            if (value != kNotCovered) seen.push_back(value);
        return quiet_energy(seen, kNoiseQuantile);
    }

  private:
    static constexpr float kNotCovered = -1;
    cv::Mat1f values_;
};

/// Half the size: covered where the place itself is.
cv::Mat1b downsampled_cover(const cv::Mat1b& covered) {
    cv::Mat1b half((covered.rows + 1) / 2, (covered.cols + 1) / 2);
    for (int y = 0; y < half.rows; ++y)
        for (int x = 0; x < half.cols; ++x) half(y, x) = covered(2 * y, 2 * x);
    return half;
}

/// Light of a part of a row, where the frame has pixels.
void add_covered(const WarpedFrame& frame, cv::Point from, int width, const FineDetail& fine, int row,
                 LightBounds& bounds) {
    const RowSpan span = frame.covered()[std::size_t(from.y)];
    const int begin = std::max(span.begin, from.x), end = std::min(span.end, from.x + width);
    if (begin >= end) return;
    const float* light[3];
    for (int c = 0; c < 3; ++c) light[c] = fine.light(0, c, row) + (begin - from.x);
    bounds.add_row({begin, from.y}, end - begin, light);
}

/// What was chosen of the frames so far.
class Chosen {
  public:
    Chosen(cv::Size size, const MergeSettings& settings)
        : settings_(settings),
          blocks_(size),
          any_cover_(size, uchar(0)),
          bounds_(size, {Blocks::kBlock, Blocks::kBlock}) {
        sizes_ = {size};
        for (int level = 0; level < detail_levels(size); ++level) {
            const cv::Size own = sizes_.back();
            levels_.push_back({cv::Mat3f(own, cv::Vec3f(0, 0, 0)), cv::Mat1f(own, -1.0f),
                               cv::Mat1f(own, 0.0f), cv::Mat1w(own, ushort(0))});
            if (level >= FrameDetail::kFine) coarse_bounds_.emplace_back(own);
            sizes_.emplace_back((own.width + 1) / 2, (own.height + 1) / 2);
        }
        noise_ = NoiseFloor(levels_.size());
        base_ = cv::Mat3f(sizes_.back(), cv::Vec3f(0, 0, 0));
        base_weight_ = cv::Mat1f(sizes_.back(), 0.0f);
    }

    /// @param number  of the frame in the series, from 1.
    void add(const WarpedFrame& frame, int number, const Job& job) {
        ++frames_;
        Turn turn{frame, number, {}, {}};
        cv::Mat1b covered = coverage_of(frame.covered(), sizes_[0]);
        any_cover_ |= covered;
        for (const cv::Size size : sizes_) {
            turn.covers.push_back(covered);
            turn.samples.emplace_back(size);
            covered = downsampled_cover(covered);
        }
        const FrameDetail detail(frame, job.quiet());
        for_rows(blocks_.count(), job.quiet(), [&](int block) { choose_fine(turn, detail, blocks_[block]); });
        choose_coarse(turn, detail, job.quiet());
        for (std::size_t k = 0; k < levels_.size(); ++k) noise_.add(k, turn.samples[k].noise());
    }

    /// Linear light. What was chosen is used up but for the sources.
    cv::Mat3f finish(const Job& job) {
        for (int y = 0; y < base_.rows; ++y)
            for (int x = 0; x < base_.cols; ++x)
                if (base_weight_(y, x) > 0) base_(y, x) *= 1 / base_weight_(y, x);
        if (settings_.grain_guard && frames_ > 1) calm(job);
        cv::Mat3f merged = base_;
        for (std::size_t k = levels_.size(); k-- > 0;) {
            // The level's own memory holds the sum.
            cv::Mat3f& detail = levels_[k].detail;
            const UpsampledRows ground(merged, detail.size());
            for_rows(detail.rows, job.quiet(), [&](int y) {
                std::vector<float> below(std::size_t(detail.cols) * 3), scratch(std::size_t(merged.cols) * 3);
                ground.row(y, below.data(), scratch.data());
                float* const row = detail.ptr<float>(y);
                for (std::size_t i = 0; i < below.size(); ++i) row[i] += below[i];
            });
            merged = detail;
            if (settings_.glare_guard && k >= FrameDetail::kFine)
                coarse_bounds_[k - FrameDetail::kFine].hold(merged, job.quiet());
        }
        if (settings_.glare_guard) bounds_.hold(merged, job.quiet());
        return merged;
    }

    /// The frame of the detail that weighs most among the finest sizes; it needs twice the energy to be
    /// finer.
    cv::Mat1w sources(const Job& job) const {
        cv::Mat1w sources(sizes_[0]);
        const int looked_at = std::min(4, int(levels_.size()));
        for_rows(sources.rows, job, [&](int y) {
            for (int x = 0; x < sources.cols; ++x) {
                float most = -1;
                ushort number = 0;
                for (int k = 0; k < looked_at; ++k) {
                    const Level& level = levels_[std::size_t(k)];
                    const int v = std::min(y >> k, level.energy.rows - 1),
                              u = std::min(x >> k, level.energy.cols - 1);
                    const float energy = level.energy(v, u) / float(1 << k);
                    if (energy > most) most = energy, number = level.source(v, u);
                }
                sources(y, x) = any_cover_(y, x) ? number : ushort(0);
            }
        });
        return sources;
    }

    /// For MergeContext::on_frame. Of a quarter of the size: the finest choices are noise where a frame is
    /// not sharp.
    cv::Mat1f places_so_far() const {
        return small_places(levels_[std::min(std::size_t(2), levels_.size() - 1)].source);
    }

    const cv::Mat1b& any_cover() const { return any_cover_; }
    bool empty() const { return frames_ == 0; }

  private:
    /// The frame that is being added.
    struct Turn {
        const WarpedFrame& frame;
        int number;
        std::vector<cv::Mat1b> covers;  ///< at each size
        std::vector<Samples> samples;
    };

    void choose_fine(Turn& turn, const FrameDetail& detail, cv::Rect own) {
        const FineDetail& fine = detail.fine(own);
        std::vector<float> rows(3 * std::size_t(own.width));
        float* const colours[] = {rows.data(), rows.data() + own.width, rows.data() + 2 * own.width};
        for (std::size_t k = 0; k < FineDetail::kLevels; ++k, own = downsampled(own))
            for (int y = 0; y < own.height; ++y) {
                const cv::Point from(own.x, own.y + y);
                const uchar* const covered = turn.covers[k][from.y] + from.x;
                turn.samples[k].take(from, own.width, fine.own_energy(k, y), covered);
                // Most places of a frame are not the sharpest: their detail is not even worked out.
                bool is_there = false;
                choose_row(
                    levels_[k], from, own.width,
                    [&](int x) {
                        if (!is_there) fine.detail_row(k, y, colours);
                        is_there = true;
                        return cv::Vec3f(colours[0][x], colours[1][x], colours[2][x]);
                    },
                    fine.energy(k, y), fine.own_energy(k, y), covered, turn.number);
                if (k == 0 && settings_.glare_guard)
                    add_covered(turn.frame, from, own.width, fine, y, bounds_);
            }
    }

    void choose_coarse(Turn& turn, const FrameDetail& detail, const Job& job) {
        cv::Mat1f last_energy;
        const cv::Mat3f light = detail.coarse(
            int(levels_.size()), job,
            [&](int level, const cv::Mat3f& own, const UpsampledRows& ground, const cv::Mat1f& energy) {
                const auto k = std::size_t(level);
                for_rows(own.rows, job, [&](int y) {
                    std::vector<float> row;
                    turn.samples[k].take({0, y}, own.cols, energy[y], turn.covers[k][y]);
                    if (settings_.glare_guard)
                        coarse_bounds_[k - FrameDetail::kFine].add_row(y, own.cols, own[y]);
                    const float* below = nullptr;
                    choose_row(
                        levels_[k], {0, y}, own.cols,
                        [&](int x) {
                            if (!below) below = ground.row(y, row);
                            return own(y, x) - cv::Vec3f(below[3 * x], below[3 * x + 1], below[3 * x + 2]);
                        },
                        energy[y], energy[y], turn.covers[k][y], turn.number);
                });
                last_energy = energy;
            });
        const cv::Mat1f weight = pyramid_down(last_energy, job);
        for (int y = 0; y < base_.rows; ++y)
            for (int x = 0; x < base_.cols; ++x) {
                const float w = turn.covers.back()(y, x) ? weight(y, x) + 1e-9f : 0;
                base_(y, x) += w * light(y, x);
                base_weight_(y, x) += w;
            }
    }

    void calm(const Job& job) {
        const std::vector<double> noise = noise_.finish();
        for (std::size_t k = 0; k < levels_.size(); ++k)
            calm_grain(levels_[k], float(std::max(1e-12, noise[k])), job.quiet());
    }

    const MergeSettings& settings_;
    Blocks blocks_;
    std::vector<cv::Size> sizes_;  ///< of the levels and of the base
    std::vector<Level> levels_;
    cv::Mat3f base_;  ///< light of the coarsest size, times the weight
    cv::Mat1f base_weight_;
    cv::Mat1b any_cover_;
    LightBounds bounds_;
    std::vector<LightBounds> coarse_bounds_;  ///< of light at the sizes from kFine on
    NoiseFloor noise_{0};
    int frames_ = 0;
};

}  // namespace

MergeResult pyramid_merge(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                          const Job& job) {
    check(settings);
    const ReusedMemory memory;
    MergeResult result;
    result.method = "pyramid";
    result.settings = settings;
    result.area = frames.target();

    const cv::Size size = frames.target().size();
    Chosen chosen(size, settings);
    Highlights highlights(frames);
    std::vector<int> read;
    for (int place = 0; place < frames.count(); ++place) {
        job.checkpoint(0.95 * place / frames.count());
        const auto frame = frames.open(place);
        if (!frame) {
            result.problems.push_back(frame.error());
            continue;
        }
        chosen.add(*frame, frames.index(place) + 1, job);
        highlights.add(*frame, job.quiet());
        read.push_back(place);
        if (context.on_frame) context.on_frame([&] { return chosen.places_so_far(); });
    }
    if (chosen.empty())
        throw FileError(result.problems.empty() ? "there is no frame to merge" : result.problems[0].what);

    cv::Mat3f merged = chosen.finish(job);
    result.source = chosen.sources(job.quiet());
    const cv::Mat1s of_highlights = highlights.frames(job.quiet());
    for (FrameProblem& problem : lay_highlights(of_highlights, read, frames, merged, result.source, job))
        result.problems.push_back(std::move(problem));
    result.picture = finished_picture(merged, chosen.any_cover(), frames);
    result.source.convertTo(result.depth, CV_32F);
    result.made_by = made_by_plane(result.source, job.quiet(), [&](int x, int y) {
        return of_highlights(y / 2, x / 2) >= 0 ? MadeBy::highlight : MadeBy::pyramid;
    });
    job.checkpoint(1);
    return result;
}

}  // namespace moorhaze
