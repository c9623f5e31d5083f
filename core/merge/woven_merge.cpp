// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/woven_merge.h"

#include <algorithm>
#include <array>
#include <cfloat>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <optional>
#include <vector>

#include "core/merge/accumulated.h"
#include "core/merge/focus_depth.h"
#include "core/merge/frame_detail.h"
#include "core/merge/light_bounds.h"
#include "core/merge/merge_statistics.h"
#include "core/merge/woven_rows.h"
#include "core/picture/blur.h"
#include "core/picture/pyramid.h"
#include "core/work/for_rows.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
namespace {

/// Times the noise: what stands out by less is chosen by depth alone, so that grain is averaged, not chosen.
constexpr float kGrainGuarded = 20, kGrainUnguarded = 2;
/// Frames before and after the depth that take part where nothing but noise is seen.
constexpr float kCalmFrames = 5;
/// No depths meet where depth changes within so many px by less than so many frames; by twice as much and
/// more they do.
constexpr int kAlikeReach = 8;
constexpr float kAlike = 2;
constexpr double kAlikePassing = 3;  // px, sigma

/// What the first pass leaves.
struct Measured {
    Focus focus;
    MergeStatistics statistics;
    PixelRect target;
};

/// One pyramid level.
struct Woven {
    std::optional<WovenSums> sums;
    cv::Size size;
    cv::Mat1f nearest, farthest;  ///< frames that may contribute
};

/// Rows that a thread works in; as long as the longest that it has had.
struct RowScratch {
    std::vector<float> nearest, farthest, share, weight, ground;
    std::array<std::vector<float>, 3> detail;
    std::vector<ushort> source;

    void hold(int width) {
        const auto count = static_cast<std::size_t>(width);
        if (count <= share.size()) return;
        for (auto* row : {&nearest, &farthest, &share, &weight, &detail[0], &detail[1], &detail[2]})
            row->resize(count);
        source.resize(count);
    }
    static RowScratch& of_thread(int width) {
        static thread_local RowScratch own;
        own.hold(width);
        return own;
    }
};

Measured measure(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                 int levels, MergeResult& result, const Job& job) {
    Measured measured;
    measured.target = frames.target();
    const bool known = context.statistics && !context.statistics->noise.empty();
    StatisticsGatherer gatherer(frames.target(), levels);
    const auto take_in = [&](const PyramidBands& sizes) { gatherer.add(sizes, job.quiet()); };
    measured.focus = focus_of(frames, settings, context, result,
                              known ? std::function<void(const PyramidBands&)>() : take_in, job);
    measured.statistics = known ? *context.statistics
                                : gatherer.finish(measured.focus.noise, settings.detail_size_px, job.quiet());
    if (!measured.statistics.highlights) measured.statistics.highlights = result.statistics.highlights;
    return measured;
}

/// The frames that may contribute at each size: those of the depths that meet, no other state of a part that
/// moved.
void choose_frames(Measured& measured, const MergeSettings& settings, std::vector<Woven>& woven,
                   const Job& job) {
    DepthField& field = measured.focus.field;
    const MovedParts& moved = measured.statistics.moved;
    if (moved.any())
        for_rows(field.depth.rows, job, [&](int y) {
            for (int x = 0; x < field.depth.cols; ++x) {
                const cv::Point at = measured.statistics.in_moved(measured.target, {x, y}, 1);
                const auto first = float(moved.first(at)), last = float(moved.last(at));
                for (cv::Mat1f* plane : {&field.depth, &field.nearest, &field.farthest})
                    (*plane)(y, x) = std::clamp((*plane)(y, x), first, last);
            }
        });
    cv::Mat1f nearest = field.nearest, farthest = field.farthest;
    for (std::size_t k = 0; k < woven.size(); ++k) {
        const cv::Size size = woven[k].size;
        if (k > 1) {
            // A coarse place holds what all of its finer ones do.
            cv::Mat1f low, high, near(size), far(size);
            cv::erode(nearest, low, cv::Mat());  // 3×3
            cv::dilate(farthest, high, cv::Mat());
            for (int y = 0; y < size.height; ++y)
                for (int x = 0; x < size.width; ++x)
                    near(y, x) = low(2 * y, 2 * x), far(y, x) = high(2 * y, 2 * x);
            nearest = near, farthest = far;
        }
        woven[k].nearest = nearest, woven[k].farthest = farthest;  // the finest two share those at half size
    }
    // Where all of the fine detail is noise, more frames take part in it: noise is averaged.
    if (!settings.grain_guard) return;
    woven[0].nearest = woven[1].nearest = field.nearest - kCalmFrames * field.calm;
    woven[0].farthest = woven[1].farthest = field.farthest + kCalmFrames * field.calm;
}

class Accumulator {
  public:
    Accumulator(Measured& measured, const AlignedFrames& frames, int levels, const MergeSettings& settings,
                const Job& job)
        : measured_(measured),
          settings_(settings),
          blocks_(frames.target().size()),
          bounds_(frames.target().size(), {Blocks::kBlock, Blocks::kBlock}),
          any_cover_(frames.target().size(), uchar(0)),
          source_(frames.target().size(), ushort(0)) {
        cv::Size size = frames.target().size();
        for (int level = 0; level < levels; ++level) {
            const cv::Size block = level < FrameDetail::kFine
                                       ? cv::Size(Blocks::kBlock >> level, Blocks::kBlock >> level)
                                       : size;
            woven_.push_back({WovenSums(size, block), size, {}, {}});
            if (level >= FrameDetail::kFine) coarse_bounds_.emplace_back(size);
            size = {(size.width + 1) / 2, (size.height + 1) / 2};
        }
        const cv::Size quarter = woven_[FrameDetail::kFine].size;
        plain_ = cv::Mat3f(quarter, cv::Vec3f(0, 0, 0));
        plain_weight_ = cv::Mat1f(quarter, 0.0f);
        rest_ = cv::Mat3f(size, cv::Vec3f(0, 0, 0));
        rest_weight_ = cv::Mat1f(size, 0.0f);
        choose_frames(measured_, settings_, woven_, job.quiet());
        find_parts(frames, job.quiet());
        find_meeting(job.quiet());
    }

