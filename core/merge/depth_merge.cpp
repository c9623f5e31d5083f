#include "core/merge/depth_merge.h"

#include <algorithm>
#include <cmath>

#include "core/merge/accumulated.h"
#include "core/merge/focus_depth.h"
#include "core/picture/blur.h"
#include "core/work/for_rows.h"
#include "core/work/reused_memory.h"

namespace moorhaze {

MergeResult depth_merge(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                        const Job& job) {
    check(settings);
    check_backdrop(settings, frames);
    const ReusedMemory memory;
    const cv::Size size = frames.target().size();
    MergeResult result;
    result.method = "depth";
    result.settings = settings;
    result.area = frames.target();

    const Focus focus = focus_of(frames, settings, context, result, {}, job.part(0, 0.45));
    result.survey.area = result.area;
    result.survey.depth_noise = focus.noise;
    result.survey.detail_size_px = settings.detail_size_px;
    const std::vector<int>& read = focus.read;
    const cv::Mat1f depth = at_full_size(focus.field.depth, size);
    result.trust = at_full_size(focus.field.trust, size);

    Accumulated sum(size);
    for (std::size_t k = 0; k < read.size(); ++k) {
        job.checkpoint(0.45 + 0.5 * double(k) / double(read.size()));
        const auto frame = frames.load(read[k], job);
        if (!frame) {
            result.problems.push_back(frame.error());
            continue;
        }
        cv::Mat1f part(size);
        for_rows(size.height, job.quiet(), [&](int y) {
            for (int x = 0; x < size.width; ++x)
                part(y, x) = std::max(0.0f, 1 - std::abs(depth(y, x) - float(k)));
        });
        sum.add(
            *frame,
            settings.seam_width_px > 0 ? gaussian_blur(part, settings.seam_width_px / 2, job.quiet()) : part,
            job.quiet());
    }
    result.picture = sum.finish(frames, job.quiet());

    // Numbers of the series, not of the frames that were read.
    result.source.create(size);
    result.depth.create(size);
    for_rows(size.height, job.quiet(), [&](int y) {
        for (int x = 0; x < size.width; ++x) {
            const bool covered = result.picture.alpha.empty() || result.picture.alpha.at<ushort>(y, x) > 0;
            result.depth(y, x) = series_number(depth(y, x), frames, read);
            result.source(y, x) =
                covered ? ushort(series_number(std::round(depth(y, x)), frames, read)) : ushort(0);
        }
    });
    job.checkpoint(1);
    return result;
}

}  // namespace moorhaze
