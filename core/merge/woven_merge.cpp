#include "core/merge/woven_merge.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/merge/accumulated.h"
#include "core/merge/band_energy.h"
#include "core/merge/focus_depth.h"
#include "core/merge/light_bounds.h"
#include "core/merge/survey.h"
#include "core/picture/luma.h"
#include "core/picture/pyramid.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
namespace {

constexpr double kEnergySigma = FocusDepth::kGathered;  // px; larger breaks thin hairs, smaller adds noise
/// Times the noise: what stands out by less is chosen by depth alone, so that grain is averaged, not chosen.
constexpr float kGrain = 20, kGrainUnguarded = 2;
/// How much of the strength that mixing with softer neighbours costs is given back.
constexpr float kGiveBack = 0.7f;

/// What the first pass leaves.
struct Measured {
    Focus focus;
    std::vector<cv::Mat1f> strongest;  ///< largest energy of each size over the frames
    MergeSurvey survey;
    PixelRect target;
};

/// The sum over the frames at one size of detail.
struct Woven {
    cv::Mat3f detail;
    cv::Mat1f weight;
    cv::Mat1f nearest, farthest;  ///< frames that may take part
};

void keep_larger(const cv::Mat1f& values, cv::Mat1f& largest, const Job& job) {
    for_rows(values.rows, job, [&](int y) {
        const float* from = values[y];
        float* to = largest[y];
        for (int x = 0; x < values.cols; ++x) to[x] = std::max(to[x], from[x]);
    });
}

Measured measure(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                 int levels, MergeResult& result, const Job& job) {
    Measured measured;
    measured.target = frames.target();
    const bool known = context.survey && !context.survey->noise.empty();
    Surveyor surveyor(frames.target(), levels);
    const auto take_in = [&](const DetailSizes& sizes) {
        const bool first = measured.strongest.empty();
        for (std::size_t k = 0; k < sizes.energy.size(); ++k) {
            const cv::Mat1f& energy = sizes.energy[k];
            if (first)
                measured.strongest.push_back(energy.clone());
            else
                keep_larger(energy, measured.strongest[k], job.quiet());
        }
        if (!known) surveyor.add(sizes, job.quiet());
    };
    measured.focus = focus_of(frames, settings, context, result, take_in, job);
    measured.survey =
        known ? *context.survey : surveyor.finish(measured.focus.noise, settings.detail_size_px, job.quiet());
    return measured;
}

/// The frames that may take part at each size: those of the depths that meet, no other state of a part that
/// moved.
void choose_frames(Measured& measured, std::vector<Woven>& woven, const Job& job) {
    DepthField& field = measured.focus.field;
    const MovedParts& moved = measured.survey.moved;
    if (moved.any())
        for_rows(field.depth.rows, job, [&](int y) {
            for (int x = 0; x < field.depth.cols; ++x) {
                const cv::Point at = measured.survey.in_moved(measured.target, {x, y}, 1);
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
}

/// How far each place of a row lets a frame take part, and the weight of its detail.
MOORHAZE_CLONES void weigh_row(const float* nearest, const float* farthest, const float* energy,
                               const float* strongest, float place, float slack, float grain, float* share,
                               float* weight, int width) {
    for (int x = 0; x < width; ++x) {
        const float before = nearest[x] - place, after = place - farthest[x];
        float off = before > after ? before : after;
        off = off > 0 ? off : 0;
        float part = slack - off;
        part = part < 0 ? 0 : part > 1 ? 1 : part;
        float against = (energy[x] + grain) / (strongest[x] + grain);
        against = against > 1 ? 1 : against;
        share[x] = part;
        weight[x] = part * against * against * against;
    }
}

/// Adds light - ground, weighted.
MOORHAZE_CLONES void add_row(const float* light, const float* ground, const float* weight,
                             const float* energy, const float* strongest, float grain, float* sum,
                             float* total, int width) {
    for (int x = 0; x < width; ++x) {
        const float w = weight[x];
        sum[3 * x] += w * (light[3 * x] - ground[3 * x]);
        sum[3 * x + 1] += w * (light[3 * x + 1] - ground[3 * x + 1]);
        sum[3 * x + 2] += w * (light[3 * x + 2] - ground[3 * x + 2]);
        float against = (energy[x] + grain) / (strongest[x] + grain);
        against = against > 1 ? 1 : against;
        total[x] += w * (1 - kGiveBack * (1 - std::sqrt(against)));
    }
}

MOORHAZE_CLONES void keep_source_row(const float* weight, ushort number, float* most, ushort* source,
                                     int width) {
    for (int x = 0; x < width; ++x) {
        const bool more = weight[x] > most[x];
        most[x] = more ? weight[x] : most[x];
        source[x] = more ? number : source[x];
    }
}

MOORHAZE_CLONES float largest_of(const float* values, int count) {
    float largest = 0;
    for (int i = 0; i < count; ++i) largest = values[i] > largest ? values[i] : largest;
    return largest;
}

class Loom {
  public:
    Loom(Measured& measured, cv::Size size, int levels, const MergeSettings& settings, const Job& job)
        : measured_(measured),
          settings_(settings),
          bounds_(size),
          any_cover_(size, uchar(0)),
          most_(size, 0.0f),
          source_(size, ushort(0)) {
        for (int level = 0; level < levels; ++level) {
            woven_.push_back({cv::Mat3f(size, cv::Vec3f(0, 0, 0)), cv::Mat1f(size, 0.0f), {}, {}});
            size = {(size.width + 1) / 2, (size.height + 1) / 2};
        }
        rest_ = cv::Mat3f(size, cv::Vec3f(0, 0, 0));
        rest_weight_ = cv::Mat1f(size, 0.0f);
        choose_frames(measured_, woven_, job.quiet());
    }

    /// @param place  of the frame among those read;  @param number  of the frame in the series, from 1.
    void add(const LinearFrame& frame, int place, int number, const Job& job) {
        const bool whole = covers_all(frame.covered, frame.pixels.cols);
        cover(frame, whole);
        cv::Mat1f luma = perceptual_luma(frame.pixels, job.quiet());
        cv::Mat3f light = frame.pixels;
        cv::Mat1f last_weight;
        for (int level = 0; level < int(woven_.size()); ++level) {
            const cv::Mat1f coarse_luma = pyramid_down(luma, job.quiet());
            const cv::Mat1f energy = band_energy(luma, coarse_luma, kEnergySigma, job.quiet());
            luma = coarse_luma;
            const cv::Mat3f coarse = pyramid_down(light, job.quiet());
            last_weight = weave(frame, whole, light, coarse, energy, level, place, number, job);
            light = coarse;
        }
        const cv::Mat1f weight = pyramid_down(last_weight, job.quiet());
        for (int y = 0; y < rest_.rows; ++y)
            for (int x = 0; x < rest_.cols; ++x) {
                const float w = std::max(0.0f, weight(y, x)) + kEveryFrame;
                rest_(y, x) += w * light(y, x);
                rest_weight_(y, x) += w;
            }
    }

    cv::Mat3f finish(const Job& job) {
        // What only choosing needed goes first: this is where most is held at once.
        measured_.strongest.clear();
        most_.release();
        for (int y = 0; y < rest_.rows; ++y)
            for (int x = 0; x < rest_.cols; ++x) rest_(y, x) *= 1 / rest_weight_(y, x);
        cv::Mat3f merged = rest_;
        for (auto level = woven_.rbegin(); level != woven_.rend(); ++level) {
            merged = pyramid_up(merged, level->weight.size(), job.quiet());
            for_rows(merged.rows, job.quiet(), [&](int y) {
                for (int x = 0; x < merged.cols; ++x)
                    if (level->weight(y, x) > 0)
                        merged(y, x) += level->detail(y, x) * (1 / level->weight(y, x));
            });
            level->detail.release();
            level->weight.release();
        }
        if (settings_.glare_guard) bounds_.hold(merged, job.quiet());
        return merged;
    }

    const cv::Mat1b& any_cover() const { return any_cover_; }
    const cv::Mat1w& source() const { return source_; }

  private:
    static constexpr float kEveryFrame = 1e-9f;  // where no frame of the depth around reaches

    void cover(const LinearFrame& frame, bool whole) {
        if (whole) {
            if (!all_covered_) any_cover_.setTo(255);
            all_covered_ = true;
            return;
        }
        if (!all_covered_) any_cover_ |= coverage_of(frame);
    }

    /// Adds a frame's detail of one size; gives its weights for the coarsest one.
    cv::Mat1f weave(const LinearFrame& frame, bool whole, const cv::Mat3f& light, const cv::Mat3f& coarse,
                    const cv::Mat1f& energy, int level, int place, int number, const Job& job) {
        Woven& own = woven_[std::size_t(level)];
        const cv::Mat1f& strongest = measured_.strongest[std::size_t(level)];
        const float grain = (settings_.grain_guard ? kGrain : kGrainUnguarded) * float(noise_at(level));
        const float slack = 0.7f + 0.25f * float(settings_.seam_width_px);
        // Whole only of the coarsest size, where the rest is weighted with them.
        cv::Mat1f weights;
        if (level + 1 == int(woven_.size())) weights.create(light.size());
        const DoubledRows ground(coarse, light.size());
        for_rows(light.rows, job.quiet(), [&](int y) {
            const int width = light.cols;
            std::vector<float> nearest, farthest, share(static_cast<std::size_t>(width)), own_weights;
            if (weights.empty()) own_weights.resize(share.size());
            float* const weight = weights.empty() ? own_weights.data() : weights[y];
            const float *near = nullptr, *far = nullptr;
            if (level == 0) {  // the range is known at half size
                nearest.resize(std::size_t(width)), farthest.resize(std::size_t(width));
                const float *half_near = own.nearest[y / 2], *half_far = own.farthest[y / 2];
                for (int x = 0; x < width; ++x)
                    nearest[std::size_t(x)] = half_near[x / 2], farthest[std::size_t(x)] = half_far[x / 2];
                near = nearest.data(), far = farthest.data();
            } else {
                near = own.nearest[y], far = own.farthest[y];
            }
            weigh_row(near, far, energy[y], strongest[y], float(place), slack, grain, share.data(), weight,
                      width);
            keep_out(frame, whole, y, level, place, share.data(), weight, width);
            // Most places of a frame have no part in the result.
            if (largest_of(weight, width) > 0) {
                std::vector<float> detail(std::size_t(width) * 3), scratch(std::size_t(coarse.cols) * 3);
                ground.row(y, detail.data(), scratch.data());
                add_row(light.ptr<float>(y), detail.data(), weight, energy[y], strongest[y], grain,
                        own.detail.ptr<float>(y), own.weight[y], width);
            }
            if (level > 0) return;
            if (settings_.glare_guard) bounds_.add_row(y, 0, width, frame.pixels[y], share.data());
            keep_source_row(weight, ushort(number), most_[y], source_[y], width);
        });
        return weights;
    }

    /// No weight where the frame has no pixels, nor where it shows another state of what moved; where no
    /// frame that is wanted reaches, every frame counts a little.
    void keep_out(const LinearFrame& frame, bool whole, int y, int level, int place, float* share,
                  float* weights, int width) const {
        const MovedParts& moved = measured_.survey.moved;
        if (moved.any()) {
            const MergeSurvey& survey = measured_.survey;
            for (int x = 0; x < width;) {
                const cv::Point at = survey.in_moved(measured_.target, {x, y}, level);
                const int end = survey.run_in_moved(measured_.target, {x, y}, level, width);
                if (place < moved.first(at) || place > moved.last(at))
                    std::fill(share + x, share + end, 0.0f), std::fill(weights + x, weights + end, 0.0f);
                x = end;
            }
        }
        if (whole) return;
        const RowSpan span = frame.covered[std::min(std::size_t(y) << level, frame.covered.size() - 1)];
        for (int x = 0; x < width; ++x) {
            const bool inside = (x << level) >= span.begin && (x << level) < span.end;
            if (inside)
                weights[x] += kEveryFrame;
            else
                share[x] = weights[x] = 0;
        }
    }

    /// A part of the picture may be halved more often than all of it was.
    double noise_at(int level) const {
        const std::vector<double>& noise = measured_.survey.noise;
        return noise[std::min(std::size_t(level), noise.size() - 1)];
    }

    Measured& measured_;
    const MergeSettings& settings_;
    std::vector<Woven> woven_;
    cv::Mat3f rest_;
    cv::Mat1f rest_weight_;
    LightBounds bounds_;
    cv::Mat1b any_cover_;
    bool all_covered_ = false;
    cv::Mat1f most_;
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
    const int levels = pyramid_levels(size, kLeastSide);
    Measured measured = measure(frames, settings, context, levels, result, job.part(0, 0.45));
    cv::Mat3f merged;
    {
        Loom loom(measured, size, levels, settings, job);
        const int count = int(measured.focus.read.size());
        for (int k = 0; k < count; ++k) {
            job.checkpoint(0.45 + 0.5 * double(k) / double(count));
            const int place = measured.focus.read[std::size_t(k)];
            const auto frame = frames.load(place, job);
            if (!frame) {
                result.problems.push_back(frame.error());
                continue;
            }
            loom.add(*frame, k, frames.index(place) + 1, job);
        }
        merged = loom.finish(job);
        result.picture = finished_picture(merged, loom.any_cover(), frames);
        result.source = loom.source();
    }
    result.survey = measured.survey;
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
