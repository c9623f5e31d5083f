// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/highlights.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <opencv2/imgproc.hpp>

#include "core/merge/frame_detail.h"
#include "core/picture/blur.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kBrightLevel = 0.9;  // of the encoded full scale
constexpr double kRim = 4.5;          // places of a highlight's soft rim, by the root of its area
constexpr int kSoft = 6;              // px that a highlight's frame passes into the merge over
/// From frame to frame, of the root of the area: a disc whose radius grows by 7 px of full size, more than in
/// any series without gaps.
constexpr double kMostStep = 6;
constexpr int kEvenly = 4;  // frames that it grows over, where it is sharp beyond the first or the last
constexpr double kGrowsAlone = 3;  // times the area, where there is one side only
/// What the root of the area rises by on one side of its frame, and how many times that on the other: of the
/// root itself, since most of a large highlight is clipped in every frame; times what single frames stray by;
/// px of half size.
constexpr double kRises = 0.04, kBeyondStray = 2, kLeastRise = 0.3, kOtherSide = 1.4;
/// Of the plane's long side: what is larger is a wall or a sky rather than a lamp's mirror image, and has to
/// rise by more.
constexpr double kLamp = 0.05, kRisesLarge = 0.14;
/// The soft rim around what is clipped of a disc: px of half size, and of the radius of the largest.
constexpr double kAround_px = 5, kAroundDisc = 0.8;

/// Roots of areas, each with half of its neighbours': what noise clips more or less of is evened out.
std::vector<double> even_roots(const std::vector<int>& areas) {
    std::vector<double> roots(areas.size()), even(areas.size());
    for (std::size_t k = 0; k < areas.size(); ++k) roots[k] = std::sqrt(double(areas[k]));
    for (std::size_t k = 0; k < areas.size(); ++k) {
        double sum = 2 * roots[k], total = 2;
        if (k > 0 && areas[k - 1] > 0) sum += roots[k - 1], ++total;
        if (k + 1 < areas.size() && areas[k + 1] > 0) sum += roots[k + 1], ++total;
        even[k] = areas[k] > 0 ? sum / total : 0;
    }
    return even;
}

/// How far roots of areas rise on one side of a frame before they fall below its own.
/// @param step   1 towards the last frame, -1 towards the first.
double rise(const std::vector<double>& roots, int frame, int step) {
    const double own = roots[std::size_t(frame)];
    double most = own;
    for (int k = frame + step; k >= 0 && k < int(roots.size()); k += step) {
        const double here = roots[std::size_t(k)];
        if (here < own) break;
        most = std::max(most, here);
    }
    return most - own;
}

/// How far single frames stray from their neighbours.
double strays(const std::vector<int>& areas) {
    std::vector<double> off;
    for (std::size_t k = 1; k + 1 < areas.size(); ++k)
        if (areas[k - 1] > 0 && areas[k] > 0 && areas[k + 1] > 0)
            off.push_back(std::abs(std::sqrt(double(areas[k])) -
                                   (std::sqrt(double(areas[k - 1])) + std::sqrt(double(areas[k + 1]))) / 2));
    if (off.empty()) return 0;
    std::nth_element(off.begin(), off.begin() + std::ptrdiff_t(off.size() / 2), off.end());
    return off[off.size() / 2];
}

/// Whether a neighbouring frame's area is larger by no more than blur makes it: a frame that alone is darker,
/// as when a flash failed, is no bottom of a V.
bool follows(const std::vector<int>& areas, int frame, int neighbour) {
    if (neighbour < 0 || neighbour >= int(areas.size())) return true;
    return std::sqrt(double(areas[std::size_t(neighbour)])) <=
           std::sqrt(double(areas[std::size_t(frame)])) + kMostStep;
}

/// Whether they grow from frame to frame for a while.
bool grows_evenly(const std::vector<int>& areas, int frame, int step) {
    for (int i = 0; i < kEvenly; ++i, frame += step) {
        const int next = frame + step;
        if (next < 0 || next >= int(areas.size()) || areas[std::size_t(next)] < areas[std::size_t(frame)])
            return false;
    }
    return true;
}

