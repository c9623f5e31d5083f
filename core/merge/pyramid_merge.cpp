#include "core/merge/pyramid_merge.h"

#include <algorithm>
#include <cmath>

#include "core/merge/accumulated.h"
#include "core/merge/band_energy.h"
#include "core/merge/focus_depth.h"
#include "core/merge/frame_detail.h"
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
constexpr double kNoiseShare = 0.16;
constexpr float kMeanNoise = 1;
/// Times the noise: what stands out by less than the first is grain, by more than the second all detail.
constexpr float kGrain = 6, kDetail = 20;

struct Level {
    cv::Mat3f detail;  ///< chosen so far
    cv::Mat1f energy;  ///< that it was chosen by
    cv::Mat1f own;     ///< its own energy
    cv::Mat1w source;  ///< its frame, from 1
    double noise = 0;  ///< sum of what noise alone makes of a frame's energy
};

/// The strongest of many frames' grain is stronger than one frame's: brought back to that.
/// @param noise  that it makes of a frame's energy.
void calm_grain(Level& level, float noise, const Job& job) {
    for_rows(level.own.rows, job, [&](int y) {
        const float* energy = level.own[y];
        cv::Vec3f* detail = level.detail[y];
        for (int x = 0; x < level.own.cols; ++x) {
            const float ratio = energy[x] / noise;
            if (ratio >= kDetail || !(energy[x] > 0)) continue;
            const float calmed = std::min(1.0f, std::sqrt(kMeanNoise / ratio)),
                        share = std::clamp((ratio - kGrain) / (kDetail - kGrain), 0.0f, 1.0f);
            detail[x] *= calmed + (1 - calmed) * share;
        }
    });
}

/// Takes the detail of a part of a row where it is stronger than what was chosen so far.
/// @param ground  gives the coarser size's row.
template <class Ground>
void choose_row(Level& level, cv::Point from, int width, const float* light, const Ground& ground,
                const float* energy, const float* own_energy, const uchar* covered, int number) {
    float* const strongest = level.energy[from.y] + from.x;
    float* const detail = level.detail.ptr<float>(from.y) + 3 * from.x;
    float* const own = level.own[from.y] + from.x;
    ushort* const source = level.source[from.y] + from.x;
    const float* below = nullptr;
    for (int x = 0; x < width; ++x) {
        if (!covered[x] || !(energy[x] > strongest[x])) continue;
        // Most places of a frame are not the sharpest: their detail is not even worked out.
        if (!below) below = ground();
        strongest[x] = energy[x];
        own[x] = own_energy[x];
        source[x] = ushort(number);
        for (int c = 3 * x; c < 3 * x + 3; ++c) detail[c] = light[c] - below[c];
    }
}

/// A frame's energies on every few places across and down, for its noise.
class Samples {
  public:
    explicit Samples(cv::Size size)
        : values_((size.height + kSampled - 1) / kSampled, (size.width + kSampled - 1) / kSampled) {}
    void take(cv::Point from, int width, const float* energy) {
        if (from.y % kSampled != 0) return;
        for (int x = (kSampled - from.x % kSampled) % kSampled; x < width; x += kSampled)
            values_(from.y / kSampled, (from.x + x) / kSampled) = energy[x];
    }
    double noise() const { return quiet_energy(values_, kNoiseShare); }

  private:
    cv::Mat1f values_;
};

/// Half the size: covered where the place itself is.
cv::Mat1b halved_cover(const cv::Mat1b& covered) {
    cv::Mat1b half((covered.rows + 1) / 2, (covered.cols + 1) / 2);
    for (int y = 0; y < half.rows; ++y)
        for (int x = 0; x < half.cols; ++x) half(y, x) = covered(2 * y, 2 * x);
    return half;
}

void add_covered(const LaidFrame& frame, cv::Point from, int width, const cv::Vec3f* light,
                 LightBounds& bounds) {
    const RowSpan span = frame.covered()[std::size_t(from.y)];
    const int begin = std::max(span.begin, from.x), end = std::min(span.end, from.x + width);
    if (begin < end) bounds.add_row(from.y, begin, end - begin, light + (begin - from.x));
}

}  // namespace

