#include "desktop/session/quick_look.h"

namespace moorhaze::desktop {

QuickLook::QuickLook(Session& session, QObject* parent) : QObject(parent), session_(session) {
    pool_.setMaxThreadCount(1);  // a merge is parallel in itself
    connect(&session_, &Session::quick_merge_changed, this, &QuickLook::forget);
    connect(&session_, &Session::selection_changed, this, [this] {
        dragged_.reset();
        want();
    });
}

QuickLook::~QuickLook() {
    pool_.waitForDone();
}

void QuickLook::set_on(bool on) {
    if (on_ == on) return;
    on_ = on;
    if (on_) want();
    emit changed();
}

void QuickLook::show_range(FrameRange range) {
    dragged_ = range;
    want();
}

void QuickLook::forget() {
    ++generation_;
    dragged_.reset();
    picture_.reset();
    want();
}

std::vector<int> QuickLook::frames() const {
    Series series = session_.series();
    if (dragged_) series.range = *dragged_;
    return series.chosen();
}

void QuickLook::want() {
    if (!on_ || !session_.quick_merge()) return;
    wanted_ = true;
    next();
}

void QuickLook::next() {
    if (working_ || !wanted_) return;
    wanted_ = false;
    working_ = true;
    using Made = std::shared_ptr<const DisplayPicture>;
    const cv::Size plane = session_.series().size();
    auto make = [merge = session_.quick_merge(), frames = frames(), plane]() -> Made {
        const cv::Mat3b merged = merge->merge(frames, Job{});
        if (merged.empty()) return nullptr;
        const double scale = double(plane.width) / merged.cols;
        return std::make_shared<DisplayPicture>(display_levels({merged, {}, {}}, Job{}), QPoint(), scale);
    };
    run_beside(
        pool_, this, make,
        [this, generation = generation_](const Made& made) {
            working_ = false;
            if (generation == generation_) {
                picture_ = made;
                emit changed();
            }
            next();
        },
        [this](const std::exception& error) {
            working_ = false;
            session_.tell(QString::fromUtf8(error.what()), true);
        });
}

}  // namespace moorhaze::desktop
