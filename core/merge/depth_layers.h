// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>
#include <vector>

namespace moorhaze {

// A picture as layers of its depth, and as a thin lens shows them in a frame that is focused elsewhere: each
// spread by the disc of its distance from that frame. Depths and frames count in places among those merged,
// from 0, near to far. Thread-safe.

/// As many layers at most, whatever the number of frames: neighbouring depths are joined.
inline constexpr int kMostDepthLayers = 24;

/// What lies at some neighbouring depths.
struct DepthLayer {
    float depth = 0;  ///< their middle
    cv::Rect box;     ///< of what it holds
    cv::Mat1f mask;   ///< 1 where it holds the place, else 0
};

/// Near to far; depths that hold hardly anything are left out.
/// @param depth  0..count-1.
std::vector<DepthLayer> layers_of_depth(const cv::Mat1f& depth, int count);

/// Light or cover, spread by a uniform disc; large discs at reduced size, which their own blur hides.
/// @param from  CV_32F, any channels.   @param radius  px; below 0.3 nothing is done.
cv::Mat spread(const cv::Mat& from, float radius);

/// A layer's cover and light in a frame, where they are anything.
struct SpreadLayer {
    cv::Rect box;
    cv::Mat1f cover;
    std::vector<cv::Mat3f> lights;  ///< of each picture
};

/// In the layers' order; the same for any number of threads.
/// @param pictures  linear light, of the layers' size.
/// @param growth    px that a disc's radius grows by from frame to frame.
std::vector<SpreadLayer> spread_layers(const std::vector<const DepthLayer*>& layers,
                                       const std::vector<cv::Mat3f>& pictures, float growth, int frame);

/// What layers, and once spread themselves and the light of one picture, take a pixel at most.
double depth_layer_bytes(int frames);

}  // namespace moorhaze
