#include "core/merge/pyramid_merge.h"

#include <algorithm>
#include <cmath>

#include "core/merge/accumulated.h"
#include "core/merge/light_bounds.h"
#include "core/merge/sharpness.h"
#include "core/picture/blur.h"
#include "core/picture/luma.h"
#include "core/picture/pyramid.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
namespace {

constexpr int kCoarsestSide = 12;
constexpr float kDarkest = 0.01f;  // linear; keeps the contrast of black places from exploding
/// The window in which energy is gathered, in pixels of its level. Larger breaks thin hairs, smaller adds
/// noise.
constexpr double kEnergySigma = 1.0;

struct Level {
    cv::Mat3f detail;  ///< chosen so far
    cv::Mat1f energy;  ///< its energy
    cv::Mat1w source;  ///< its frame, from 1
};

float luminance(const cv::Vec3f& light) {
    return kLuminance[0] * light[0] + kLuminance[1] * light[1] + kLuminance[2] * light[2];
}

/// Squared contrast of the detail against the light it stands on.
cv::Mat1f energy_of(const cv::Mat3f& detail, const cv::Mat3f& ground, const Job& job) {
    cv::Mat1f energy(detail.size());
    for_rows(detail.rows, job, [&](int y) {
        for (int x = 0; x < detail.cols; ++x) {
            const float base = std::max(luminance(ground(y, x)), 0.0f) + kDarkest;
            const float strength = luminance(detail(y, x));
            energy(y, x) = strength * strength / base;
        }
    });
    return gaussian_blur(energy, kEnergySigma, job);
}

void take_where_stronger(Level& level, const cv::Mat3f& detail, const cv::Mat1f& energy, int number,
                         const cv::Mat1b& covered, const Job& job) {
    for_rows(detail.rows, job, [&](int y) {
        for (int x = 0; x < detail.cols; ++x)
            if (covered(y, x) && energy(y, x) > level.energy(y, x)) {
                level.energy(y, x) = energy(y, x);
                level.detail(y, x) = detail(y, x);
                level.source(y, x) = ushort(number);
            }
    });
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
            const cv::Mat3f ground = pyramid_up(coarse, here.size(), job.quiet());
            const cv::Mat3f detail = here - ground;
            const cv::Mat1f energy = energy_of(detail, ground, job.quiet());
            take_where_stronger(level, detail, energy, number, covered, job.quiet());
            here = coarse;
            covered = halved(covered);
            last_energy = energy;
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
    cv::Mat3f merged = base;
    for (auto level = levels.rbegin(); level != levels.rend(); ++level) {
        merged = pyramid_up(merged, level->detail.size(), job.quiet());
        merged += level->detail;
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
