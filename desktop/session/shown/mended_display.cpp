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
    : DerivedRow(tr("the mended picture"), base.derived, parent), base_(base), store_(store) {
    connect(&pieces_, &LatestWish::idle, this, &MendedDisplay::next);
}

SharedList<Stroke> MendedDisplay::done() const {
    const ProjectResult* result = wanted_ ? find_result(base_.document.project(), wanted_->result) : nullptr;
    return result ? result->strokes : SharedList<Stroke>();
}

std::optional<MendedDisplay::Wanted> MendedDisplay::wanted_now() const {
    const ProjectResult* result = base_.standpoint.result();
    if (!result) return std::nullopt;
    const MergeProduct* product = base_.products.merge(result->id);
    return Wanted{result->id, base_.document.id(), product ? product->result : nullptr};
}

DerivedState MendedDisplay::state() const {
    if (!wanted_ || !wanted_->merge) return DerivedState::absent;
    if (has_failed_) return DerivedState::failed;
    if (!picture_) return DerivedState::under_way;
    return is_settled() ? DerivedState::current : DerivedState::stale;
}

bool MendedDisplay::is_settled() const {
    return pending_.isEmpty() && !whole_.is_busy() && !pieces_.is_busy();
}

void MendedDisplay::follow() {
    const std::optional<Wanted> now = wanted_now();
    if (now != wanted_)
        show_result(now);
    else
        follow_strokes();
}

void MendedDisplay::make_again() {
    if (!wanted_ || !wanted_->merge) return;
    picture_.reset();
    make_whole();
    emit changed();
}

void MendedDisplay::set_live(const std::optional<Stroke>& stroke, const QRect& changed_area) {
    live_ = stroke;
    render(changed_area);
}

/// What differs between the strokes on the screen and those of today is rendered anew: undo, redo and new
/// ones alike.
void MendedDisplay::follow_strokes() {
    const SharedList<Stroke> now = done();
    if (now == followed_) return;
    int same = 0;
    while (same < std::min(now.size(), followed_.size()) && now[same] == followed_[same]) ++same;
    QRect area;
    for (const SharedList<Stroke>* list : std::initializer_list<const SharedList<Stroke>*>{&now, &followed_})
        for (int i = same; i < list->size(); ++i) area |= to_qrect(reach_of((*list)[i]));
    followed_ = now;
    render(area);
}

void MendedDisplay::show_result(const std::optional<Wanted>& wanted) {
    // What was mended so far need not be made again when it is looked at next.
    if (wanted_ && picture_ && is_settled())
        store_.put({wanted_->document, wanted_->result, followed_}, std::exchange(picture_, nullptr));
    if (product_.file) product_.file->rest();
    live_.reset();
    wanted_ = wanted;
    emit result_changed();
    picture_.reset();
    product_ = {};
    why_ = why_no_picture(base_);
    make_whole();
    emit changed();
}

void MendedDisplay::make_whole() {
    whole_.drop();
    pieces_.drop();
    pending_ = {};
    has_failed_ = false;
    followed_ = done();
    if (!wanted_ || !wanted_->merge) return;
    product_ = *base_.products.merge(wanted_->result);
    if ((picture_ = store_.take({wanted_->document, wanted_->result, followed_}))) return;
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
        [this](const std::exception& error) { fail(error); });
}

void MendedDisplay::fail(const std::exception& error) {
    why_ = QString::fromUtf8(error.what());
    has_failed_ = true;
    pending_ = {};
    emit failed(why_);
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
    const SharedList<Stroke> now = live_ ? done().appended(*live_) : done();
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
        [this](const std::exception& error) { fail(error); });
}

}  // namespace moorhaze::desktop
