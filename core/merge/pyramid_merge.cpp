#include "core/merge/pyramid_merge.h"

#include <algorithm>
#include <cmath>

#include "core/merge/accumulated.h"
#include "core/merge/band_energy.h"
#include "core/merge/light_bounds.h"
#include "core/merge/sharpness.h"
#include "core/picture/luma.h"
#include "core/picture/pyramid.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
namespace {

constexpr int kCoarsestSide = 12;
constexpr float kDarkest = 0.01f;  // linear; keeps the contrast of black places from exploding
/// The window in which energy is gathered, in pixels of its level. Larger breaks thin hairs, smaller adds
/// noise.
constexpr double kEnergySigma = 1.0;
/// A place's noise is learnt on every so many places across and down, by the share of a frame's places that
/// holds nothing else; the mean of gathered noise is at least so many times that quantile.
constexpr int kSampled = 4;
constexpr double kNoiseShare = 0.16;
constexpr float kMeanNoise = 1.1f;
/// Times the noise: what stands out by less than the first is grain, by more than the second all detail.
constexpr float kGrain = 6, kDetail = 20;

struct Level {
    cv::Mat3f detail;  ///< chosen so far
    cv::Mat1f energy;  ///< its energy
    cv::Mat1w source;  ///< its frame, from 1
    double noise = 0;  ///< sum of what noise alone makes of a frame's energy
};

/// The strongest of many frames' grain is stronger than one frame's: brought back to that.
/// @param noise  that it makes of a frame's energy.
void calm_grain(Level& level, float noise, const Job& job) {
    for_rows(level.energy.rows, job, [&](int y) {
        const float* energy = level.energy[y];
        cv::Vec3f* detail = level.detail[y];
        for (int x = 0; x < level.energy.cols; ++x) {
            const float ratio = energy[x] / noise;
            if (ratio >= kDetail || !(energy[x] > 0)) continue;
            const float calmed = std::min(1.0f, std::sqrt(kMeanNoise / ratio)),
                        share = std::clamp((ratio - kGrain) / (kDetail - kGrain), 0.0f, 1.0f);
            detail[x] *= calmed + (1 - calmed) * share;
        }
    });
}

/// Squared contrast of the detail against the light it stands on.
MOORHAZE_CLONES void contrast_row(const float* light, const float* ground, float* energy, int width) {
    for (int x = 0; x < width; ++x) {
        const float base = kLuminance[0] * ground[3 * x] + kLuminance[1] * ground[3 * x + 1] +
                           kLuminance[2] * ground[3 * x + 2];
        const float own = kLuminance[0] * light[3 * x] + kLuminance[1] * light[3 * x + 1] +
                          kLuminance[2] * light[3 * x + 2];
        const float strength = own - base;
        energy[x] = strength * strength / ((base > 0 ? base : 0) + kDarkest);
    }
}

/// Takes the detail of a frame where it is stronger than what was chosen so far.   @return the frame's
/// energy, when the caller wants it whole.
cv::Mat1f choose(Level& level, const cv::Mat3f& light, const cv::Mat3f& coarse, int number,
                 const cv::Mat1b& covered, bool whole, const Job& job) {
    const DoubledRows ground(coarse, light.size());
    const int width = light.cols;
    const auto ground_row = [&](int y, std::vector<float>& row) {
        std::vector<float> scratch(std::size_t(coarse.cols) * 3);
        row.resize(std::size_t(width) * 3);
        ground.row(y, row.data(), scratch.data());
    };
    cv::Mat1f all;
    if (whole) all.create(light.size());
    const int across = (width + kSampled - 1) / kSampled;
    cv::Mat1f samples((light.rows + kSampled - 1) / kSampled, across);
    gather_rows(
        light.size(), kEnergySigma,
        [&](int y, float* energy) {
            std::vector<float> below;
            ground_row(y, below);
            contrast_row(light.ptr<float>(y), below.data(), energy, width);
        },
        [&](int y, const float* energy) {
            if (whole) std::copy(energy, energy + width, all[y]);
            if (y % kSampled == 0)
                for (int x = 0; x < across; ++x) samples(y / kSampled, x) = energy[kSampled * x];
            float* const strongest = level.energy[y];
            const uchar* const inside = covered[y];
            // Most places of a frame are not the sharpest: their detail is not even worked out.
            std::vector<float> below;
            const float* own = light.ptr<float>(y);
            float* detail = level.detail.ptr<float>(y);
            ushort* source = level.source[y];
            for (int x = 0; x < width; ++x) {
                if (!inside[x] || !(energy[x] > strongest[x])) continue;
                if (below.empty()) ground_row(y, below);
                strongest[x] = energy[x];
                source[x] = ushort(number);
                for (int c = 3 * x; c < 3 * x + 3; ++c) detail[c] = own[c] - below[std::size_t(c)];
            }
        },
        job);
    level.noise += quiet_energy(samples, kNoiseShare);
    return all;
}

/// Half the size: covered where the place itself is.
cv::Mat1b halved(const cv::Mat1b& covered) {
    cv::Mat1b half((covered.rows + 1) / 2, (covered.cols + 1) / 2);
    for (int y = 0; y < half.rows; ++y)
        for (int x = 0; x < half.cols; ++x) half(y, x) = covered(2 * y, 2 * x);
    return half;
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
    for (cv::Size s = size; levels.empty() || std::min(s.width, s.height) >= kCoarsestSide;
         s = {(s.width + 1) / 2, (s.height + 1) / 2})
        levels.push_back({cv::Mat3f(s, cv::Vec3f(0, 0, 0)), cv::Mat1f(s, -1.0f), cv::Mat1w(s, ushort(0))});
    const cv::Size last = levels.back().energy.size();
    const cv::Size base_size((last.width + 1) / 2, (last.height + 1) / 2);
    cv::Mat3f base(base_size, cv::Vec3f(0, 0, 0));
    cv::Mat1f base_weight(base_size, 0.0f);
    cv::Mat1b any_cover(size, uchar(0));
    LightBounds bounds(size);

    int read = 0;
    for (int place = 0; place < frames.count(); ++place) {
        job.checkpoint(0.95 * place / frames.count());
        const auto frame = frames.load(place, job);
        if (!frame) {
            result.problems.push_back(frame.error());
            continue;
        }
        ++read;
        const int number = frames.index(place) + 1;
        if (settings.glare_guard)
            for_covered_rows(*frame, job.quiet(), [&](int y, int begin, int end) {
                bounds.add_row(y, begin, end, frame->pixels[y]);
            });
        cv::Mat1b covered = coverage_of(*frame);
        any_cover |= covered;
        cv::Mat3f here = frame->pixels;
        cv::Mat1f last_energy;
        for (Level& level : levels) {
            const cv::Mat3f coarse = pyramid_down(here, job.quiet());
            last_energy = choose(level, here, coarse, number, covered, &level == &levels.back(), job.quiet());
            here = coarse;
            covered = halved(covered);
        }
        const cv::Mat1f weight = pyramid_down(last_energy, job.quiet());
        for (int y = 0; y < base.rows; ++y)
            for (int x = 0; x < base.cols; ++x) {
                const float w = covered(y, x) ? weight(y, x) + 1e-9f : 0;
                base(y, x) += w * here(y, x);
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
    job.checkpoint(1);
    return result;
}

}  // namespace moorhaze
