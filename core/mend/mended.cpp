#include "core/mend/mended.h"

namespace moorhaze {

Picture mended(const MergeResult& merge, const SharedList<Stroke>& strokes, const FrameSource& source,
               PixelRect area, const Job& job) {
    area &= merge.area;
    const PixelRect inside = area - merge.area.tl();
    Picture picture{{}, {}, merge.picture.profile};
    if (area.empty()) return picture;
    if (!merge.picture.alpha.empty()) picture.alpha = merge.picture.alpha(inside);
    picture.pixels = render_strokes(
        merge.picture, merge.area, strokes, area, source.curve(),
        [&](FrameId frame, PixelRect where) {
            const auto index = source.index_of(frame);
            if (!index)
                throw BadParameter(
                    "a stroke was drawn in from a frame that is no longer in the series: undo it");
            return source.load(*index, where, job.quiet()).pixels;
        },
        job);
    return picture;
}

}  // namespace moorhaze