MergeResult pyramid_merge(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                          const Job& job) {
    check(settings);
    const ReusedMemory memory;
    const cv::Size size = frames.target().size();
    MergeResult result;
    result.method = "pyramid";
    result.settings = settings;
    result.area = frames.target();

    std::vector<Level> levels;
    std::vector<cv::Size> sizes = {size};
    for (int level = 0; level < detail_levels(size); ++level) {
        const cv::Size own = sizes.back();
        levels.push_back({cv::Mat3f(own, cv::Vec3f(0, 0, 0)), cv::Mat1f(own, -1.0f), cv::Mat1f(own, 0.0f),
                          cv::Mat1w(own, ushort(0))});
        sizes.emplace_back((own.width + 1) / 2, (own.height + 1) / 2);
    }
    const Blocks blocks(size);
    cv::Mat3f base(sizes.back(), cv::Vec3f(0, 0, 0));
    cv::Mat1f base_weight(sizes.back(), 0.0f);
    cv::Mat1b any_cover(size, uchar(0));
    LightBounds bounds(size);
    std::vector<LightBounds> coarse_bounds;  // of light at the sizes from kFine on
    for (std::size_t k = FrameDetail::kFine; k < levels.size(); ++k) coarse_bounds.emplace_back(sizes[k]);

    int read = 0;
    for (int place = 0; place < frames.count(); ++place) {
        job.checkpoint(0.95 * place / frames.count());
        const auto frame = frames.open(place);
        if (!frame) {
            result.problems.push_back(frame.error());
            continue;
        }
        ++read;
        const int number = frames.index(place) + 1;
        cv::Mat1b covered = coverage_of(frame->covered(), size);
        any_cover |= covered;
        std::vector<cv::Mat1b> covers;
        std::vector<Samples> samples;
        for (std::size_t k = 0; k < sizes.size(); ++k) {
            covers.push_back(covered);
            samples.emplace_back(sizes[k]);
            covered = halved_cover(covered);
        }
        const FrameDetail detail(*frame, job.quiet());
        for_rows(blocks.count(), job.quiet(), [&](int block) {
            cv::Rect own = blocks[block];
            const auto fine = detail.fine(own, job.quiet());
            for (std::size_t k = 0; k < FrameDetail::kFine; ++k, own = halved(own)) {
                const DetailBlock& here = fine[k];
                for (int y = 0; y < own.height; ++y) {
                    const cv::Point from(own.x, own.y + y);
                    samples[k].take(from, own.width, here.own_energy[y]);
                    choose_row(
                        levels[k], from, own.width, here.light.ptr<float>(y),
                        [&] { return here.ground.ptr<float>(y); }, here.energy[y], here.own_energy[y],
                        covers[k][from.y] + from.x, number);
                    if (k == 0 && settings.glare_guard)
                        add_covered(*frame, from, own.width, here.light[y], bounds);
                }
            }
        });
        cv::Mat1f last_energy;
        const cv::Mat3f light = detail.coarse(
            int(levels.size()), job.quiet(),
            [&](int level, const cv::Mat3f& own, const DoubledRows& ground, const cv::Mat1f& energy) {
                const auto k = std::size_t(level);
                for_rows(own.rows, job.quiet(), [&](int y) {
                    std::vector<float> row;
                    samples[k].take({0, y}, own.cols, energy[y]);
                    if (settings.glare_guard)
                        coarse_bounds[k - FrameDetail::kFine].add_row(y, 0, own.cols, own[y]);
                    choose_row(
                        levels[k], {0, y}, own.cols, own.ptr<float>(y), [&] { return ground.row(y, row); },
                        energy[y], energy[y], covers[k][y], number);
                });
                last_energy = energy;
            });
        for (std::size_t k = 0; k < levels.size(); ++k) levels[k].noise += samples[k].noise();
        const cv::Mat1f weight = pyramid_down(last_energy, job.quiet());
        for (int y = 0; y < base.rows; ++y)
            for (int x = 0; x < base.cols; ++x) {
                const float w = covers.back()(y, x) ? weight(y, x) + 1e-9f : 0;
                base(y, x) += w * light(y, x);
                base_weight(y, x) += w;
            }
        // A quarter of the size: the finest choices are noise where a frame is not sharp.
        if (context.on_frame)
            context.on_frame(
                [&] { return small_places(levels[std::min(std::size_t(2), levels.size() - 1)].source); });
    }
    if (read == 0)
        throw FileError(result.problems.empty() ? "there is no frame to merge" : result.problems[0].what);

    for (int y = 0; y < base.rows; ++y)
        for (int x = 0; x < base.cols; ++x)
            if (base_weight(y, x) > 0) base(y, x) *= 1 / base_weight(y, x);
    if (settings.grain_guard && read > 1)
        for (std::size_t k = 0; k < levels.size(); ++k) {
            // Where there is no place left without detail, noise is still no more than it is in finer detail:
            // halving takes at least three quarters of its energy.
            const double most = levels[0].noise * std::pow(0.25, double(k)),
                         noise = std::max(1e-12, std::min(levels[k].noise, most) / read);
            calm_grain(levels[k], float(noise), job.quiet());
        }
    cv::Mat3f merged = base;
    for (auto level = levels.rbegin(); level != levels.rend(); ++level) {
        // The level's own memory holds the sum.
        const DoubledRows ground(merged, level->detail.size());
        for_rows(level->detail.rows, job.quiet(), [&](int y) {
            std::vector<float> below(std::size_t(level->detail.cols) * 3),
                scratch(std::size_t(merged.cols) * 3);
            ground.row(y, below.data(), scratch.data());
            float* const detail = level->detail.ptr<float>(y);
            for (std::size_t i = 0; i < below.size(); ++i) detail[i] += below[i];
        });
        merged = level->detail;
        const auto k = std::size_t(level.base() - levels.begin()) - 1;
        if (settings.glare_guard && k >= FrameDetail::kFine)
            coarse_bounds[k - FrameDetail::kFine].hold(merged, job.quiet());
    }
    if (settings.glare_guard) bounds.hold(merged, job.quiet());
    result.picture = finished_picture(merged, any_cover, frames);

    // The frame of the detail that weighs most among the finest sizes; it needs twice the energy to be finer.
    result.source.create(size);
    result.depth.create(size);
    const int looked_at = std::min(4, int(levels.size()));
    for_rows(size.height, job.quiet(), [&](int y) {
        for (int x = 0; x < size.width; ++x) {
            float most = -1;
            ushort number = 0;
            for (int k = 0; k < looked_at; ++k) {
                const Level& level = levels[std::size_t(k)];
                const int v = std::min(y >> k, level.energy.rows - 1),
                          u = std::min(x >> k, level.energy.cols - 1);
                const float energy = level.energy(v, u) / float(1 << k);
                if (energy > most) most = energy, number = level.source(v, u);
            }
            result.source(y, x) = any_cover(y, x) ? number : ushort(0);
            result.depth(y, x) = float(number);
        }
    });
    result.made_by = made_by_plane(result.source, job.quiet(), [](int, int) { return MadeBy::pyramid; });
    job.checkpoint(1);
    return result;
}

}  // namespace moorhaze
