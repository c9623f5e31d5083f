// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/merge_preview.h"

#include <algorithm>
#include <cmath>

namespace moorhaze::desktop {
namespace {

constexpr int kRestMs = 350, kWholeRestMs = 2500;
constexpr double kMostBytes = 500e6;  // of all frames' parts
constexpr double kQuickPixels = 9e6;  // of all frames: about a second on two cores

}  // namespace

MergePreview::MergePreview(SessionBase& base, Merging& merging, QObject* parent)
    : QObject(parent),
      base_(base),
      merging_(merging),
      frames_({.name = tr("frames of the look-ahead"),
               .inputs = [this] { return read_inputs(); },
               .make = [](const ReadInputs& in, const Job& job) -> Read {
                   return std::make_shared<const PreviewFrames>(in.plane->series, in.plane->geometry,
                                                                in.frames, in.area, in.whole, job);
               },
               .serves = [](const ReadInputs& made_from,
                            const ReadInputs& today) { return made_from.plane == today.plane; }},
              base.derived),
      made_({.name = tr("look-ahead"),
             .inputs = [this] { return merge_inputs(); },
             .make = [](const MergeInputs& in, const Job& job) -> Made {
                 const MergeResult merged =
                     in.frames->merge(merge_method(in.choice.method), in.settings,
                                      in.known ? &in.known->statistics : nullptr, in.part, job);
                 return std::make_shared<DisplayPicture>(shown_levels(merged.picture, job),
                                                         QPoint(merged.area.x, merged.area.y));
             },
             .serves = [](const MergeInputs& made_from,
                          const MergeInputs& today) { return made_from.plane == today.plane; },
             .may_come_back =
                 [this](const MergeInputs& in) {
                     return in.plane == base_.products.plane() && why_not().isEmpty();
                 }},
            base.derived) {
    rest_timer_.setSingleShot(true);
    rest_timer_.setInterval(kRestMs);
    connect(&rest_timer_, &QTimer::timeout, this, &MergePreview::rested);
    whole_timer_.setSingleShot(true);
    whole_timer_.setInterval(kWholeRestMs);
    connect(&whole_timer_, &QTimer::timeout, this, &MergePreview::merge_whole);
    connect(&base_.document.settling(), &Settling::settled, this, &MergePreview::follow);
    connect(&frames_, &DerivedRow::changed, &made_, &DerivedRow::follow);
    // First what is quick around the middle, then all that is in view.
    connect(&made_, &DerivedRow::changed, &made_, &DerivedRow::follow);
    connect(&made_, &DerivedRow::changed, this, &MergePreview::consider_whole);
    connect(&frames_, &DerivedRow::changed, this, &MergePreview::changed);
    connect(&made_, &DerivedRow::changed, this, &MergePreview::changed);
    connect(&base_.jobs, &JobRunner::changed, this, [this] {
        if (!base_.jobs.busy()) rest();
    });
}

void MergePreview::follow(const Settled& what) {
    const Changes& own = what.document;
    const bool other = own.selection() || own.kept || what.has_product(Products::Kind::geometry) ||
                       what.has_aspect(Standpoint::Aspect::stage);
    const bool ahead = what.has_aspect(Standpoint::Aspect::ahead);
    if (other || ahead || own.merge) set_aside_whole();
    if (other) area_ = {};
    if (other || ahead || what.has_aspect(Standpoint::Aspect::result)) rest();
    if (other || ahead || own.merge || what.has_aspect(Standpoint::Aspect::result)) emit changed();
}

void MergePreview::set_aside_whole() {
    whole_timer_.stop();
    whole_with_.reset();
    merging_.stop_merge_ahead();
}

void MergePreview::consider_whole() {
    if (!base_.standpoint.whole_ahead() || !made_.is_current() || whole_timer_.isActive()) return;
    const MergeInputs& made_from = *made_.made_from();
    if (made_from.part == made_from.frames->area() && whole_with_ != made_from.choice) whole_timer_.start();
}

void MergePreview::merge_whole() {
    if (!base_.standpoint.whole_ahead() || !made_.is_current()) return;
    whole_with_ = made_.made_from()->choice;
    merging_.merge_ahead();
}

void MergePreview::set_view(const QRect& seen) {
    if (seen == seen_) return;
    seen_ = seen;
    rest();
    frames_.follow();
    made_.follow();
}

/// The view has rested where it is.
void MergePreview::rested() {
    // Other work goes first, unless somebody waits for this.
    if (!why_not().isEmpty() || (base_.jobs.busy() && merging_.is_current())) return;
    const PixelRect wanted = to_pixel_rect(area_wanted());
    if (area_.empty() || (area_ & wanted) != wanted) area_ = wanted;
    frames_.follow();
    made_.follow();
    consider_whole();
    emit changed();
}

QString MergePreview::why_not() const {
    if (!base_.standpoint.look_ahead()) return tr("Looking ahead is off.");
    if (base_.standpoint.stage() != Stage::merge) return tr("It is for Merge.");
    if (!base_.products.plane_is_current()) return tr("The frames are not aligned as they are.");
    if (seen_.isEmpty() || area_wanted().isEmpty()) return tr("Nothing that would be merged is in view.");
    return {};
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

tl::expected<MergePreview::ReadInputs, Why> MergePreview::read_inputs() const {
    if (const QString why = why_not(); !why.isEmpty()) return tl::unexpected(Why{why});
    if (area_.empty()) return tl::unexpected(Why{tr("It waits for the view to rest.")});
    return ReadInputs{base_.document.id(), base_.products.plane(), base_.document.series().chosen(), area_,
                      base_.products.kept_area()};
}

tl::expected<MergePreview::MergeInputs, Why> MergePreview::merge_inputs() const {
    if (frames_.state() == DerivedState::absent || frames_.state() == DerivedState::failed)
        return tl::unexpected(Why{frames_.why()});
    if (merging_.is_current())
        return tl::unexpected(Why{tr("The result shown was made with these settings.")});
    if (!frames_.is_current()) return tl::unexpected(Why{tr("The frames here are being read."), true});
    const MergeChoice& choice = base_.document.project().merge;
    const PixelRect all = (*frames_.value())->area();
    MergeInputs in{base_.document.id(),
                   base_.products.plane(),
                   *frames_.value(),
                   choice,
                   merge_settings(choice, base_.document.series()),
                   merging_.with_statistics(),
                   quick_part(all)};
    MergeInputs whole = in;
    whole.part = all;
    // Whether what is quick is there already, or was; what is under way is not given up for it again.
    const MergeInputs* made = made_.made_from();
    const bool is_quick_there = made && (*made == in || *made == whole);
    return is_quick_there || made_.wanted() == whole ? whole : in;
}

std::shared_ptr<const DisplayPicture> MergePreview::picture() const {
    return made_.value() && !merging_.is_current() ? *made_.value() : nullptr;
}

QString MergePreview::state() const {
    if (!why_not().isEmpty() || merging_.is_current()) return {};
    if (!frames_.is_settled()) return tr("reading the frames here");
    if (!made_.is_settled()) return tr("trying the settings here");
    return {};
}

bool MergePreview::is_settled() const {
    return !rest_timer_.isActive() && frames_.is_settled() && made_.is_settled();
}

PixelRect MergePreview::quick_part(PixelRect area) const {
    const double pixels = double(area.width) * double(area.height) *
                          double(std::max<std::size_t>(1, base_.document.series().chosen().size()));
    const double shrink = std::sqrt(kQuickPixels / std::max(1.0, pixels));
    if (shrink > 0.8) return area;
    QRect part(0, 0, std::max(64, int(area.width * shrink)), std::max(64, int(area.height * shrink)));
    part.moveCenter(to_qrect(area).center());
    return to_pixel_rect(part) & area;
}

}  // namespace moorhaze::desktop