    /// @param place  of the frame among those read;  @param number  of the frame in the series, from 1.
    void add(const WarpedFrame& frame, int place, int number, const Job& job) {
        cover(frame);
        const FrameDetail sizes(frame, job.quiet());
        const Turn turn{frame, place, ushort(number)};
        for_rows(blocks_.count(), job.quiet(), [&](int block) {
            const cv::Rect own = taking_part(blocks_[block], place);
            if (!own.empty()) add_fine(turn, sizes.fine(own), own);
        });
        cv::Mat1f last_weight;
        const cv::Mat3f light = sizes.coarse(
            int(woven_.size()), job.quiet(),
            [&](int level, const cv::Mat3f& own, const UpsampledRows& ground, const cv::Mat1f& energy) {
                last_weight = cv::Mat1f(own.size());
                for_rows(own.rows, job.quiet(), [&](int y) {
                    add_coarse_row(turn, level, y, own, ground, energy[y], last_weight[y]);
                });
            });
        const cv::Mat1f weight = pyramid_down(last_weight, job.quiet());
        const float little = kEveryFrame * cubed(grain_at(int(woven_.size()) - 1));
        for (int y = 0; y < rest_.rows; ++y)
            for (int x = 0; x < rest_.cols; ++x) {
                const float w = std::max(0.0f, weight(y, x)) + little;
                rest_(y, x) += w * light(y, x);
                rest_weight_(y, x) += w;
            }
    }

