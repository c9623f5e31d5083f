// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/even_blend.h"

#include "core/merge/accumulated.h"
#include "core/merge/sharpness.h"
#include "core/work/reused_memory.h"

namespace moorhaze {

MergeResult even_blend(AlignedFrames& frames, const MergeSettings& settings, const MergeContext& context,
                       const Job& job) {
    check(settings);
    const ReusedMemory memory;
    const cv::Size size = frames.target().size();
    MergeResult result;
    result.method = "blend";
    result.settings = settings;
    result.area = frames.target();
    result.source = cv::Mat1w(size, ushort(0));
    result.depth.create(size);

    Accumulated sum(size);
    cv::Mat1f strongest(size, 0.0f), total(size, 0.0f), moment(size, 0.0f);
    for (int place = 0; place < frames.count(); ++place) {
        job.checkpoint(double(place) / frames.count());
        const auto frame = frames.load(place, job);
        if (!frame) {
            result.problems.push_back(frame.error());
            continue;
        }
        const cv::Mat1f sharpness = sharpness_of(*frame, settings.detail_size_px, job);
        cv::Mat1f weight(size);
        const int number = frames.index(place) + 1;
        for_covered_rows(*frame, job.quiet(), [&](int y, int begin, int end) {
            for (int x = begin; x < end; ++x) {
                const float value = sharpness(y, x);
                weight(y, x) = value * value + 1e-8f;
                total(y, x) += weight(y, x);
                moment(y, x) += weight(y, x) * float(number);
                if (result.source(y, x) == 0 || value > strongest(y, x)) {
                    strongest(y, x) = value;
                    result.source(y, x) = ushort(number);
                }
            }
        });
        sum.add(*frame, weight, job.quiet());
        if (context.on_frame) context.on_frame([&] { return small_places(result.source); });
    }
    if (frames.count() == int(result.problems.size()))
        throw FileError(result.problems.empty() ? "there is no frame to merge" : result.problems[0].what);
    for_rows(size.height, job.quiet(), [&](int y) {
        for (int x = 0; x < size.width; ++x)
            result.depth(y, x) = total(y, x) > 0 ? moment(y, x) / total(y, x) : 1;
    });
    result.picture = sum.finish(frames, job.quiet());
    result.made_by = made_by_plane(result.source, job.quiet(), [](int, int) { return MadeBy::blend; });
    job.checkpoint(1);
    return result;
}

}  // namespace moorhaze
