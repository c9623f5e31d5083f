// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/project/project.h"

namespace moorhaze::desktop {

/// How two projects differ.
struct Changes {
    bool series = false;      ///< another series altogether: nothing of the former holds
    bool frames = false;      ///< there are others, or their files changed
    bool shot_again = false;  ///< the file of a frame is another one now
    bool order = false;       ///< the same frames at other places
    bool used = false;        ///< frames left out or taken back
    bool range = false;       ///< as places
    bool reference = false;   ///< another was chosen
    bool development = false;
    bool placing = false;
    bool kept = false;
    bool merge = false;    ///< method and settings
    bool results = false;  ///< there are others, or their titles and what was saved of them
    bool shooting = false;
    bool finish = false;     ///< what is done to the finished picture
    bool hand_over = false;  ///< how it leaves
    bool set = false;        ///< how it and others are done as a set
    bool card = false;
    std::vector<ResultId> mended;  ///< results whose strokes or ignored places differ

    bool selection() const { return series || frames || order || used || range || reference; }
    /// What looking into the series depends on.
    bool look() const { return series || frames || order || development; }
};

Changes changes_between(const Project& before, const Project& after);
/// Whatever either of two changes that follow each other made different.
Changes joined(const Changes& one, const Changes& other);

}  // namespace moorhaze::desktop