    cv::Mat3f finish(const Job& job) {
        for (int y = 0; y < rest_.rows; ++y)
            for (int x = 0; x < rest_.cols; ++x) rest_(y, x) *= 1 / rest_weight_(y, x);
        cv::Mat3f merged = rest_;
        for (int level = int(woven_.size()) - 1; level >= 0; --level) {
            Woven& own = woven_[std::size_t(level)];
            merged = pyramid_up(merged, own.size, job.quiet());
            const float grain = grain_at(level);
            const int across = own.sums->block().width;
            for_rows(merged.rows, job.quiet(), [&](int y) {
                for (int x = 0; x < merged.cols; x += across)
                    restore_contrast_row(own.sums->row({x, y}), grain, merged.ptr<float>(y) + 3 * x,
                                         std::min(across, merged.cols - x));
            });
            own.sums.reset();
            if (level >= FrameDetail::kFine && settings_.glare_guard)
                coarse_bounds_[std::size_t(level - FrameDetail::kFine)].hold(merged, job.quiet());
            if (level == FrameDetail::kFine) replace_by_plain(merged, job.quiet());
        }
        if (settings_.glare_guard) bounds_.hold(merged, job.quiet());
        return merged;
    }

    const cv::Mat1b& any_cover() const { return any_cover_; }
    /// The frame of the strongest fine detail, of the depth where there is none: noise chooses no frame.
    cv::Mat1w source(const AlignedFrames& frames, const Job& job) const {
        const DepthField& field = measured_.focus.field;
        cv::Mat1w source = source_;
        if (settings_.grain_guard)
            for_rows(source.rows, job, [&](int y) {
                for (int x = 0; x < source.cols; ++x) {
                    if (source(y, x) == 0 || field.calm(y / 2, x / 2) < 0.5f) continue;
                    const std::vector<int>& read = measured_.focus.read;
                    const long place = std::lround(field.depth(y / 2, x / 2));
                    source(y, x) = ushort(frames.index(read[std::size_t(place)]) + 1);
                }
            });
        return source;
    }

    /// Before finish() or after it.
    cv::Mat1b made_by(const Job& job) const {
        const cv::Mat1f& trust = measured_.focus.field.trust;
        const MergeStatistics& statistics = measured_.statistics;
        const int all = int(measured_.focus.read.size()) - 1;
        const auto floor = float(settings_.trust_floor);
        return made_by_plane(source_, job, [&](int x, int y) {
            if (statistics.moved.any()) {
                const cv::Point at = statistics.in_moved(measured_.target, {x, y}, 0);
                if (statistics.moved.first(at) > 0 || statistics.moved.last(at) < all)
                    return MadeBy::one_state;
            }
            if (measured_.focus.highlights(y / 2, x / 2) >= 0) return MadeBy::highlight;
            if (meeting_(y / 4, x / 4) > 0.5f) return MadeBy::pyramid;
            return trust(y / 2, x / 2) < floor ? MadeBy::backdrop : MadeBy::depth_map;
        });
    }

  private:
    static constexpr float kEveryFrame = 1e-9f;  // where no frame of the depth around reaches

    /// The frame that is being added.
    struct Turn {
        const WarpedFrame& frame;
        int place;
        ushort number;
    };
    static float little_of(const Turn& turn) { return turn.frame.covers_all() ? 0 : kEveryFrame; }
    static float cubed(float value) { return value * value * value; }
    float slack() const { return 0.7f + 0.25f * float(settings_.seam_width_px); }
    float grain_at(int level) const {
        return (settings_.grain_guard ? kGrainGuarded : kGrainUnguarded) *
               float(FrameDetail::summed_noise(measured_.statistics.noise, level));
    }

    static constexpr int kCell = 16;  ///< px; the frames that contribute are known for so small squares

    /// Which frames contribute in each cell's fine detail: those of its depths, or all where one leaves
    /// pixels out.
    void find_parts(const AlignedFrames& frames, const Job& job) {
        const cv::Size size = source_.size();
        above_ = cv::Mat1f((size.height + kCell - 1) / kCell, (size.width + kCell - 1) / kCell);
        below_ = cv::Mat1f(above_.size());
        const auto cell = [&](int x, int y) {
            return cv::Rect(x * kCell, y * kCell, kCell, kCell) & cv::Rect({}, size);
        };
        for_rows(above_.rows, job, [&](int y) {
            for (int x = 0; x < above_.cols; ++x) {
                double nearest = 0, farthest = 0;
                cv::minMaxLoc(woven_[0].nearest(downsampled(cell(x, y))), &nearest, nullptr);
                cv::minMaxLoc(woven_[0].farthest(downsampled(cell(x, y))), nullptr, &farthest);
                above_(y, x) = float(nearest) - slack(), below_(y, x) = float(farthest) + slack();
            }
        });
        for (const int place : measured_.focus.read) {
            const std::vector<RowSpan> covered = frames.covered(place);
            if (moorhaze::covers_all(covered, size.width)) continue;
            for_rows(above_.rows, job, [&](int y) {
                for (int x = 0; x < above_.cols; ++x) {
                    const cv::Rect own = cell(x, y);
                    for (int row = own.y; row < own.br().y; ++row)
                        if (covered[std::size_t(row)].begin > own.x ||
                            covered[std::size_t(row)].end < own.br().x)
                            above_(y, x) = -1, below_(y, x) = FLT_MAX;
                }
            });
        }
    }

