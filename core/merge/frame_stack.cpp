// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/frame_stack.h"

#include <opencv2/imgproc.hpp>

namespace moorhaze {
namespace {

constexpr double kQuarter = 3.5;  // shrunk by as much and more, a frame's quarter will do

cv::Mat roots_of(const cv::Mat& light) {
    cv::Mat roots, made;
    cv::sqrt(cv::max(light, 0), roots);
    roots.convertTo(made, CV_16U, 65535);
    return made;
}

}  // namespace

cv::Mat3f FrameStack::light(int place, cv::Rect part) const {
    cv::Mat3f made;
    frames[std::size_t(place)](part).convertTo(made, CV_32F, 1 / 65535.0);
    cv::multiply(made, made, made);
    return made;
}

FrameStack frame_stack_of(AlignedFrames& frames, cv::Size size, std::vector<FrameProblem>& problems,
                          const Job& job) {
    FrameStack stack;
    stack.shrink = double(frames.target().width) / size.width;
    for (int place = 0; place < frames.count(); ++place) {
        job.checkpoint(double(place) / frames.count());
        const Outcome<WarpedFrame> own = frames.open(place);
        if (!own) {
            problems.push_back(own.error()), stack.frames.emplace_back();
            continue;
        }
        const cv::Mat light = stack.shrink >= kQuarter ? cv::Mat(own->downsampled_light(job.quiet()))
                                                       : cv::Mat(own->all(job.quiet()).pixels);
        stack.frames.push_back(roots_of(resized_plane(light, size, cv::INTER_AREA)));
    }
    return stack;
}

cv::Mat resized_plane(const cv::Mat& plane, cv::Size size, int how) {
    if (plane.size() == size) return plane;
    cv::Mat made;
    cv::resize(plane, made, size, 0, 0, how);
    return made;
}

}  // namespace moorhaze
