// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <map>

#include "core/mend/strokes.h"

namespace moorhaze {

/// What a source shows over an area of the reference plane.
struct SourcePart {
    cv::Mat3f light;               ///< linear
    std::vector<RowSpan> covered;  ///< columns of each row that it has pixels for; empty: all of them
};
/// Gives a source's pixels over `area`; never asked for the merge itself, or for another place of it.
using SourcePixels = std::function<SourcePart(const StrokeSource& source, PixelRect area)>;

/// A merge with strokes rendered over it, in order, in linear light. What a source does not cover stays as it
/// is. Pictures are made in strips, so that it takes no more memory for a large one; what a stroke looks at
/// elsewhere (another place of the picture, a tone to meet) is worked out once and kept as far as a budget
/// goes. Refers to everything that it is given. Not for several threads at once; works in several itself.
class StrokeRendering {
  public:
    /// Of a strip: some 200 MB of light while it is rendered.
    static constexpr int kStripPixels = 6 << 20;

    /// @param merge         16-bit picture whose top left lies at that of `planes.area`.
    /// @param strip_pixels  > 0; pixels are the same for any.
    StrokeRendering(const Picture& merge, const MergePlanes& planes, const SharedList<Stroke>& strokes,
                    const ToneCurve& curve, const SourcePixels& source, int strip_pixels = kStripPixels);

    /// The picture with the first `count` strokes over it.
    /// @param area  is cut to the merge.
    /// @return      CV_16UC3; pixels that no stroke changes keep their very bits.
    /// @throws BadParameter, Cancelled, and what the source throws.
    cv::Mat pixels(int count, PixelRect area, const Job& job);
    /// The same as light.   @param area  inside the merge.
    cv::Mat3f light(int count, PixelRect area, const Job& job);

  private:
    /// What a stroke brings, worked out.
    struct Kept {
        PixelRect where;
        SourcePart part;
        long used = 0;  ///< when it was asked for last
    };
    cv::Mat3f merged_light(PixelRect area) const;
    bool is_touched(int count, PixelRect area) const;
    cv::Mat3f rendered(int count, PixelRect area, const Job& job);
    PixelRect around(const Stroke& stroke) const;
    const Kept& kept_part(int index, const Job& job);
    SourcePart worked_out(int index, PixelRect where, const Job& job);
    SourcePart copied(int index, cv::Point offset, PixelRect where, const Job& job);
    SourcePart faded_through(const FadeAcross& fade, const Stroke& stroke, PixelRect where) const;
    void lay_over(int index, PixelRect where, PixelRect all, const cv::Mat3f& merged, cv::Mat3f& mended,
                  const Job& job);
    void forget_least_used();

    const Picture& merge_;
    const MergePlanes& planes_;
    const SharedList<Stroke>& strokes_;
    const ToneCurve& curve_;
    const SourcePixels& source_;
    int strip_pixels_;
    std::map<int, Kept> kept_;  ///< by the stroke's place
    long uses_ = 0;
};

/// The merge with all strokes over it; only `area` is computed.   As StrokeRendering::pixels.
cv::Mat render_strokes(const Picture& merge, const MergePlanes& planes, const SharedList<Stroke>& strokes,
                       PixelRect area, const ToneCurve& curve, const SourcePixels& source, const Job& job);

/// The picture as it is beneath a new stroke, linear.   @param area  is cut to the merge.
cv::Mat3f light_beneath(const Picture& merge, const MergePlanes& planes, const SharedList<Stroke>& strokes,
                        PixelRect area, const ToneCurve& curve, const SourcePixels& source, const Job& job);

}  // namespace moorhaze
