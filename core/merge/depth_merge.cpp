#include "core/merge/depth_merge.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/merge/accumulated.h"
#include "core/merge/focus_depth.h"
#include "core/merge/sharpness.h"
#include "core/picture/blur.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
SharpnessPeaks::SharpnessPeaks(cv::Size size)
    : best_(size, 0.0f),
      left_(size, 0.0f),
      right_(size, 0.0f),
      previous_(size, 0.0f),
      sum_(size, 0.0f),
      place_(size, ushort(0)) {}

void SharpnessPeaks::add(const cv::Mat1f& sharpness, const Job& job) {
    const auto here = ushort(count_);
    for_rows(best_.rows, job, [&](int y) {
        const float* value = sharpness[y];
        float *best = best_[y], *left = left_[y], *right = right_[y], *previous = previous_[y],
              *sum = sum_[y];
        ushort* place = place_[y];
        for (int x = 0; x < best_.cols; ++x) {
            if (place[x] + 1 == here) right[x] = value[x];
            if (value[x] > best[x]) {
                best[x] = value[x];
                left[x] = previous[x];
                right[x] = 0;
                place[x] = here;
            }
            previous[x] = value[x];
            sum[x] += value[x];
        }
    });
    ++count_;
}

cv::Mat1f SharpnessPeaks::depth(const Job& job) const {
    cv::Mat1f depth(best_.size());
    for_rows(depth.rows, job, [&](int y) {
        for (int x = 0; x < depth.cols; ++x) {
            float offset = 0;
            const float left = left_(y, x), here = best_(y, x), right = right_(y, x);
            if (place_(y, x) > 0 && place_(y, x) + 1 < count_ && left > 0 && right > 0) {
                const float a = std::log(left), b = std::log(here), c = std::log(right);
                const float bend = a - 2 * b + c;
                if (bend < -1e-6f) offset = std::clamp(0.5f * (a - c) / bend, -0.5f, 0.5f);
            }
            depth(y, x) = float(place_(y, x)) + offset;
        }
    });
    return depth;
}

cv::Mat1f SharpnessPeaks::trust(const Job& job, float quiet) const {
    cv::Mat1f trust(best_.size());
    for_rows(trust.rows, job, [&](int y) {
        for (int x = 0; x < trust.cols; ++x) {
            const float best = best_(y, x);
            const float mean = sum_(y, x) / float(std::max(1, count_));
            trust(y, x) = (best - mean) / (best + quiet);
        }
    });
    return trust;
}

MergeResult depth_merge(AlignedFrames& frames, const MergeSettings& settings, const Job& job) {
    check(settings);
    check_backdrop(settings, frames);
    const ReusedMemory memory;
    const cv::Size size = frames.target().size();
    MergeResult result;
    result.method = "depth";
    result.settings = settings;
    result.area = frames.target();

    std::vector<int> read;  // places of frames that could be read
    SharpnessPeaks peaks(size);
    for (int place = 0; place < frames.count(); ++place) {
        job.checkpoint(0.5 * place / frames.count());
        const auto frame = frames.load(place, job);
        if (!frame) {
            result.problems.push_back(frame.error());
            continue;
        }
        read.push_back(place);
        peaks.add(sharpness_of(*frame, settings.detail_size_px, job), job.quiet());
    }
    if (read.empty())
        throw FileError(result.problems.empty() ? "there is no frame to merge" : result.problems[0].what);

    const cv::Mat1f trust = peaks.trust(job.quiet());
    result.trust = trust;
    cv::Mat1f weight(size);
    const auto floor = float(settings.trust_floor);
    for_rows(size.height, job.quiet(), [&](int y) {
        for (int x = 0; x < size.width; ++x) {
            // Rises over a tenth above the floor, so that moving the floor moves no hard edge.
            const float above = std::clamp((trust(y, x) - floor) * 10 + 0.5f, 0.0f, 1.0f);
            weight(y, x) = above;
        }
    });
    cv::Mat1f depth = fill_from_around(peaks.depth(job.quiet()), weight, job.quiet());
    cv::medianBlur(depth, depth, 5);
    if (settings.backdrop_frame > 0)
        depth.setTo(place_of_backdrop(settings, frames, read),
                    backdrop_of(trust, settings.trust_floor, kBackdropReach));

    Accumulated sum(size);
    for (std::size_t k = 0; k < read.size(); ++k) {
        job.checkpoint(0.5 + 0.5 * double(k) / double(read.size()));
        const auto frame = frames.load(read[k], job);
        if (!frame) {
            result.problems.push_back(frame.error());
            continue;
        }
        cv::Mat1f part(size);
        for_rows(size.height, job.quiet(), [&](int y) {
            for (int x = 0; x < size.width; ++x)
                part(y, x) = std::max(0.0f, 1 - std::abs(depth(y, x) - float(k)));
        });
        sum.add(
            *frame,
            settings.seam_width_px > 0 ? gaussian_blur(part, settings.seam_width_px / 2, job.quiet()) : part,
            job.quiet());
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
    job.checkpoint(1);
    return result;
}

}  // namespace moorhaze