/// The frame of a highlight's depth; -1 where areas are no highlight's.
/// @param is_large  for a lamp's mirror image.
int frame_of(const std::vector<int>& areas, bool is_large) {
    const int last = int(areas.size()) - 1;
    const std::vector<double> roots = even_roots(areas);
    const double stray = strays(areas);
    int found = -1;
    for (int k = 1; k < last; ++k) {
        const double own = roots[std::size_t(k)];
        if (areas[std::size_t(k)] == 0 || (found >= 0 && own >= roots[std::size_t(found)])) continue;
        if (!follows(areas, k, k - 1) || !follows(areas, k, k + 1)) continue;
        const double before = rise(roots, k, -1), after = rise(roots, k, 1);
        const double least =
            std::max({(is_large ? kRisesLarge : kRises) * own, kBeyondStray * stray, kLeastRise});
        if (std::min(before, after) >= least && std::max(before, after) >= kOtherSide * least) found = k;
    }
    if (found >= 0) return found;
    // It may be sharp beyond the frames.
    const auto times = [&](int from, int step) {
        return rise(roots, from, step) >= (std::sqrt(kGrowsAlone) - 1) * roots[std::size_t(from)];
    };
    if (areas.front() > 0 && times(0, 1) && grows_evenly(areas, 0, 1)) return 0;
    if (areas.back() > 0 && times(last, -1) && grows_evenly(areas, last, -1)) return last;
    return -1;
}

}  // namespace

Highlights::Highlights(const AlignedFrames& frames)
    : Highlights({(frames.target().width + 1) / 2, (frames.target().height + 1) / 2},
                 std::max(frames.frame_size().width, frames.frame_size().height) / 2) {}

void Highlights::add(const WarpedFrame& frame, const Job& job) {
    add(frame.clipped(kClippedLevel, job), frame.clipped(kBrightLevel, job));
}

void Highlights::add(std::vector<ClippedRun> clipped, std::vector<ClippedRun> bright) {
    clipped_.push_back(std::move(clipped));
    bright_.push_back(std::move(bright));
}

