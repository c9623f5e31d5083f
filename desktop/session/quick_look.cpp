// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/quick_look.h"

namespace moorhaze::desktop {

QuickLook::QuickLook(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    connect(&base_.products, &Products::changed, this, [this](Products::Kind kind) {
        if (kind != Products::Kind::look) return;
        dragged_.reset();
        picture_.reset();
        want();
    });
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (!changes.selection()) return;
        dragged_.reset();
        want();
    });
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::quick_look) want();
    });
}

void QuickLook::show_range(FrameRange range) {
    dragged_ = range;
    want();
}

void QuickLook::want() {
    const Looked* looked = base_.products.looked();
    if (!base_.standpoint.quick_look() || !looked || !looked->quick) return wish_.drop();
    Series series = base_.document.series();
    if (dragged_) series.range = *dragged_;
    using Made = std::shared_ptr<const DisplayPicture>;
    wish_.want(
        [merge = looked->quick, frames = series.chosen(), plane = series.size()](const Job& job) -> Made {
            const cv::Mat3b merged = merge->merge(frames, job);
            if (merged.empty()) return nullptr;
            const double scale = double(plane.width) / merged.cols;
            return std::make_shared<DisplayPicture>(display_levels({merged, {}, {}}, job), QPoint(), scale);
        },
        [this](const Made& made) {
            picture_ = made;
            emit changed();
        },
        [this](const std::exception& error) { base_.notices.notify_error(QString::fromUtf8(error.what())); });
}

}  // namespace moorhaze::desktop
