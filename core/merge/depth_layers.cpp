// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/depth_layers.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kLeastJoined = 2;  // frames
constexpr int kLeastLayerPixels = 30;

/// Frames in a layer.
int joined_of(int frames) {
    return std::max(kLeastJoined, (frames + kMostDepthLayers - 1) / kMostDepthLayers);
}

/// Spread by a disc, as a thin lens does it.   @param radius  px.
cv::Mat disc_kernel(float radius) {
    const int reach = int(std::ceil(radius + 0.5f));
    constexpr int kParts = 5;
    cv::Mat1f kernel(2 * reach + 1, 2 * reach + 1, 0.0f);
    for (int y = 0; y < kernel.rows; ++y)
        for (int x = 0; x < kernel.cols; ++x)
            for (int part = 0; part < kParts * kParts; ++part) {
                const float dx = float(x - reach) + (float(part % kParts) + 0.5f) / kParts - 0.5f,
                            dy = float(y - reach) + (float(part / kParts) + 0.5f) / kParts - 0.5f;
                kernel(y, x) += std::hypot(dx, dy) <= radius ? 1.0f : 0.0f;
            }
    return kernel / cv::sum(kernel)[0];
}

SpreadLayer spread_layer(const DepthLayer& layer, const std::vector<cv::Mat3f>& pictures, float radius) {
    const int reach = int(std::ceil(radius)) + 2;
    SpreadLayer made;
    made.box = cv::Rect(layer.box.x - reach, layer.box.y - reach, layer.box.width + 2 * reach,
                        layer.box.height + 2 * reach) &
               cv::Rect({}, layer.mask.size());
    const cv::Mat1f mask = layer.mask(made.box);
    made.cover = spread(mask, radius);
    for (const cv::Mat3f& picture : pictures) {
        cv::Mat3f light(made.box.size());
        const cv::Mat3f own = picture(made.box);
        for (int y = 0; y < light.rows; ++y)
            for (int x = 0; x < light.cols; ++x) light(y, x) = own(y, x) * mask(y, x);
        made.lights.push_back(spread(light, radius));
    }
    return made;
}

}  // namespace

std::vector<DepthLayer> layers_of_depth(const cv::Mat1f& depth, int count) {
    const int joined = joined_of(count);
    std::vector<DepthLayer> layers;
    for (int first = 0; first < count; first += joined) {
        DepthLayer own;
        own.depth = float(first) + float(joined - 1) / 2;
        own.mask.create(depth.size());
        for_rows(depth.rows, {}, [&](int y) {
            for (int x = 0; x < depth.cols; ++x) {
                const int at = std::clamp(int(std::lround(depth(y, x))), 0, count - 1);
                own.mask(y, x) = at / joined == first / joined ? 1.0f : 0.0f;
            }
        });
        if (cv::countNonZero(own.mask) < kLeastLayerPixels) continue;
        own.box = cv::boundingRect(own.mask > 0);
        layers.push_back(std::move(own));
    }
    return layers;
}

cv::Mat spread(const cv::Mat& from, float radius) {
    constexpr float kNone = 0.3f, kLargest = 6;
    if (radius < kNone) return from;
    int by = 1;
    while (radius / float(by) > kLargest && by < 16) by *= 2;
    cv::Mat made;
    if (by == 1) {
        cv::filter2D(from, made, -1, disc_kernel(radius), {-1, -1}, 0, cv::BORDER_REFLECT_101);
        return made;
    }
    cv::Mat small, wide;
    const cv::Size size((from.cols + by - 1) / by, (from.rows + by - 1) / by);
    cv::copyMakeBorder(from, wide, 0, size.height * by - from.rows, 0, size.width * by - from.cols,
                       cv::BORDER_REFLECT_101);
    cv::resize(wide, small, size, 0, 0, cv::INTER_AREA);
    cv::filter2D(small, made, -1, disc_kernel(radius / float(by)), {-1, -1}, 0, cv::BORDER_REFLECT_101);
    cv::resize(made, wide, wide.size(), 0, 0, cv::INTER_LINEAR);
    return wide(cv::Rect({}, from.size()));
}

std::vector<SpreadLayer> spread_layers(const std::vector<const DepthLayer*>& layers,
                                       const std::vector<cv::Mat3f>& pictures, float growth, int frame) {
    std::vector<SpreadLayer> made(layers.size());
    for_rows(int(layers.size()), {}, [&](int i) {
        const DepthLayer& own = *layers[std::size_t(i)];
        made[std::size_t(i)] = spread_layer(own, pictures, growth * std::abs(own.depth - float(frame)));
    });
    return made;
}

double depth_layer_bytes(int frames) {
    constexpr double kMask = 4, kCover = 4, kLight = 12;
    return double((frames + joined_of(frames) - 1) / joined_of(frames)) * (kMask + kCover + kLight);
}

}  // namespace moorhaze