cv::Mat1s Highlights::frames(const Job& job) const {
    cv::Mat1s frames(size_, kNoHighlight);
    cv::Mat1b any(size_, uchar(0));
    for (const auto& runs : clipped_)
        for (const ClippedRun& run : runs)
            std::fill(any[run.y] + run.begin, any[run.y] + run.end, uchar(255));
    cv::dilate(any, any, cv::Mat());  // rows may be left out
    cv::Mat1i labels;
    const int count = cv::connectedComponents(any, labels, 8, CV_32S);
    if (count <= 1) return frames;
    std::vector<std::vector<int>> areas(std::size_t(count), std::vector<int>(clipped_.size(), 0));
    for (std::size_t k = 0; k < clipped_.size(); ++k)
        for (const ClippedRun& run : clipped_[k])  // hangs together, so that all of it has one label
            areas[std::size_t(labels(run.y, run.begin))][k] += run.end - run.begin;
    std::vector<short> of(std::size_t(count), kNoHighlight);
    std::vector<float> reaches(std::size_t(count), 0.0f);  // of the soft rim around it
    for (std::size_t label = 1; label < areas.size(); ++label) {
        const double radius =
            std::sqrt(*std::max_element(areas[label].begin(), areas[label].end()) / std::numbers::pi);
        const double lamp = kLamp * long_side_;
        of[label] = short(frame_of(areas[label], radius > lamp));
        // Around a large one that is none the frames are as they are.
        if (of[label] < 0 && radius <= lamp) of[label] = kUnknownFrame;
        reaches[label] = float(kAround_px + kAroundDisc * std::min(radius, lamp));
    }
    std::vector<int> bright(std::size_t(count), 0);  // of each in its frame
    for (std::size_t k = 0; k < bright_.size(); ++k) {
        if (std::find(of.begin(), of.end(), short(k)) == of.end()) continue;
        for (const ClippedRun& run : bright_[k])
            for (int x = run.begin; x < run.end; ++x) {
                const auto label = std::size_t(labels(run.y, x));
                if (of[label] == short(k)) ++bright[label];
            }
    }
    for (std::size_t label = 1; label < areas.size(); ++label) {
        if (of[label] < 0) continue;
        const double own = areas[label][std::size_t(of[label])];
        if (bright[label] > own + kRim * (std::sqrt(own) + 1)) of[label] = kNoHighlight;
    }
    if (std::all_of(of.begin(), of.end(), [](short frame) { return frame == kNoHighlight; })) return frames;
    cv::Mat1b outside(size_, uchar(255));
    for_rows(outside.rows, job, [&](int y) {
        for (int x = 0; x < outside.cols; ++x)
            if (of[std::size_t(labels(y, x))] != kNoHighlight) outside(y, x) = 0;
    });
    cv::Mat1f distance;
    cv::Mat1i nearest;  // the number of the nearest part inside; parts are those of the labels
    cv::distanceTransform(outside, distance, nearest, cv::DIST_L2, cv::DIST_MASK_5, cv::DIST_LABEL_CCOMP);
    std::vector<int> label_of(std::size_t(count), 0);
    for (int y = 0; y < outside.rows; ++y)
        for (int x = 0; x < outside.cols; ++x)
            if (outside(y, x) == 0) label_of[std::size_t(nearest(y, x))] = labels(y, x);
    for_rows(frames.rows, job, [&](int y) {
        for (int x = 0; x < frames.cols; ++x) {
            const auto label = std::size_t(label_of[std::size_t(nearest(y, x))]);
            if (distance(y, x) <= reaches[label]) frames(y, x) = of[label];
        }
    });
    return frames;
}

std::vector<FrameProblem> lay_highlights(const cv::Mat1s& highlights, const std::vector<int>& read,
                                         AlignedFrames& frames, cv::Mat3f& merged, cv::Mat1w& source,
                                         const Job& job) {
    std::vector<FrameProblem> problems;
    const Blocks blocks(merged.size());
    for (int k = 0; k < int(read.size()); ++k) {
        const cv::Mat1b own = highlights == k;
        if (cv::countNonZero(own) == 0) continue;
        const int place = read[std::size_t(k)];
        const auto frame = frames.open(place);
        if (!frame) {
            problems.push_back(frame.error());
            continue;
        }
        for_rows(blocks.count(), job.quiet(), [&](int which) {
            const cv::Rect block = blocks[which];
            const cv::Rect around =
                cv::Rect(block.tl() - cv::Point(kSoft, kSoft), block.br() + cv::Point(kSoft, kSoft)) &
                cv::Rect({}, merged.size());
            cv::Mat1f share(around.size());
            for (int y = 0; y < around.height; ++y)
                for (int x = 0; x < around.width; ++x)
                    share(y, x) = own((around.y + y) / 2, (around.x + x) / 2) > 0 ? 1.0f : 0.0f;
            if (cv::countNonZero(share) == 0) return;
            share = gaussian_blur(share, kSoft / 3.0, Job{});
            const cv::Mat3f light = frame->light(block);
            for (int y = block.y; y < block.br().y; ++y) {
                const RowSpan span = frame->covered()[std::size_t(y)];
                for (int x = std::max(block.x, span.begin); x < std::min(block.br().x, span.end); ++x) {
                    const float held = share(y - around.y, x - around.x);
                    if (!(held > 0)) continue;
                    merged(y, x) += held * (light(y - block.y, x - block.x) - merged(y, x));
                    if (held > 0.5f) source(y, x) = ushort(frames.index(place) + 1);
                }
            }
        });
    }
    return problems;
}

}  // namespace moorhaze
