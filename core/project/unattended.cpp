// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/unattended.h"

#include <algorithm>

#include "core/project/edits.h"
#include "core/work/words.h"

namespace moorhaze {

const std::vector<std::string>& flag_kinds() {
    static const std::vector<std::string> kinds = {"unsharp", "duplicate", "misfire", "band",
                                                   "bump",    "moved",     "framing", "exposure"};
    return kinds;
}

std::vector<LeftOut> flagged_frames(const Project& project, const SeriesProfile& whole,
                                    const FlagRule& rule) {
    std::vector<LeftOut> left_out;
    if (rule.accepts_all) return left_out;
    const int count = std::min(project.frames.size(), int(whole.flags.size()));
    for (int i = 0; i < count; ++i) {
        if (!project.frames[i].used) continue;
        const auto& flags = whole.flags[std::size_t(i)];
        const auto against = std::find_if(flags.begin(), flags.end(), [&](const FrameFlag& flag) {
            return std::find(rule.accepted.begin(), rule.accepted.end(), flag.kind) == rule.accepted.end();
        });
        if (against != flags.end()) left_out.push_back({i, *against});
    }
    return left_out;
}

Project without(Project project, const std::vector<LeftOut>& left_out) {
    std::vector<FrameId> frames;
    for (const LeftOut& own : left_out) frames.push_back(project.frames[own.frame].id);
    return without_frames(std::move(project), frames);
}

std::string in_words(const LeftOut& left_out) {
    return "frame " + std::to_string(left_out.frame + 1) + " left out: " + left_out.why.reason;
}

std::string in_words(const FocusGap& gap) {
    return "gap after frame " + std::to_string(gap.after + 1) + ": at least " + words("%.2g", gap.missing) +
           " steps missing, a soft band there";
}

std::vector<std::string> warnings_of(const Looked& looked) {
    std::vector<std::string> warnings;
    if (looked.order.needs_repair())
        warnings.push_back("the frames are not in order: " + looked.order.reason +
                           "; depth map and woven need them near to far");
    warnings.insert(warnings.end(), looked.mixed.begin(), looked.mixed.end());
    for (const FocusGap& gap : looked.whole.gaps) warnings.push_back(in_words(gap));
    return warnings;
}

std::vector<std::string> warnings_of(const SeriesGeometry& geometry, const Series& series) {
    std::vector<std::string> warnings;
    for (int i = 0; i < series.count(); ++i)
        if (const auto& frame = geometry.frames[std::size_t(i)];
            !frame.problem.empty() && series.frames[std::size_t(i)].used)
            warnings.push_back("frame " + std::to_string(i + 1) + ": " + frame.problem);
    return warnings;
}

}  // namespace moorhaze
