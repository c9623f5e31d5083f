// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QImage>
#include <QPointF>
#include <functional>
#include <memory>
#include <optional>
#include <vector>

#include "core/picture/warp.h"
#include "desktop/session/document/document.h"
#include "desktop/session/document/products.h"

namespace moorhaze::desktop {

/// Where a plumb line is dropped, and what was known of that place before.
struct SoundedPlace {
    DocumentId document;
    PlanePtr plane;
    QPointF place;                    ///< in reference pixels of the plane
    int patch_px = 0;                 ///< side of a patch in picture pixels
    int patches = 0;                  ///< of how many frames
    std::optional<FrameId> expected;  ///< sharpest by what was known before; the patches lie around it
    int middle = 0;                   ///< index in the plane's series that they lie around otherwise
    std::vector<int> numbers;         ///< of the plane's frames today, from 1
    bool operator==(const SoundedPlace&) const = default;
};

/// The place as one frame has it.
struct HeardPatch {
    FrameId frame;
    int number = 0;    ///< of the frame today, from 1
    int index = 0;     ///< in the plane's series
    QImage image;      ///< empty until it is there
    float share = -1;  ///< 0..1 of what is seen there is sharpest in it; below 0 until all is measured
    std::shared_ptr<const LinearFrame> part;  ///< what it is judged by
    bool was_tried = false;
};

/// What frames around the sharpest have at a place.
struct Heard {
    std::vector<HeardPatch> patches;  ///< nearest frame first
    /// The sharpest frames by the patches, the surest first; none until all are there.
    std::optional<std::vector<FrameId>> judged;
};

/// What a patch shows, in reference pixels.
PixelRect patch_area(const SoundedPlace& asked);

/// The patches as they stand before any was read.
Heard silence_at(const SoundedPlace& asked);

/// Reads the patches, the likeliest first, and judges them; where the sharpest is at an end, those beyond it,
/// too. A patch that cannot be read stays without a picture.   @param so_far  is called after each of them.
/// @throws Cancelled, and FileError when the plane's reference frame cannot be read. In any thread.
Heard hear(const SoundedPlace& asked, FrameSources& sources, const std::function<void(const Heard&)>& so_far,
           const Job& job);

}  // namespace moorhaze::desktop