    /// The smallest part of a block that holds all of the cells in which a frame contributes.
    cv::Rect taking_part(cv::Rect block, int place) const {
        cv::Rect part;
        for (int y = block.y / kCell; y * kCell < block.br().y; ++y)
            for (int x = block.x / kCell; x * kCell < block.br().x; ++x)
                if (float(place) > above_(y, x) && float(place) < below_(y, x))
                    part |= cv::Rect(x * kCell, y * kCell, kCell, kCell);
        return part & block;
    }

    /// A pyramid carries light over depth edges, the further the coarser the detail. Where no depths meet,
    /// what is coarser than the fine detail comes from the frames of the depth; likewise where no depth is
    /// trusted.
    void find_meeting(const Job& job) {
        const cv::Mat1f& depth = measured_.focus.field.depth;
        constexpr int reach = kAlikeReach / 2;  // the plane is at half size
        const cv::Mat window = cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * reach + 1, 2 * reach + 1});
        cv::Mat1f low, high, trusted;
        cv::erode(depth, low, window);
        cv::dilate(depth, high, window);
        cv::dilate(measured_.focus.field.trust, trusted, window);
        plain_depth_ = cv::Mat1f(plain_.size()), meeting_ = cv::Mat1f(plain_.size());
        for_rows(plain_.rows, job, [&](int y) {
            for (int x = 0; x < plain_.cols; ++x) {
                const cv::Point at(2 * x, 2 * y);
                plain_depth_(y, x) = depth(at);
                meeting_(y, x) =
                    std::clamp((high(at) - low(at)) / kAlike - 1, 0.0f, 1.0f) *
                    std::clamp((trusted(at) - float(settings_.trust_floor)) * 5 + 0.5f, 0.0f, 1.0f);
            }
        });
        meeting_ = gaussian_blur(meeting_, kAlikePassing / 4, job);
    }

    void replace_by_plain(cv::Mat3f& merged, const Job& job) {
        for_rows(merged.rows, job, [&](int y) {
            replace_by_plain_row(plain_.ptr<float>(y), plain_weight_[y], meeting_[y], merged.ptr<float>(y),
                                 merged.cols);
        });
    }

    void cover(const WarpedFrame& frame) {
        if (frame.covers_all()) {
            if (!all_covered_) any_cover_.setTo(255);
            all_covered_ = true;
            return;
        }
        if (!all_covered_) any_cover_ |= coverage_of(frame.covered(), any_cover_.size());
    }

    /// The frames that may contribute to a part of a row.
    struct Range {
        const float *nearest, *farthest;
    };
    Range range_of(int level, cv::Point from, int width, RowScratch& scratch) const {
        const Woven& own = woven_[std::size_t(level)];
        if (level > 0) return {own.nearest[from.y] + from.x, own.farthest[from.y] + from.x};
        // Known at half size; a block begins at a multiple of 4.
        const float *const near = own.nearest[from.y / 2] + from.x / 2, *const far =
                                                                            own.farthest[from.y / 2] +
                                                                            from.x / 2;
        for (int x = 0; x < width; ++x)
            scratch.nearest[std::size_t(x)] = near[x / 2], scratch.farthest[std::size_t(x)] = far[x / 2];
        return {scratch.nearest.data(), scratch.farthest.data()};
    }

    /// How far a frame may contribute to a part of a row, and with what weight.
    void weigh(const Turn& turn, int level, cv::Point from, int width, const float* energy, float* share,
               float* weight, RowScratch& scratch) const {
        const Range range = range_of(level, from, width, scratch);
        weigh_row(range.nearest, range.farthest, energy, float(turn.place), slack(), grain_at(level), share,
                  weight, width);
        mask_out(turn, level, from, width, energy, share, weight);
    }

    /// Adds a part of a row of a frame's detail of one size, where it has weight.
    /// @param detail  writes the row's detail, colour by colour.
    template <class Detail>
    void add(const Turn& turn, int level, cv::Point from, int width, const float* energy, const float* weight,
             RowScratch& scratch, const Detail& detail) {
        // Most places of a frame have no part in the result.
        int begin = 0, end = width;
        while (begin < end && !(weight[begin] > 0)) ++begin;
        while (begin < end && !(weight[end - 1] > 0)) --end;
        if (begin == end) return;
        std::array<float*, 3> colours{};
        for (std::size_t c = 0; c < 3; ++c) colours[c] = scratch.detail[c].data();
        detail(colours.data());
        const FrameRow row{{colours[0] + begin, colours[1] + begin, colours[2] + begin},
                           weight + begin,
                           scratch.share.data() + begin,
                           energy + begin};
        const WovenSums::Row sums = woven_[std::size_t(level)].sums->row({from.x + begin, from.y});
        add_row(row, grain_at(level), sums, end - begin);
        keep_strongest_row(row, little_of(turn), turn.number, sums.strongest,
                           level > 0 ? scratch.source.data() : source_[from.y] + from.x + begin, end - begin);
    }

    void add_fine(const Turn& turn, const FineDetail& fine, cv::Rect own) {
        RowScratch& scratch = RowScratch::of_thread(own.width);
        for (std::size_t k = 0; k < FineDetail::kLevels; ++k, own = downsampled(own))
            for (int y = 0; y < own.height; ++y) {
                const int level = int(k);
                const cv::Point from(own.x, own.y + y);
                const float* const energy = fine.energy(k, y);
                weigh(turn, level, from, own.width, energy, scratch.share.data(), scratch.weight.data(),
                      scratch);
                add(turn, level, from, own.width, energy, scratch.weight.data(), scratch,
                    [&](float* const* colours) { fine.detail_row(k, y, colours); });
                if (level == 0 && settings_.glare_guard) {
                    const float* const light[] = {fine.light(k, 0, y), fine.light(k, 1, y),
                                                  fine.light(k, 2, y)};
                    bounds_.add_row(from, own.width, light, scratch.share.data());
                }
            }
    }

    /// @param weight  takes the row's weights.
    void add_coarse_row(const Turn& turn, int level, int y, const cv::Mat3f& light,
                        const UpsampledRows& ground, const float* energy, float* weight) {
        const int width = light.cols;
        RowScratch& scratch = RowScratch::of_thread(width);
        const float* const row = light.ptr<float>(y);
        weigh(turn, level, {0, y}, width, energy, scratch.share.data(), weight, scratch);
        if (settings_.glare_guard) bound_coarse(turn, level, y, light[y], width, scratch.share);
        if (level == FrameDetail::kFine)
            add_plain_row(row, plain_depth_[y], scratch.share.data(), float(turn.place), plain_.ptr<float>(y),
                          plain_weight_[y], width);
        add(turn, level, {0, y}, width, energy, weight, scratch, [&](float* const* colours) {
            part_detail_row(row, ground.row(y, scratch.ground), colours, width);
        });
    }

    /// Coarse light stays within that of the frames next to the depth, here or beside: what meets there shows
    /// its own light in one of them, while blur carries it elsewhere in the others.
    void bound_coarse(const Turn& turn, int level, int y, const cv::Vec3f* light, int width,
                      std::vector<float> share) {
        const int coarser = level - FrameDetail::kFine;
        const float* const depth = plain_depth_[std::min(y << coarser, plain_depth_.rows - 1)];
        for (int i = 0; i < width; ++i) {
            const int x = std::min(i << coarser, plain_depth_.cols - 1);
            if (std::abs(depth[x] - float(turn.place)) > 1) share[std::size_t(i)] = 0;
        }
        coarse_bounds_[std::size_t(coarser)].add_row(y, width, light, share.data());
    }

    /// No weight where the frame has no pixels, nor where it shows another state of what moved.
    void mask_out(const Turn& turn, int level, cv::Point from, int width, const float* energy, float* share,
                  float* weights) const {
        const auto none = [&](int begin, int end) {
            for (float* row : {share, weights}) std::fill(row + begin, row + std::max(begin, end), 0.0f);
        };
        const MergeStatistics& statistics = measured_.statistics;
        const MovedParts& moved = statistics.moved;
        if (moved.any())
            for (int x = 0; x < width;) {
                const cv::Point here(from.x + x, from.y),
                    at = statistics.in_moved(measured_.target, here, level);
                const int end =
                    statistics.run_in_moved(measured_.target, here, level, from.x + width) - from.x;
                if (turn.place < moved.first(at) || turn.place > moved.last(at)) none(x, end);
                x = end;
            }
        if (turn.frame.covers_all()) return;
        const std::vector<RowSpan>& covered = turn.frame.covered();
        const RowSpan span = covered[std::min(std::size_t(from.y) << level, covered.size() - 1)];
        // The first column that lies at or behind a full-size one.
        const auto column = [&](int full) {
            return std::clamp(((full + (1 << level) - 1) >> level) - from.x, 0, width);
        };
        const int begin = column(span.begin), end = column(span.end);
        none(0, begin);
        none(end, width);
        if (begin < end)
            add_fallback_weight(energy + begin, kEveryFrame, grain_at(level), weights + begin, end - begin);
    }

    Measured& measured_;
    const MergeSettings& settings_;
    Blocks blocks_;
    cv::Mat1f above_, below_;  ///< cell by cell, places that frames lie between which contribute
    std::vector<Woven> woven_;
    cv::Mat3f plain_;  ///< at a quarter of the size: sum of the frames' light by depth
    cv::Mat1f plain_weight_, plain_depth_;
    cv::Mat1f meeting_;  ///< 0 where no depths meet, 1 where they do
    cv::Mat3f rest_;
    cv::Mat1f rest_weight_;
    LightBounds bounds_;
    std::vector<LightBounds> coarse_bounds_;  ///< of light at the sizes from kFine on
    cv::Mat1b any_cover_;
    bool all_covered_ = false;
    cv::Mat1w source_;
};

}  // namespace

