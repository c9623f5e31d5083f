// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <variant>
#include <vector>

#include "desktop/session/shown/picture_store.h"

namespace moorhaze::desktop {

struct LivePicture {
    bool operator==(const LivePicture&) const = default;
};
struct GrowthPicture {  ///< the depth that a merge under way has found so far
    bool operator==(const GrowthPicture&) const = default;
};
struct QuickPicture {
    bool operator==(const QuickPicture&) const = default;
};
struct ResultPicture {
    ResultId result;
    bool operator==(const ResultPicture&) const = default;
};
struct FinishedPicture {  ///< a result with its finish
    ResultId result;
    bool operator==(const FinishedPicture&) const = default;
};
struct UnfinishedPicture {  ///< the same turned as it is, with nothing else done
    ResultId result;
    bool operator==(const UnfinishedPicture&) const = default;
};

struct ViewsPicture {  ///< a turntable's views, over each other or one of them
    bool operator==(const ViewsPicture&) const = default;
};

/// A picture that the picture area may show; monostate: none.
using ShownPicture = std::variant<std::monostate, LivePicture, GrowthPicture, QuickPicture, ResultPicture,
                                  FinishedPicture, UnfinishedPicture, ViewsPicture, FrameView>;

template <class Kind>
bool is(const ShownPicture& picture) {
    return std::holds_alternative<Kind>(picture);
}

/// What the picture area shows, whether it is ready or not.
struct Shown {
    ShownPicture main, other;      ///< `other` is what it is compared with
    std::optional<FrameId> frame;  ///< the frame shown, or the one in whose plane the place lies
    PlanePtr plane;                ///< that all of it lies in; null: frames as shot
    bool operator==(const Shown&) const = default;
};

/// What is there for the moment only.
struct Momentary {
    bool live = false;     ///< live view is on
    bool growing = false;  ///< a merge under way shows its depth
    bool quick = false;    ///< a quick merge of the range is there
    bool views = false;    ///< a turntable's views were looked at
};

/// A pure function: what is shown follows from what there is, and nothing else decides.
Shown shown_of(const Document& document, const Standpoint& standpoint, const Products& products,
               const Momentary& momentary);

/// The frame that the one shown is compared with in Align; nothing without a series.
std::optional<FrameId> partner_of(const Document& document, const Standpoint& standpoint,
                                  const Products& products);

/// What of it has to be made ready, the most wanted first: with the frames around the one shown, so that
/// stepping through them does not wait.
std::vector<StoredView> wishes_of(const Shown& shown, const Document& document);

}  // namespace moorhaze::desktop
