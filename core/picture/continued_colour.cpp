// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/continued_colour.h"

#include <algorithm>
#include <vector>

namespace moorhaze {

Picture with_colour_continued(Picture picture, int reach_px) {
    if (picture.alpha.empty()) return picture;
    const cv::Rect all({}, picture.pixels.size());
    const auto is_seen = [&](cv::Point at) { return picture.alpha.at<std::uint16_t>(at) > 0; };
    const auto around = [&](cv::Point at) { return cv::Rect(at.x - 1, at.y - 1, 3, 3) & all; };
    cv::Mat1b known(picture.pixels.size());
    for (int y = 0; y < all.height; ++y)
        for (int x = 0; x < all.width; ++x) known(y, x) = is_seen({x, y});
    // The first ring: what is transparent beside what is seen. Each goes on from the one before.
    std::vector<cv::Point> ring;
    for (int y = 0; y < all.height; ++y)
        for (int x = 0; x < all.width; ++x)
            if (!known(y, x) && cv::countNonZero(known(around({x, y}))) > 0) ring.emplace_back(x, y);
    if (ring.empty()) return picture;
    picture.pixels = picture.pixels.clone();
    constexpr uchar kWaiting = 2;
    for (int step = 0; step < reach_px && !ring.empty(); ++step) {
        std::vector<cv::Vec3w> colours;
        for (const cv::Point& at : ring) {
            cv::Vec3d sum;
            int count = 0;
            const cv::Rect box = around(at);
            for (int y = box.y; y < box.br().y; ++y)
                for (int x = box.x; x < box.br().x; ++x)
                    if (known(y, x) == 1) sum += picture.pixels.at<cv::Vec3w>(y, x), ++count;
            colours.emplace_back(sum / count);
        }
        std::vector<cv::Point> next;
        for (std::size_t i = 0; i < ring.size(); ++i) {
            picture.pixels.at<cv::Vec3w>(ring[i]) = colours[i];
            known(ring[i]) = 1;
        }
        for (const cv::Point& at : ring) {
            const cv::Rect box = around(at);
            for (int y = box.y; y < box.br().y; ++y)
                for (int x = box.x; x < box.br().x; ++x)
                    if (!known(y, x)) known(y, x) = kWaiting, next.emplace_back(x, y);
        }
        ring = std::move(next);
    }
    return picture;
}

}  // namespace moorhaze