MergeResult woven_merge(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                        const Job& job) {
    check(settings);
    check_backdrop(settings, frames);
    const ReusedMemory memory;
    const cv::Size size = frames.target().size();
    MergeResult result;
    result.method = "woven";
    result.settings = settings;
    result.area = frames.target();
    const int levels = detail_levels(size);
    Measured measured = measure(frames, settings, context, levels, result, job.part(0, 0.45));
    cv::Mat3f merged;
    {
        Accumulator accumulator(measured, frames, levels, settings, job);
        const int count = int(measured.focus.read.size());
        for (int k = 0; k < count; ++k) {
            job.checkpoint(0.45 + 0.5 * double(k) / double(count));
            const int place = measured.focus.read[std::size_t(k)];
            const auto frame = frames.open(place);
            if (!frame) {
                result.problems.push_back(frame.error());
                continue;
            }
            accumulator.add(*frame, k, frames.index(place) + 1, job);
        }
        merged = accumulator.finish(job);
        result.picture = finished_picture(merged, accumulator.any_cover(), frames);
        result.source = accumulator.source(frames, job.quiet());
        result.made_by = accumulator.made_by(job.quiet());
    }
    result.statistics = measured.statistics;
    // Numbers of the series, not of the frames that were read.
    result.depth = at_full_size(measured.focus.field.depth, size);
    result.trust = at_full_size(measured.focus.field.trust, size);
    for_rows(size.height, job.quiet(), [&](int y) {
        for (float& place : result.depth.row(y)) place = series_number(place, frames, measured.focus.read);
    });
    job.checkpoint(1);
    return result;
}

}  // namespace moorhaze
