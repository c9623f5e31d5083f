// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/merge_preview.h"

#include <algorithm>
#include <cmath>

namespace moorhaze::desktop {
namespace {

constexpr int kRestMs = 350, kWholeRestMs = 2500;
constexpr double kMostBytes = 500e6;  // of all frames' parts
constexpr double kQuickPixels = 9e6;  // of all frames: about a second on two cores

}  // namespace

MergePreview::MergePreview(SessionBase& base, Merging& merging, QObject* parent)
    : QObject(parent), base_(base), merging_(merging) {
    rest_timer_.setSingleShot(true);
    rest_timer_.setInterval(kRestMs);
    connect(&rest_timer_, &QTimer::timeout, this, &MergePreview::next);
    whole_timer_.setSingleShot(true);
    whole_timer_.setInterval(kWholeRestMs);
    connect(&whole_timer_, &QTimer::timeout, this, &MergePreview::merge_whole);
    connect(&base_.document, &Document::changed, this, &MergePreview::follow);
    connect(&base_.products, &Products::changed, this, [this](Products::Kind kind) {
        if (kind == Products::Kind::geometry) forget();
    });
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::result) {
            rest();
            emit changed();
        }
        // Elsewhere than in Merge it is not needed, and takes memory.
        if (aspect == Standpoint::Aspect::stage) forget();
        if (aspect == Standpoint::Aspect::ahead) {
            set_aside_whole();
            rest();
            emit changed();
        }
    });
    connect(&base_.jobs, &JobRunner::changed, this, [this] {
        if (!base_.jobs.busy()) rest();
    });
}

void MergePreview::follow(const Changes& changes) {
    if (changes.series || changes.selection() || changes.kept) forget();
    if (changes.merge) settings_changed();
}

void MergePreview::set_aside_whole() {
    whole_timer_.stop();
    whole_with_.reset();
    merging_.stop_merge_ahead();
}

void MergePreview::merge_whole() {
    if (!base_.standpoint.whole_ahead() || !may_read() || work_ != Work::none || whole_with_ == wanted() ||
        made_with_ != wanted())
        return;
    whole_with_ = wanted();
    merging_.merge_ahead();
}

void MergePreview::set_view(const QRect& seen) {
    if (seen == seen_) return;
    seen_ = seen;
    rest();
}

void MergePreview::forget() {
    wish_.drop();
    work_ = Work::none;
    frames_.reset();
    made_.reset();
    made_with_.reset();
    refused_.reset();
    set_aside_whole();
    rest();
    emit changed();
}

void MergePreview::settings_changed() {
    if (work_ == Work::merging) {
        wish_.drop();
        work_ = Work::none;
    }
    set_aside_whole();
    next();
    emit changed();
}

void MergePreview::rest() {
    rest_timer_.start();
}

bool MergePreview::may_read() const {
    return base_.standpoint.look_ahead() && base_.standpoint.stage() == Stage::merge &&
           base_.products.plane_is_current() && !seen_.isEmpty() && !area_wanted().isEmpty();
}

QRect MergePreview::area_wanted() const {
    const QRect inside = seen_.intersected(to_qrect(base_.products.kept_area()));
    if (inside.isEmpty()) return {};
    // As much around the middle as is quick and takes no more memory than it should.
    const Series& series = base_.document.series();
    const double bytes = double(series.chosen().size()) * (series.frames[0].info.bits > 8 ? 6 : 3);
    const double most = std::min(double(kMostPixels), kMostBytes / std::max(1.0, bytes));
    const double shrink = std::min(1.0, std::sqrt(most / (double(inside.width()) * double(inside.height()))));
    QRect area(0, 0, std::max(1, int(inside.width() * shrink)), std::max(1, int(inside.height() * shrink)));
    area.moveCenter(inside.center());
    return area;
}

bool MergePreview::has_to_read() const {
    return !frames_ || !to_qrect(frames_->area()).contains(area_wanted());
}

std::shared_ptr<const DisplayPicture> MergePreview::picture() const {
    return base_.standpoint.look_ahead() && base_.standpoint.stage() == Stage::merge && !merging_.is_current()
               ? made_
               : nullptr;
}

QString MergePreview::state() const {
    if (!may_read() || merging_.is_current()) return {};
    if (work_ == Work::reading) return tr("reading the frames here");
    if (work_ == Work::merging) return tr("trying the settings here");
    return {};
}

bool MergePreview::is_settled() const {
    return work_ == Work::none && !rest_timer_.isActive() && !wish_.is_busy();
}

void MergePreview::next() {
    if (work_ != Work::none || !may_read()) return;
    const bool as_made = made_ && made_with_ == wanted();
    if (has_to_read()) {
        // Other work goes first, unless somebody waits for this.
        if (base_.jobs.busy() && merging_.is_current()) return;
        read();
    } else if (!merging_.is_current() && refused_ != wanted()) {
        // What is there of another part of the picture does not help.
        const bool here = as_made && to_qrect(frames_->area()).contains(made_->area());
        if (!here)
            merge(quick_part());
        else if (made_->area() != to_qrect(frames_->area()))
            merge(to_qrect(frames_->area()));
        else if (base_.standpoint.whole_ahead() && whole_with_ != wanted() && !whole_timer_.isActive())
            whole_timer_.start();
    }
}

void MergePreview::read() {
    work_ = Work::reading;
    using Read = std::shared_ptr<const PreviewFrames>;
    wish_.want(
        [plane = base_.products.plane(), frames = base_.document.series().chosen(),
         area = to_pixel_rect(area_wanted()), whole = base_.products.kept_area()](const Job& job) -> Read {
            return std::make_shared<const PreviewFrames>(plane->series, plane->geometry, frames, area, whole,
                                                         job);
        },
        [this](const Read& read) {
            work_ = Work::none;
            frames_ = read;
            next();
            emit changed();
        },
        [this](const std::exception& error) {
            work_ = Work::none;
            base_.notices.notify_error(QString::fromUtf8(error.what()));
            emit changed();
        });
    emit changed();
}

QRect MergePreview::quick_part() const {
    const QRect area = to_qrect(frames_->area());
    const double pixels = double(area.width()) * double(area.height()) *
                          double(std::max<std::size_t>(1, base_.document.series().chosen().size()));
    const double shrink = std::sqrt(kQuickPixels / std::max(1.0, pixels));
    if (shrink > 0.8) return area;
    QRect part(0, 0, std::max(64, int(area.width() * shrink)), std::max(64, int(area.height() * shrink)));
    part.moveCenter(area.center());
    return part & area;
}

void MergePreview::merge(const QRect& part) {
    work_ = Work::merging;
    const MergeMethod& method = merge_method(wanted().method);
    using Made = std::shared_ptr<const DisplayPicture>;
    wish_.want(
        [frames = frames_, &method, settings = merge_settings(wanted(), base_.document.series()),
         known = merging_.with_statistics(), part](const Job& job) -> Made {
            const MergeResult merged = frames->merge(method, settings, known ? &known->statistics : nullptr,
                                                     to_pixel_rect(part), job);
            return std::make_shared<DisplayPicture>(display_levels(merged.picture, job),
                                                    QPoint(merged.area.x, merged.area.y));
        },
        [this, with = wanted()](const Made& made) {
            work_ = Work::none;
            made_ = made;
            made_with_ = with;
            next();
            emit changed();
        },
        [this, with = wanted()](const std::exception& error) {
            work_ = Work::none;
            refused_ = with;
            base_.notices.notify_error(QString::fromUtf8(error.what()));
            next();
            emit changed();
        });
    emit changed();
}

}  // namespace moorhaze::desktop
