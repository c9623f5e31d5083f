// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/tinted_edges.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/work/for_rows.h"

namespace moorhaze::desktop {
namespace {

// Complementary, so that edges which coincide are white.
constexpr std::array<float, 3> kShown{178, 92, 255}, kOther{77, 163, 0};
constexpr float kGroundShare = 0.3f;
constexpr double kStrong = 0.99;  // the share of places whose edges are weaker than full strength

cv::Mat1b grey_of(const Picture& picture, const Job& job) {
    const cv::Mat3b pixels = with_bits(picture, 8).pixels;
    cv::Mat1b grey(pixels.size());
    for_rows(grey.rows, job, [&](int y) {
        for (int x = 0; x < grey.cols; ++x)
            grey(y, x) = uchar((54 * pixels(y, x)[0] + 183 * pixels(y, x)[1] + 19 * pixels(y, x)[2]) / 256);
    });
    return grey;
}

/// How steep the picture is at each place, 255 for its strongest edges.
cv::Mat1b edges_of(const cv::Mat1b& grey, const Job& job) {
    cv::Mat1b edges(grey.size());
    for_rows(grey.rows, job, [&](int y) {
        const uchar *above = grey[std::max(0, y - 1)], *here = grey[y],
                    *below = grey[std::min(grey.rows - 1, y + 1)];
        for (int x = 0; x < grey.cols; ++x) {
            const int left = std::max(0, x - 1), right = std::min(grey.cols - 1, x + 1);
            edges(y, x) = uchar(std::hypot(here[right] - here[left], below[x] - above[x]) / 1.42f);
        }
    });
    std::array<long, 256> count{};
    for (int y = 0; y < edges.rows; y += 4)
        for (int x = 0; x < edges.cols; x += 4) ++count[edges(y, x)];
    long below = 0, all = 0;
    for (const long n : count) all += n;
    int strong = 0;
    while (strong < 255 && double(below += count[std::size_t(strong)]) < kStrong * double(all)) ++strong;
    const float scale = 255.0f / float(std::max(strong, 4));
    for_rows(edges.rows, job, [&](int y) {
        for (int x = 0; x < edges.cols; ++x)
            edges(y, x) = uchar(std::min(255.0f, float(edges(y, x)) * scale));
    });
    return edges;
}

}  // namespace

cv::Mat3b tinted_edges(const Picture& shown, const Picture& other, const Job& job) {
    const cv::Mat1b one = grey_of(shown, job), two = grey_of(other, job);
    const cv::Mat1b edges_one = edges_of(one, job), edges_two = edges_of(two, job);
    cv::Mat3b tinted(one.size());
    for_rows(tinted.rows, job, [&](int y) {
        for (int x = 0; x < tinted.cols; ++x) {
            const float ground = kGroundShare * float(one(y, x) + two(y, x)) / 2;
            const float a = float(edges_one(y, x)) / 255, b = float(edges_two(y, x)) / 255;
            for (std::size_t c = 0; c < 3; ++c)
                tinted(y, x)[int(c)] = uchar(std::min(255.0f, ground + a * kShown[c] + b * kOther[c]));
        }
    });
    return tinted;
}

}  // namespace moorhaze::desktop
