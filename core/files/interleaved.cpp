// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/interleaved.h"

#include <algorithm>

namespace moorhaze::codecs {
namespace {

constexpr int kSameOrder[] = {0, 0, 1, 1, 2, 2, 3, 3};

template <class Value>
void divide_by_alpha(Picture& picture, double full) {
    for (int y = 0; y < picture.height(); ++y) {
        auto* colour = picture.pixels.ptr<Value>(y);
        const auto* cover = picture.alpha.ptr<Value>(y);
        for (int i = 0; i < 3 * picture.width(); ++i)
            if (cover[i / 3] > 0) colour[i] = Value(std::min(full, colour[i] * full / cover[i / 3] + 0.5));
    }
}

}  // namespace

cv::Mat interleaved(const Picture& picture, cv::Range rows) {
    if (picture.alpha.empty()) return picture.pixels.rowRange(rows).clone();
    cv::Mat all(rows.size(), picture.width(), CV_MAKETYPE(picture.pixels.depth(), 4));
    const cv::Mat parts[] = {picture.pixels.rowRange(rows), picture.alpha.rowRange(rows)};
    cv::mixChannels(parts, 2, &all, 1, kSameOrder, 4);
    return all;
}

Picture taken_apart(const cv::Mat& samples, bool is_associated) {
    Picture picture;
    if (samples.channels() != 4) {
        picture.pixels = samples;
        return picture;
    }
    picture.pixels.create(samples.size(), CV_MAKETYPE(samples.depth(), 3));
    picture.alpha.create(samples.size(), CV_MAKETYPE(samples.depth(), 1));
    cv::Mat parts[] = {picture.pixels, picture.alpha};
    cv::mixChannels(&samples, 1, parts, 2, kSameOrder, 4);
    if (is_associated) unassociate(picture);
    return picture;
}

void unassociate(Picture& picture) {
    if (picture.pixels.depth() == CV_32F)
        for (int y = 0; y < picture.height(); ++y) {
            auto* colour = picture.pixels.ptr<float>(y);
            const auto* cover = picture.alpha.ptr<float>(y);
            for (int i = 0; i < 3 * picture.width(); ++i)
                if (cover[i / 3] > 0) colour[i] /= cover[i / 3];
        }
    else if (picture.bits() == 16)
        divide_by_alpha<std::uint16_t>(picture, 65535.0);
    else
        divide_by_alpha<std::uint8_t>(picture, 255.0);
}

}  // namespace moorhaze::codecs
