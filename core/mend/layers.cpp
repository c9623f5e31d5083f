// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/layers.h"

#include <algorithm>
#include <cmath>

#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kFull = 65535;

/// What of an area is painted at all.
PixelRect painted_bounds(const cv::Mat1f& share, PixelRect area) {
    int left = share.cols, right = -1, top = share.rows, bottom = -1;
    for (int y = 0; y < share.rows; ++y)
        for (int x = 0; x < share.cols; ++x)
            if (share(y, x) > 0)
                left = std::min(left, x), right = std::max(right, x), top = std::min(top, y), bottom = y;
    if (right < left) return {};
    return {area.x + left, area.y + top, right - left + 1, bottom - top + 1};
}

/// The colours that, laid over `beneath` by the shares, give `after`.
Picture layer_between(const cv::Mat& beneath, const cv::Mat& after, const cv::Mat1f& share,
                      const ColourProfile& profile) {
    Picture layer{cv::Mat(after.size(), CV_16UC3), cv::Mat(after.size(), CV_16UC1), profile};
    for_rows(after.rows, Job{}, [&](int y) {
        for (int x = 0; x < after.cols; ++x) {
            const cv::Vec3w old = beneath.at<cv::Vec3w>(y, x), own = after.at<cv::Vec3w>(y, x);
            double alpha = std::clamp(double(share(y, x)), 0.0, 1.0);
            // Where no colour could do it the layer covers more.
            for (int c = 0; c < 3; ++c) {
                if (own[c] > old[c] && old[c] < kFull)
                    alpha = std::max(alpha, double(own[c] - old[c]) / (kFull - old[c]));
                if (own[c] < old[c]) alpha = std::max(alpha, double(old[c] - own[c]) / old[c]);
            }
            const double stored = std::ceil(alpha * kFull) / kFull;
            layer.alpha.at<std::uint16_t>(y, x) = std::uint16_t(std::lround(stored * kFull));
            for (int c = 0; c < 3; ++c)
                layer.pixels.at<cv::Vec3w>(y, x)[c] =
                    stored > 0 ? cv::saturate_cast<std::uint16_t>((own[c] - (1 - stored) * old[c]) / stored)
                               : own[c];
        }
    });
    return layer;
}

}  // namespace

void mend_layers(const MergeResult& merge, const SharedList<Stroke>& strokes, const MendSources& sources,
                 const TakeMendLayer& take, const Job& job) {
    const MergePlanes planes = planes_of(merge, sources.frames.series());
    const SourcePixels pixels = pixels_of(sources, job);
    StrokeRendering rendering(merge.picture, planes, strokes, sources.frames.curve(), pixels);
    for (int first = 0, end = 0; first < strokes.size(); first = end) {
        std::vector<StrokeShape> shapes;
        std::vector<int> group;
        PixelRect reach;
        for (; end < strokes.size() && strokes[end].source == strokes[first].source; ++end) {
            if (strokes[end].is_off) continue;
            group.push_back(end);
            shapes.push_back(strokes[end].shape);
            reach |= reach_of(strokes[end]) & merge.area;
        }
        job.checkpoint(double(first) / strokes.size());
        if (reach.empty()) continue;
        cv::Mat1f share(reach.size(), 0.0f);
        for (const int stroke : group) {
            const PixelRect where = reach_of(strokes[stroke]) & reach;
            if (where.empty()) continue;
            const cv::Mat1f own = stroke_mask(strokes[stroke], where, planes, job.quiet());
            cv::Mat1f there = share(where - reach.tl());
            there += own.mul(1 - there);
        }
        const PixelRect area = painted_bounds(share, reach);
        if (area.empty()) continue;
        const cv::Mat beneath = rendering.pixels(first, area, job.quiet()),
                      made = rendering.pixels(end, area, job.quiet());
        take({strokes[first].source, shapes,
              layer_between(beneath, made, share(area - reach.tl()), merge.picture.profile), area});
    }
}

}  // namespace moorhaze
