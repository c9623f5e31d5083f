#include "desktop/session/sounding.h"

#include <algorithm>
#include <cmath>

#include "core/merge/sharpness.h"
#include "desktop/session/display_picture.h"

namespace moorhaze::desktop {
namespace {

/// Index of the frame whose profile is sharpest where a reference place lies in it; -1 without profiles.
int sharpest_by_profile(const Session& session, const SeriesGeometry& geometry, QPointF place) {
    const cv::Size size = session.series().size();
    int best = -1;
    float most = -1;
    for (int i = 0; i < int(session.profiles().size()); ++i) {
        const cv::Vec3d own =
            geometry.frames[std::size_t(i)].matrix.inv() * cv::Vec3d(place.x(), place.y(), 1);
        const float value =
            sharpness_at(session.profiles()[std::size_t(i)], (own[0] / own[2] + 0.5) / size.width,
                         (own[1] / own[2] + 0.5) / size.height);
        if (session.series().frames[std::size_t(i)].used && value > most) most = value, best = i;
    }
    return best;
}

/// Sharpness in the middle of a patch, weighed towards the very place.
float sharpness_in_middle(const LinearFrame& frame) {
    const cv::Mat1f sharpness = sharpness_of(frame, 4, Job{});
    return sharpness(sharpness.rows / 2, sharpness.cols / 2);
}

}  // namespace

Sounding::Sounding(Session& session, QObject* parent) : QObject(parent), session_(session) {
    pool_.setMaxThreadCount(1);
    connect(&session_, &Session::series_changed, this, &Sounding::close);
    connect(&session_, &Session::geometry_changed, this, &Sounding::close);
    connect(&session_, &Session::result_shown, this, &Sounding::changed);
}

Sounding::~Sounding() {
    pool_.waitForDone();
}

void Sounding::close() {
    ++serial_;
    source_.reset();
    if (!open_) return;
    open_ = false;
    patches_.clear();
    emit changed();
}

void Sounding::drop(QPointF place, int patch_px) {
    const cv::Size size = session_.series().size();
    if (place.x() < 0 || place.y() < 0 || place.x() >= size.width || place.y() >= size.height) return close();
    ++serial_;
    open_ = true;
    place_ = place;
    patch_px_ = patch_px;
    patches_.clear();
    const SeriesGeometry geometry = session_.geometry_or_unmoved();
    expected_ = sharpest_by_profile(session_, geometry, place);
    const int count = session_.series().count(), shown = std::min(kPatches, count);
    const int middle = expected_ >= 0 ? expected_ : session_.current_frame();
    const int first = std::clamp(middle - shown / 2, 0, count - shown);
    for (int i = first; i < first + shown; ++i) patches_.push_back({i, {}, -1});
    shifts_left_ = 2;
    emit changed();
    load_next();
}

/// When the measured peak stands at an end of the window, the window moves along; false when it need not.
bool Sounding::follow_sharpest() {
    const int count = session_.series().count(), shown = int(patches_.size());
    const int sharpest = sharpest_frame();
    if (shifts_left_ <= 0 || shown == 0 || sharpest < 0) return false;
    const int first = std::clamp(sharpest - shown / 2, 0, count - shown);
    const bool at_end = sharpest == patches_.front().frame || sharpest == patches_.back().frame;
    if (!at_end || first == patches_.front().frame) return false;
    --shifts_left_;
    expected_ = sharpest;
    std::vector<Patch> moved;
    for (int i = first; i < first + shown; ++i) {
        const auto known = std::find_if(patches_.begin(), patches_.end(),
                                        [i](const Patch& patch) { return patch.frame == i; });
        moved.push_back(known == patches_.end() ? Patch{i, {}, -1} : *known);
    }
    patches_ = std::move(moved);
    return true;
}

int Sounding::sharpest_frame() const {
    int best = expected_;
    float most = -1;
    for (const Patch& patch : patches_) {
        if (patch.image.isNull()) return expected_;
        if (patch.sharpness > most) most = patch.sharpness, best = patch.frame;
    }
    return best;
}

int Sounding::frame_in_use() const {
    const Result* result = session_.result();
    if (!result) return -1;
    const PixelRect& area = result->merge->area;
    const cv::Point at(int(std::lround(place_.x())) - area.x, int(std::lround(place_.y())) - area.y);
    if (!cv::Rect({}, area.size()).contains(at)) return -1;
    return int(result->merge->source(at)) - 1;
}

void Sounding::load_next() {
    // The likeliest first, then outwards.
    const int middle = expected_ >= 0 ? expected_ : session_.current_frame();
    int next = -1;
    for (int i = 0; i < int(patches_.size()); ++i)
        if (patches_[std::size_t(i)].image.isNull() && patches_[std::size_t(i)].sharpness < 0 &&
            (next < 0 || std::abs(patches_[std::size_t(i)].frame - middle) <
                             std::abs(patches_[std::size_t(next)].frame - middle)))
            next = i;
    if (!open_) return;
    if (next < 0) {
        if (follow_sharpest()) {
            emit changed();
            load_next();
        }
        return;
    }
    struct Loaded {
        std::shared_ptr<const FrameSource> source;
        QImage image;
        float sharpness = 0;
    };
    const int frame = patches_[std::size_t(next)].frame;
    const PixelRect area(int(std::lround(place_.x())) - patch_px_ / 2,
                         int(std::lround(place_.y())) - patch_px_ / 2, patch_px_, patch_px_);
    auto load = [frame, area, source = source_, series = session_.series(),
                 geometry = session_.geometry_or_unmoved(), cache = session_.frame_cache()]() -> Loaded {
        const auto own = source ? source : std::make_shared<const FrameSource>(series, geometry, cache);
        const LinearFrame laid = own->load(frame, area, Job{});
        return {own, image_of(to_display(picture_of(laid, own->curve(), own->profile()), Job{})),
                sharpness_in_middle(laid)};
    };
    run_beside(
        pool_, this, load,
        [this, next, serial = serial_](const Loaded& loaded) {
            if (serial != serial_) return;
            source_ = loaded.source;
            patches_[std::size_t(next)].image = loaded.image;
            patches_[std::size_t(next)].sharpness = loaded.sharpness;
            emit changed();
            load_next();
        },
        [this, next, serial = serial_](const std::exception&) {
            if (serial != serial_) return;
            patches_[std::size_t(next)].sharpness =
                0;  // stays without a picture; the series said why when it was opened
            emit changed();
            load_next();
        });
}

}  // namespace moorhaze::desktop
