// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/quick_look.h"

namespace moorhaze::desktop {

QuickLook::QuickLook(SessionBase& base, QObject* parent)
    : QObject(parent),
      base_(base),
      made_(
          {.name = tr("quick merge"),
           .inputs = [this] { return inputs(); },
           .make = [](const Inputs& in, const Job& job) -> Made {
               const cv::Mat3b merged = in.merge->merge(in.frames, job);
               if (merged.empty()) return nullptr;
               const double scale = double(in.plane.width) / merged.cols;
               return std::make_shared<DisplayPicture>(shown_levels({merged, {}, {}}, job), QPoint(), scale);
           },
           .serves = [](const Inputs& made_from,
                        const Inputs& today) { return made_from.merge == today.merge; },
           .replaced = LatestWish::Replaced::comes_to_its_end},
          base.derived) {
    connect(&made_, &DerivedRow::changed, this, &QuickLook::changed);
    // Before the row asks: what is dragged does not outlive what was chosen.
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.selection()) dragged_.reset();
    });
}

void QuickLook::show_range(FrameRange range) {
    dragged_ = range;
    made_.follow();
}

tl::expected<QuickLook::Inputs, Why> QuickLook::inputs() const {
    const Looked* looked = base_.products.looked();
    if (!base_.standpoint.quick_look()) return tl::unexpected(Why{tr("The quick merge is off.")});
    if (!looked || !looked->quick) return tl::unexpected(Why{tr("The frames are still being looked at.")});
    Series series = base_.document.series();
    if (dragged_) series.range = *dragged_;
    return Inputs{base_.document.id(), looked->quick, series.chosen(), series.size()};
}

}  // namespace moorhaze::desktop
