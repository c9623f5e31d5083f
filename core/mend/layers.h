// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/mend/mended.h"

namespace moorhaze {

/// Some consecutive strokes from one source, as a layer over what lies beneath.
struct MendLayer {
    StrokeSource source;
    std::vector<StrokeShape> shapes;  ///< of its strokes
    Picture picture;                  ///< 16 bit, with alpha: how much of it is painted; merge's profile
    PixelRect area;                   ///< of the reference plane; only what the strokes reach
};

using TakeMendLayer = std::function<void(const MendLayer&)>;

/// What was painted as layers, first painted first, given one after the other. Laid over the merge one after
/// the other (in encoded values, as programs for layered pictures do) they give the mended picture to a step
/// or two of 16 bits: where a stroke is soft its colour is the one that does so.
/// @throws as mended(), and what `take` throws.   Thread-safe; peak memory 4 pictures of the largest layer.
void mend_layers(const MergeResult& merge, const SharedList<Stroke>& strokes, const MendSources& sources,
                 const TakeMendLayer& take, const Job& job);

}  // namespace moorhaze
