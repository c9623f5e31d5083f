// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/merge/merge.h"
#include "core/work/for_rows.h"

namespace moorhaze {

/// Frames added up with a weight per place, in linear light.
class Accumulated {
  public:
    explicit Accumulated(cv::Size size) : light_(size, cv::Vec3f(0, 0, 0)), weight_(size, 0.0f) {}

    /// Adds the covered part of a frame with its weights.
    void add(const LinearFrame& frame, const cv::Mat1f& weight, const Job& job);

    /// Adds the covered part of a block of a frame with its weights; blocks apart may be added at once.
    void add(const WarpedFrame& frame, cv::Rect block, const cv::Mat1f& weight);

    /// The weighted mean as a 16-bit picture; transparent where nothing was added.
    Picture finish(const AlignedFrames& frames, const Job& job);

  private:
    cv::Mat3f light_;
    cv::Mat1f weight_;
};

/// 16-bit picture of linear light, with alpha 0 where `covered` is 0; without alpha when all is covered.
Picture finished_picture(const cv::Mat3f& linear, const cv::Mat1b& covered, const AlignedFrames& frames);

/// A plane of MadeBy: `of(x, y)` where a frame covers the place.
template <class Of>
cv::Mat1b made_by_plane(const cv::Mat1w& source, const Job& job, const Of& of) {
    cv::Mat1b plane(source.size());
    for_rows(plane.rows, job, [&](int y) {
        for (int x = 0; x < plane.cols; ++x)
            plane(y, x) = uchar(source(y, x) > 0 ? of(x, y) : MadeBy::nothing);
    });
    return plane;
}

/// The number in the series, from 1 and not whole, of a place among the frames that were read.
/// @param read  their places in `frames`; at least one.
float series_number(float place, const AlignedFrames& frames, const std::vector<int>& read);

/// 255 where a frame has pixels, 0 elsewhere.
cv::Mat1b coverage_of(const std::vector<RowSpan>& covered, cv::Size size);

/// A small picture of which frame supplies each place so far, for MergeContext::on_frame.
cv::Mat1f small_places(const cv::Mat1w& source);

/// Carries values over places of little weight: each gets what its surroundings, as far out as needed, say.
/// Pull-push over a pyramid. Source: Gortler, Grzeszczuk, Szeliski, Cohen, "The Lumigraph", SIGGRAPH 1996,
/// sec. 3.4.
/// @param weight  ≥ 0; places of weight 1 and more keep their value.
cv::Mat1f fill_from_around(const cv::Mat1f& value, const cv::Mat1f& weight, const Job& job);

}  // namespace moorhaze
