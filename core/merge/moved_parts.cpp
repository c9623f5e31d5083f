// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/moved_parts.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <opencv2/imgproc.hpp>

#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kComparedSteps = 3;                      // steps to each side that a step is compared with
constexpr float kFarOut = 5, kOut = 2.5f;              // times the steps around it: seed, grown over
constexpr float kLeast = 0.03f, kLeastGrown = 0.010f;  // perceptual luma
constexpr int kSmallest = 6;                           // small pixels that a part has at least
constexpr double kCut = 0.15;  // share of a part's seeds that a step must hold to cut its run

/// How far a step stands out at a place: 2 seed, 1 grown over when it touches a seed, 0 not at all.
void mark_steps(const std::vector<cv::Mat1f>& light, float noise, int y, std::vector<cv::Mat1b>& marks) {
    const int count = int(light.size());
    std::vector<float> steps(static_cast<std::size_t>(count)), around;
    for (int x = 0; x < light[0].cols; ++x) {
        for (int k = 1; k < count; ++k)
            steps[std::size_t(k)] = std::abs(light[std::size_t(k)](y, x) - light[std::size_t(k) - 1](y, x));
        for (int k = 1; k < count; ++k) {
            const float step = steps[std::size_t(k)];
            if (step < kLeastGrown + 3 * noise) continue;
            around.clear();
            for (int j = std::max(1, k - kComparedSteps); j <= std::min(count - 1, k + kComparedSteps); ++j)
                if (j != k) around.push_back(steps[std::size_t(j)]);
            if (around.empty()) continue;
            // The third quarter, so that a quick but smooth change is none.
            const auto third = around.begin() + long(around.size() * 3 / 4);
            std::nth_element(around.begin(), third, around.end());
            const float usual = *third + noise;
            if (step > kFarOut * usual && step > kLeast + 3 * noise)
                marks[std::size_t(k)](y, x) = 2;
            else if (step > kOut * usual)
                marks[std::size_t(k)](y, x) = 1;
        }
    }
}

/// Marks that hang together with seeds; 255 there, 0 elsewhere.
cv::Mat1b grown(const cv::Mat1b& marks) {
    cv::Mat1b kept(marks.size(), uchar(0));
    cv::Mat1i labels;
    const int count = cv::connectedComponents(marks > 0, labels, 8, CV_32S);
    std::vector<int> seeds(static_cast<std::size_t>(count)), area(static_cast<std::size_t>(count));
    for (int y = 0; y < marks.rows; ++y)
        for (int x = 0; x < marks.cols; ++x) {
            ++area[std::size_t(labels(y, x))];
            seeds[std::size_t(labels(y, x))] += marks(y, x) == 2;
        }
    for (int y = 0; y < marks.rows; ++y)
        for (int x = 0; x < marks.cols; ++x) {
            const auto label = std::size_t(labels(y, x));
            if (label > 0 && seeds[label] > 1 && area[label] >= kSmallest) kept(y, x) = 255;
        }
    return kept;
}

}  // namespace

MovedParts find_moved_parts(const std::vector<cv::Mat1f>& light, const std::vector<cv::Mat1f>& sharpness,
                            float noise, const Job& job) {
    const int count = int(light.size());
    const cv::Size size = light[0].size();
    MovedParts moved{cv::Mat1w(size, ushort(0)), cv::Mat1w(size, ushort(count - 1)), 0};
    if (count < 3) return moved;
    std::vector<cv::Mat1b> marks;
    for (int k = 0; k < count; ++k) marks.emplace_back(size, uchar(0));
    for_rows(size.height, job, [&](int y) { mark_steps(light, noise, y, marks); });
    cv::Mat1b all(size, uchar(0));
    for (cv::Mat1b& mark : marks) {
        mark = grown(mark);
        all |= mark;
    }
    // What lies close together moved together; the rim shows a little of the movement too.
    cv::Mat1b joined;
    cv::dilate(all, joined, cv::getStructuringElement(cv::MORPH_ELLIPSE, {5, 5}));
    cv::Mat1i labels;
    const int found = cv::connectedComponents(joined, labels, 8, CV_32S);
    for (int part = 1; part < found; ++part) {
        const cv::Mat1b inside = labels == part;
        std::vector<int> held(static_cast<std::size_t>(count));
        int most = 0;
        for (int k = 1; k < count; ++k) {
            held[std::size_t(k)] = cv::countNonZero(marks[std::size_t(k)] & inside);
            most = std::max(most, held[std::size_t(k)]);
        }
        if (most < kSmallest) continue;
        ++moved.parts;
        std::vector<int> cuts{0};
        for (int k = 1; k < count; ++k)
            if (held[std::size_t(k)] >= std::max(kSmallest, int(kCut * most))) cuts.push_back(k);
        cuts.push_back(count);
        double best = -1;
        int from = 0, to = count;
        for (std::size_t c = 0; c + 1 < cuts.size(); ++c) {
            double sum = 0;
            for (int y = 0; y < size.height; ++y)
                for (int x = 0; x < size.width; ++x) {
                    if (!inside(y, x)) continue;
                    float sharpest = 0;
                    for (int k = cuts[c]; k < cuts[c + 1]; ++k)
                        sharpest = std::max(sharpest, sharpness[std::size_t(k)](y, x));
                    sum += std::sqrt(sharpest);
                }
            if (sum > best) best = sum, from = cuts[c], to = cuts[c + 1];
        }
        moved.first.setTo(from, inside);
        moved.last.setTo(to - 1, inside);
    }
    return moved;
}

}  // namespace moorhaze
