// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/mended_display.h"

#include <algorithm>
#include <cmath>

#include "core/mend/mended.h"
#include "desktop/session/document/mended_result.h"

namespace moorhaze::desktop {
namespace {

/// A piece that is rendered and put on the screen at once: so large that the interface does not notice it.
constexpr int kPiece = 1024;

/// The part of a region that is rendered next: all of it where that is small.
QRect next_piece(const QRegion& region) {
    const QRect all = region.boundingRect();
    if (double(all.width()) * all.height() <= double(kPiece) * kPiece) return all;
    const QPoint at = region.begin()->topLeft();
    const QRect cell(kPiece * int(std::floor(double(at.x()) / kPiece)),
                     kPiece * int(std::floor(double(at.y()) / kPiece)), kPiece, kPiece);
    return (region & cell).boundingRect();
}

}  // namespace

MendedDisplay::MendedDisplay(SessionBase& base, PictureStore& store, QObject* parent)
    : QObject(parent), base_(base), store_(store) {
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::result) show_result();
    });
    connect(&base_.products, &Products::changed, this, [this](Products::Kind kind) {
        if (kind == Products::Kind::merge && !picture_) show_result();
    });
    connect(&pieces_, &LatestWish::idle, this, &MendedDisplay::next);
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.series) show_result();
        if (shown_ && std::count(changes.mended.begin(), changes.mended.end(), *shown_)) follow_strokes();
    });
}

SharedList<Stroke> MendedDisplay::strokes() const {
    const ProjectResult* result = shown_ ? find_result(base_.document.project(), *shown_) : nullptr;
    const SharedList<Stroke> done = result ? result->strokes : SharedList<Stroke>();
    return live_ ? done.appended(*live_) : done;
}

void MendedDisplay::set_live(const std::optional<Stroke>& stroke, const QRect& changed_area) {
    live_ = stroke;
    render(changed_area);
}

bool MendedDisplay::is_settled() const {
    const ProjectResult* result = base_.standpoint.result();
    if (!result) return true;
    return shown_ == result->id && picture_ && pending_.isEmpty() && !whole_.is_busy() && !pieces_.is_busy();
}

/// What differs between the strokes on the screen and those of today is rendered anew: undo, redo and new
/// ones alike.
void MendedDisplay::follow_strokes() {
    const SharedList<Stroke> now = strokes();
    int same = 0;
    while (same < std::min(now.size(), followed_.size()) && now[same] == followed_[same]) ++same;
    QRect area;
    for (const SharedList<Stroke>* list : std::initializer_list<const SharedList<Stroke>*>{&now, &followed_})
        for (int i = same; i < list->size(); ++i) area |= to_qrect(reach_of((*list)[i]));
    followed_ = now;
    render(area);
}

void MendedDisplay::show_result() {
    // What was mended so far need not be made again when it is looked at next.
    if (shown_ && picture_ && pending_.isEmpty() && !pieces_.is_busy())
        store_.put({shown_of_, *shown_, followed_}, std::exchange(picture_, nullptr));
    if (product_.file) product_.file->rest();
    live_.reset();
    emit result_changed();
    whole_.drop();
    pieces_.drop();
    pending_ = {};
    picture_.reset();
    product_ = {};
    const ProjectResult* result = base_.standpoint.result();
    shown_ = result ? std::optional(result->id) : std::nullopt;
    shown_of_ = base_.document.id();
    followed_ = result ? result->strokes : SharedList<Stroke>();
    const MergeProduct* product = shown_ ? base_.products.merge(*shown_) : nullptr;
    if (!product) {
        emit changed();
        return;
    }
    product_ = *product;
    if ((picture_ = store_.take({shown_of_, *shown_, followed_}))) {
        emit changed();
        return;
    }
    whole_.want(
        [product = product_, strokes = followed_, sources = base_.products.sources(),
         results = base_.products.result_sources(followed_, product_.plane)](const Job& job) {
            const Picture picture = mended(*product.result, strokes, {*sources->of(product.plane), results},
                                           product.result->area, job);
            return std::make_shared<DisplayPicture>(shown_levels(picture, job),
                                                    QPoint(product.result->area.x, product.result->area.y));
        },
        [this](const std::shared_ptr<DisplayPicture>& made) {
            picture_ = made;
            emit changed();
            next();
        },
        [this](const std::exception& error) { base_.notices.notify_error(QString::fromUtf8(error.what())); });
    emit changed();
}

void MendedDisplay::render(const QRect& area) {
    if (product_.result) pending_ += area & to_qrect(product_.result->area);
    next();
}

void MendedDisplay::next() {
    // Pieces are not replaced by one another: each is wanted.
    if (pending_.isEmpty() || !picture_ || pieces_.is_busy()) return;
    const QRect area = next_piece(pending_);
    pending_ -= area;
    const SharedList<Stroke> now = strokes();
    pieces_.want(
        [product = product_, strokes = now, sources = base_.products.sources(),
         results = base_.products.result_sources(now, product_.plane), area](const Job& job) {
            return shown_pixels(mended(*product.result, strokes, {*sources->of(product.plane), results},
                                       to_pixel_rect(area), job),
                                job);
        },
        [this, area](const cv::Mat4b& screen) {
            if (!picture_) return;
            picture_->replace(screen, area.topLeft());
            emit area_changed(area);
        },
        [this](const std::exception& error) { base_.notices.notify_error(QString::fromUtf8(error.what())); });
}

}  // namespace moorhaze::desktop
