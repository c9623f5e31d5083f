// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/woven_merge.h"

#include <algorithm>
#include <cfloat>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/merge/accumulated.h"
#include "core/merge/focus_depth.h"
#include "core/merge/frame_detail.h"
#include "core/merge/light_bounds.h"
#include "core/merge/merge_statistics.h"
#include "core/picture/blur.h"
#include "core/picture/luma.h"
#include "core/picture/pyramid.h"
#include "core/work/clones.h"
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

/// The sum over the frames at one pyramid level.
struct Woven {
    cv::Mat3f detail;
    cv::Mat1f weight;
    cv::Mat1f root;               ///< weighted square roots of the frames' energies
    cv::Mat1f strongest;          ///< energy of those that contribute
    cv::Mat1f nearest, farthest;  ///< frames that may contribute
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
        const cv::Size size = woven[k].weight.size();
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

/// How far each place of a row lets a frame contribute, and the weight of its detail.
MOORHAZE_CLONES void weigh_row(const float* nearest, const float* farthest, const float* energy, float place,
                               float slack, float grain, float* share, float* weight, int width) {
    for (int x = 0; x < width; ++x) {
        const float before = nearest[x] - place, after = place - farthest[x];
        float off = before > after ? before : after;
        off = off > 0 ? off : 0;
        float part = slack - off;
        part = part < 0 ? 0 : part > 1 ? 1 : part;
        const float strength = energy[x] + grain;
        share[x] = part;
        weight[x] = part * strength * strength * strength;
    }
}

/// Lets a frame contribute a little, where no frame that is wanted reaches.
MOORHAZE_CLONES void add_fallback_weight(const float* energy, float little, float grain, float* weight,
                                         int width) {
    for (int x = 0; x < width; ++x) {
        const float strength = energy[x] + grain;
        weight[x] += little * strength * strength * strength;
    }
}

/// Adds light by how near the frame is to the depth, where it may contribute.
MOORHAZE_CLONES void add_plain_row(const float* light, const float* depth, const float* share, float place,
                                   float* sum, float* total, int width) {
    for (int x = 0; x < width; ++x) {
        float near = 1 - std::abs(depth[x] - place);
        near = near > 0 && share[x] > 0 ? near : 0;
        sum[3 * x] += near * light[3 * x];
        sum[3 * x + 1] += near * light[3 * x + 1];
        sum[3 * x + 2] += near * light[3 * x + 2];
        total[x] += near;
    }
}

/// @param meeting  1 where the light stays, 0 where the plain sum takes its place.
MOORHAZE_CLONES void replace_by_plain_row(const float* sum, const float* total, const float* meeting,
                                          float* light, int width) {
    for (int x = 0; x < width; ++x) {
        const float held = meeting[x] < 0 ? 0 : meeting[x] > 1 ? 1 : meeting[x];
        const float share = total[x] > 0 ? 1 - held : 0, scale = total[x] > 0 ? share / total[x] : 0;
        for (int c = 3 * x; c < 3 * x + 3; ++c) light[c] = (1 - share) * light[c] + scale * sum[c];
    }
}

/// Adds light - ground, weighted.
MOORHAZE_CLONES void add_row(const float* light, const float* ground, const float* weight,
                             const float* energy, float grain, float* sum, float* total, float* root,
                             int width) {
    for (int x = 0; x < width; ++x) {
        const float w = weight[x];
        sum[3 * x] += w * (light[3 * x] - ground[3 * x]);
        sum[3 * x + 1] += w * (light[3 * x + 1] - ground[3 * x + 1]);
        sum[3 * x + 2] += w * (light[3 * x + 2] - ground[3 * x + 2]);
        total[x] += w;
        root[x] += w * std::sqrt(energy[x] + grain);
    }
}

MOORHAZE_CLONES void keep_strongest_row(const float* weight, const float* share, const float* energy,
                                        float little, ushort number, float* strongest, ushort* source,
                                        int width) {
    for (int x = 0; x < width; ++x) {
        const float own = weight[x] > 0 ? (share[x] + little) * energy[x] : -1;
        const bool more = own > strongest[x];
        strongest[x] = more ? own : strongest[x];
        source[x] = more ? number : source[x];
    }
}

/// Adds the detail of a row, with the strength given back that mixing with softer frames cost. Energies are
/// those of coarser detail, too, which blur takes less of: the strength that they tell of is raised by 7/4,
/// fitted to a contrast of 1 on simulated series.
MOORHAZE_CLONES void restore_contrast_row(const float* detail, const float* weight, const float* root,
                                          const float* strongest, float grain, float* light, int width) {
    for (int x = 0; x < width; ++x) {
        const float strong = strongest[x] > 0 ? strongest[x] : 0;
        float kept = root[x] / (weight[x] * std::sqrt(strong + grain));
        kept = kept < 1 ? kept : 1;
        const float root_of_kept = std::sqrt(kept);
        const float lost = kept * root_of_kept * std::sqrt(root_of_kept);
        const float scale = weight[x] > 0 ? 1 / (weight[x] * lost) : 0;
        for (int c = 3 * x; c < 3 * x + 3; ++c) light[c] += detail[c] * scale;
    }
}

class Accumulator {
  public:
    Accumulator(Measured& measured, const AlignedFrames& frames, int levels, const MergeSettings& settings,
                const Job& job)
        : measured_(measured),
          settings_(settings),
          blocks_(frames.target().size()),
          bounds_(frames.target().size()),
          any_cover_(frames.target().size(), uchar(0)),
          source_(frames.target().size(), ushort(0)) {
        cv::Size size = frames.target().size();
        for (int level = 0; level < levels; ++level) {
            woven_.push_back({cv::Mat3f(size, cv::Vec3f(0, 0, 0)),
                              cv::Mat1f(size, 0.0f),
                              cv::Mat1f(size, 0.0f),
                              cv::Mat1f(size, -1.0f),
                              {},
                              {}});
            if (level >= FrameDetail::kFine) coarse_bounds_.emplace_back(size);
            size = {(size.width + 1) / 2, (size.height + 1) / 2};
        }
        const cv::Size quarter = woven_[FrameDetail::kFine].weight.size();
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
            cv::Rect own = taking_part(blocks_[block], place);
            if (own.empty()) return;
            const auto fine = sizes.fine(own, job.quiet());
            std::vector<float> weight(static_cast<std::size_t>(own.width));
            for (int level = 0; level < FrameDetail::kFine; ++level, own = downsampled(own)) {
                const DetailBlock& here = fine[std::size_t(level)];
                for (int y = 0; y < own.height; ++y)
                    accumulate_row(
                        turn, level, {own.x, own.y + y}, own.width, here.light.ptr<float>(y),
                        [&](std::vector<float>&) { return here.ground.ptr<float>(y); }, here.energy[y],
                        weight.data());
            }
        });
        cv::Mat1f last_weight;
        const cv::Mat3f light = sizes.coarse(
            int(woven_.size()), job.quiet(),
            [&](int level, const cv::Mat3f& own, const UpsampledRows& ground, const cv::Mat1f& energy) {
                last_weight = cv::Mat1f(own.size());
                for_rows(own.rows, job.quiet(), [&](int y) {
                    accumulate_row(
                        turn, level, {0, y}, own.cols, own.ptr<float>(y),
                        [&](std::vector<float>& row) { return ground.row(y, row); }, energy[y],
                        last_weight[y]);
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
            merged = pyramid_up(merged, own.weight.size(), job.quiet());
            const float grain = grain_at(level);
            for_rows(merged.rows, job.quiet(), [&](int y) {
                restore_contrast_row(own.detail.ptr<float>(y), own.weight[y], own.root[y], own.strongest[y],
                                     grain, merged.ptr<float>(y), merged.cols);
            });
            own = {};
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

    /// Adds a part of a row of a frame's detail of one size.
    /// @param ground  gives the coarser size's row;  @param weight  takes the row's weights.
    template <class Ground>
    void accumulate_row(const Turn& turn, int level, cv::Point from, int width, const float* light,
                        const Ground& ground, const float* energy, float* weight) {
        Woven& own = woven_[std::size_t(level)];
        int x = from.x;
        const int y = from.y;
        const float grain = grain_at(level), little = turn.frame.covers_all() ? 0 : kEveryFrame;
        std::vector<float> nearest, farthest, share(static_cast<std::size_t>(width)), row;
        const float *near = nullptr, *far = nullptr;
        if (level == 0) {  // the range is known at half size
            nearest.resize(share.size()), farthest.resize(share.size());
            const float *half_near = own.nearest[y / 2], *half_far = own.farthest[y / 2];
            for (int i = 0; i < width; ++i)
                nearest[std::size_t(i)] = half_near[(x + i) / 2],
                farthest[std::size_t(i)] = half_far[(x + i) / 2];
            near = nearest.data(), far = farthest.data();
        } else {
            near = own.nearest[y] + x, far = own.farthest[y] + x;
        }
        weigh_row(near, far, energy, float(turn.place), slack(), grain, share.data(), weight, width);
        mask_out(turn, level, from, width, energy, share.data(), weight);
        if (level >= FrameDetail::kFine && settings_.glare_guard)
            bound_coarse(turn, level, from, width, light, share);
        if (level == FrameDetail::kFine)
            add_plain_row(light, plain_depth_[y], share.data(), float(turn.place), plain_.ptr<float>(y),
                          plain_weight_[y], width);
        // Most places of a frame have no part in the result.
        int begin = 0, end = width;
        while (begin < end && !(weight[begin] > 0)) ++begin;
        while (begin < end && !(weight[end - 1] > 0)) --end;
        if (begin == end) return;
        const float* const below = ground(row);
        x += begin, width = end - begin;
        light += 3 * begin, energy += begin, weight += begin;
        const float* const part = share.data() + begin;
        add_row(light, below + 3 * begin, weight, energy, grain, own.detail.ptr<float>(y) + 3 * x,
                own.weight[y] + x, own.root[y] + x, width);
        std::vector<ushort> none;
        if (level > 0) none.resize(share.size());
        keep_strongest_row(weight, part, energy, little, turn.number, own.strongest[y] + x,
                           level > 0 ? none.data() : source_[y] + x, width);
        if (level == 0 && settings_.glare_guard)
            bounds_.add_row(y, x, width, reinterpret_cast<const cv::Vec3f*>(light), part);
    }

    /// Coarse light stays within that of the frames next to the depth, here or beside: what meets there shows
    /// its own light in one of them, while blur carries it elsewhere in the others.
    void bound_coarse(const Turn& turn, int level, cv::Point from, int width, const float* light,
                      std::vector<float> share) {
        const int coarser = level - FrameDetail::kFine;
        const float* const depth = plain_depth_[std::min(from.y << coarser, plain_depth_.rows - 1)];
        for (int i = 0; i < width; ++i) {
            const int x = std::min((from.x + i) << coarser, plain_depth_.cols - 1);
            if (std::abs(depth[x] - float(turn.place)) > 1) share[std::size_t(i)] = 0;
        }
        coarse_bounds_[std::size_t(coarser)].add_row(from.y, from.x, width,
                                                     reinterpret_cast<const cv::Vec3f*>(light), share.data());
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
