// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/depth_merge.h"

#include <algorithm>
#include <cmath>

#include "core/merge/accumulated.h"
#include "core/merge/focus_depth.h"
#include "core/merge/frame_detail.h"
#include "core/picture/blur.h"
#include "core/work/for_rows.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
namespace {

/// How much of each place in a part of a block a frame supplies.
struct Share {
    cv::Rect of;  ///< empty where it supplies nothing
    cv::Mat1f weight;
};

/// Neighbouring frames share what lies between them; seams are as soft as `seam_width_px` says.
/// @param place  of the frame among those that depth counts.
Share share_of(const cv::Mat1f& depth, cv::Rect block, float place, double seam_width_px) {
    const double sigma = seam_width_px / 2;
    const int reach = sigma > 0 ? std::max(1, int(std::ceil(3 * sigma))) : 0;  // of gaussian_blur
    const cv::Rect around =
        cv::Rect(block.x - reach, block.y - reach, block.width + 2 * reach, block.height + 2 * reach) &
        cv::Rect({}, depth.size());
    cv::Mat1f part(around.size());
    int left = around.width, right = -1, top = around.height, bottom = -1;
    for (int y = 0; y < around.height; ++y) {
        const float* const own = depth[around.y + y] + around.x;
        float* const share = part[y];
        for (int x = 0; x < around.width; ++x) {
            const float near = 1 - std::abs(own[x] - place);
            share[x] = near > 0 ? near : 0;
            if (!(near > 0)) continue;
            left = std::min(left, x), right = std::max(right, x);
            top = std::min(top, y), bottom = y;
        }
    }
    if (right < 0) return {};
    const cv::Rect of = cv::Rect(around.x + left - reach, around.y + top - reach,
                                 right - left + 1 + 2 * reach, bottom - top + 1 + 2 * reach) &
                        block;
    if (of.empty()) return {};
    const cv::Mat1f weight = gaussian_blur(part, sigma, Job{});
    return {of, weight(of - around.tl())};
}

/// Where neither frame next to the depth has pixels, the nearest one that has.
void keep_to_covered(cv::Mat1f& depth, const AlignedFrames& frames, const std::vector<int>& read,
                     const Job& job) {
    std::vector<std::vector<RowSpan>> covered;
    for (const int place : read) covered.push_back(frames.covered(place));
    if (std::all_of(covered.begin(), covered.end(),
                    [&](const auto& own) { return covers_all(own, depth.cols); }))
        return;
    const int last = int(read.size()) - 1;
    for_rows(depth.rows, job, [&](int y) {
        const auto has = [&](int k, int x) {
            const RowSpan span = covered[std::size_t(k)][std::size_t(y)];
            return x >= span.begin && x < span.end;
        };
        for (int x = 0; x < depth.cols; ++x) {
            const float own = std::clamp(depth(y, x), 0.0f, float(last));
            const int before = int(own), after = std::min(before + (own > float(before)), last);
            if (has(before, x) || has(after, x)) continue;
            for (int off = 1; off <= last; ++off) {
                const int nearer = before - off, farther = after + off;
                const bool is_nearer = nearer >= 0 && has(nearer, x);
                if (!is_nearer && !(farther <= last && has(farther, x))) continue;
                depth(y, x) = float(is_nearer ? nearer : farther);
                break;
            }
        }
    });
}

}  // namespace

MergeResult depth_merge(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                        const Job& job) {
    check(settings);
    check_backdrop(settings, frames);
    const ReusedMemory memory;
    const cv::Size size = frames.target().size();
    MergeResult result;
    result.method = "depth";
    result.settings = settings;
    result.area = frames.target();

    const Focus focus = focus_of(frames, settings, context, result, {}, job.part(0, 0.45));
    result.statistics.area = result.area;
    result.statistics.depth_noise = focus.noise;
    result.statistics.detail_size_px = settings.detail_size_px;
    const std::vector<int>& read = focus.read;
    cv::Mat1f depth = at_full_size(focus.field.depth, size);
    keep_to_covered(depth, frames, read, job.quiet());
    result.trust = at_full_size(focus.field.trust, size);

    Accumulated sum(size);
    const Blocks blocks(size);
    for (std::size_t k = 0; k < read.size(); ++k) {
        job.checkpoint(0.45 + 0.5 * double(k) / double(read.size()));
        const auto frame = frames.open(read[k]);
        if (!frame) {
            result.problems.push_back(frame.error());
            continue;
        }
        for_rows(blocks.count(), job.quiet(), [&](int block) {
            const Share share = share_of(depth, blocks[block], float(k), settings.seam_width_px);
            if (!share.of.empty()) sum.add(*frame, share.of, share.weight);
        });
    }
    result.picture = sum.finish(frames, job.quiet());

    // Numbers of the series, not of the frames that were read.
    result.source.create(size);
    result.depth.create(size);
    for_rows(size.height, job.quiet(), [&](int y) {
        for (int x = 0; x < size.width; ++x) {
            const bool covered = result.picture.alpha.empty() || result.picture.alpha.at<ushort>(y, x) > 0;
            result.depth(y, x) = series_number(depth(y, x), frames, read);
            result.source(y, x) =
                covered ? ushort(series_number(std::round(depth(y, x)), frames, read)) : ushort(0);
        }
    });
    const auto floor = float(settings.trust_floor);
    result.made_by = made_by_plane(result.source, job.quiet(), [&](int x, int y) {
        if (focus.highlights(y / 2, x / 2) >= 0) return MadeBy::highlight;
        return result.trust(y, x) < floor ? MadeBy::backdrop : MadeBy::depth_map;
    });
    job.checkpoint(1);
    return result;
}

}  // namespace moorhaze
