// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/accumulated.h"

#include <algorithm>
#include <cmath>

#include "core/merge/sharpness.h"
#include "core/picture/pyramid.h"
#include "core/work/clones.h"

namespace moorhaze {
namespace {

MOORHAZE_CLONES void add_weighted_row(const float* pixels, const float* weight, float* light, float* total,
                                      int begin, int end) {
    for (int x = begin; x < end; ++x) {
        light[3 * x] += weight[x] * pixels[3 * x];
        light[3 * x + 1] += weight[x] * pixels[3 * x + 1];
        light[3 * x + 2] += weight[x] * pixels[3 * x + 2];
        total[x] += weight[x];
    }
}

}  // namespace

void Accumulated::add(const LinearFrame& frame, const cv::Mat1f& weight, const Job& job) {
    for_covered_rows(frame, job, [&](int y, int begin, int end) {
        add_weighted_row(frame.pixels.ptr<float>(y), weight[y], light_.ptr<float>(y), weight_[y], begin, end);
    });
}

void Accumulated::add(const WarpedFrame& frame, cv::Rect block, const cv::Mat1f& weight) {
    const cv::Mat3f light = frame.light(block);
    for (int y = 0; y < block.height; ++y) {
        const RowSpan span = frame.covered()[std::size_t(block.y + y)];
        add_weighted_row(light.ptr<float>(y), weight[y], light_.ptr<float>(block.y + y) + 3 * block.x,
                         weight_[block.y + y] + block.x, std::clamp(span.begin - block.x, 0, block.width),
                         std::clamp(span.end - block.x, 0, block.width));
    }
}

Picture Accumulated::finish(const AlignedFrames& frames, const Job& job) {
    cv::Mat1b covered(light_.size());
    for_rows(light_.rows, job, [&](int y) {
        auto* light = light_.ptr<float>(y);
        for (int x = 0; x < light_.cols; ++x) {
            const float total = weight_(y, x);
            covered(y, x) = total > 0 ? 255 : 0;
            const float scale = total > 0 ? 1 / total : 0;
            for (int channel = 0; channel < 3; ++channel) light[3 * x + channel] *= scale;
        }
    });
    return finished_picture(light_, covered, frames);
}

Picture finished_picture(const cv::Mat3f& linear, const cv::Mat1b& covered, const AlignedFrames& frames) {
    Picture picture = from_linear(linear, frames.curve(), frames.profile());
    if (cv::countNonZero(covered) < int(covered.total())) covered.convertTo(picture.alpha, CV_16U, 257);
    return picture;
}

float series_number(float place, const AlignedFrames& frames, const std::vector<int>& read) {
    const float held = std::clamp(place, 0.0f, float(read.size() - 1));
    const auto below = std::min(std::size_t(held), read.size() - 1),
               above = std::min(below + 1, read.size() - 1);
    return std::lerp(float(frames.index(read[below])), float(frames.index(read[above])),
                     held - float(below)) +
           1;
}

cv::Mat1b coverage_of(const std::vector<RowSpan>& covered, cv::Size size) {
    cv::Mat1b plane(size, uchar(0));
    for (int y = 0; y < plane.rows; ++y) {
        const RowSpan span = covered[std::size_t(y)];
        std::fill(plane[y] + span.begin, plane[y] + span.end, uchar(255));
    }
    return plane;
}

cv::Mat1f small_places(const cv::Mat1w& source) {
    const int step = std::max(1, source.cols / 1000);
    cv::Mat1f places((source.rows + step - 1) / step, (source.cols + step - 1) / step);
    for (int y = 0; y < places.rows; ++y)
        for (int x = 0; x < places.cols; ++x) places(y, x) = float(source(step * y, step * x));
    return places;
}

cv::Mat1f fill_from_around(const cv::Mat1f& value, const cv::Mat1f& weight, const Job& job) {
    struct Level {
        cv::Mat1f weighted, weight;
    };
    std::vector<Level> levels{{value.mul(weight), weight}};
    while (std::min(levels.back().weight.cols, levels.back().weight.rows) > 2) {
        const Level& fine = levels.back();
        Level coarse{pyramid_down(fine.weighted, job.quiet()), pyramid_down(fine.weight, job.quiet())};
        levels.push_back(std::move(coarse));
    }
    cv::Mat1f filled;
    for (auto level = levels.rbegin(); level != levels.rend(); ++level) {
        cv::Mat1f here(level->weight.size());
        cv::Mat1f around;
        if (!filled.empty()) around = pyramid_up(filled, here.size(), job.quiet());
        for_rows(here.rows, job.quiet(), [&](int y) {
            for (int x = 0; x < here.cols; ++x) {
                const float own = level->weight(y, x);
                if (around.empty())
                    here(y, x) = own > 0 ? level->weighted(y, x) / own : 0;
                else {
                    // What is known here counts up to 1, the rest comes from farther out.
                    const float share = std::min(own * (level + 1 == levels.rend() ? 1.0f : 8.0f), 1.0f);
                    here(y, x) = own > 0 ? share * level->weighted(y, x) / own + (1 - share) * around(y, x)
                                         : around(y, x);
                }
            }
        });
        filled = here;
    }
    return filled;
}

}  // namespace moorhaze
