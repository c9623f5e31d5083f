// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/highlights.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/merge/frame_detail.h"
#include "core/picture/blur.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kBrightLevel = 0.9;  // of the encoded full scale
constexpr double kRim = 4.5;          // places of a highlight's soft rim, by the root of its area
constexpr int kSoft = 6;              // px that a highlight's frame passes into the merge over
constexpr int kLeastGrowth = 3;       // px of half size that a highlight's area grows by
/// From frame to frame, of the root of the area: a disc whose radius grows by 7 px of full size, more than in
/// any series without gaps.
constexpr double kMostStep = 6;
constexpr int kEvenly = 4;  // frames that it grows over, where it is sharp beyond the first or the last
/// Times the least area: on one side and on the other; where there is one side only.
constexpr double kGrows = 2, kGrowsLittle = 1.3, kGrowsAlone = 3;
constexpr int kAround_px = 5;  // of half size: the soft rim of a disc

/// Whether areas grow on one side of a frame as a highlight's do. Far off they fall to 0 again.
/// @param step   1 towards the last frame, -1 towards the first.
/// @param times  the frame's own area that they grow to.
bool grows(const std::vector<int>& areas, int frame, int step, double times) {
    const int own = areas[std::size_t(frame)];
    int most = own;
    for (int k = frame + step; k >= 0 && k < int(areas.size()); k += step) {
        const int here = areas[std::size_t(k)];
        if (here < own) break;
        most = std::max(most, here);
    }
    return most >= times * own && most >= own + kLeastGrowth;
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
int frame_of(const std::vector<int>& areas) {
    const int last = int(areas.size()) - 1;
    int found = -1;
    for (int k = 1; k < last; ++k)
        if (areas[std::size_t(k)] > 0 && follows(areas, k, k - 1) && follows(areas, k, k + 1) &&
            grows(areas, k, -1, kGrowsLittle) && grows(areas, k, 1, kGrowsLittle) &&
            (grows(areas, k, -1, kGrows) || grows(areas, k, 1, kGrows)) &&
            (found < 0 || areas[std::size_t(k)] < areas[std::size_t(found)]))
            found = k;
    if (found >= 0) return found;
    // It may be sharp beyond the frames.
    if (areas.front() > 0 && grows(areas, 0, 1, kGrowsAlone) && grows_evenly(areas, 0, 1)) return 0;
    if (areas.back() > 0 && grows(areas, last, -1, kGrowsAlone) && grows_evenly(areas, last, -1)) return last;
    return -1;
}

}  // namespace

void Highlights::add(const WarpedFrame& frame, const Job& job) {
    add(frame.clipped(kClippedLevel, job), frame.clipped(kBrightLevel, job));
}

void Highlights::add(std::vector<ClippedRun> clipped, std::vector<ClippedRun> bright) {
    clipped_.push_back(std::move(clipped));
    bright_.push_back(std::move(bright));
}

cv::Mat1s Highlights::frames(const Job& job) const {
    cv::Mat1s frames(size_, short(-1));
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
    std::vector<short> of(std::size_t(count), short(-1));
    for (std::size_t label = 1; label < areas.size(); ++label) of[label] = short(frame_of(areas[label]));
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
        if (bright[label] > own + kRim * (std::sqrt(own) + 1)) of[label] = -1;
    }
    if (std::all_of(of.begin(), of.end(), [](short frame) { return frame < 0; })) return frames;
    for_rows(frames.rows, job, [&](int y) {
        for (int x = 0; x < frames.cols; ++x) frames(y, x) = of[std::size_t(labels(y, x))];
    });
    cv::dilate(frames, frames,
               cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * kAround_px + 1, 2 * kAround_px + 1}));
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
