// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/finish_look.h"

#include <algorithm>
#include <cmath>

#include "core/finish/framing.h"
#include "core/mend/mended.h"

namespace moorhaze::desktop {
namespace {

constexpr int kLevels = 6;
constexpr int kHistogramSide = 500;  // px of the longest side that are counted: it is made with every change

QPoint corner_of(const FinishSubject& subject, PixelRect part, int level) {
    return {subject.area.x + (part.x << level), subject.area.y + (part.y << level)};
}

/// The finest pictures of a level show pixel (0, 0) in the middle of the 2^level pixels it stands for.
std::shared_ptr<const DisplayPicture> to_screen(const FinishSubject& subject, const Picture& made,
                                                PixelRect part, int level, const Job& job) {
    return std::make_shared<DisplayPicture>(display_levels(made, job), corner_of(subject, part, level),
                                            double(1 << level));
}

ToneHistogram histogram_of(const FinishSubject& subject, const Finish& finish, const Job& job) {
    int level = 0;
    while (level + 1 < int(subject.levels.size()) &&
           std::max(subject.levels[std::size_t(level)].width(), subject.levels[std::size_t(level)].height()) >
               kHistogramSide)
        ++level;
    const PixelRect kept = kept_or_all(finish.framing, subject.area);
    const double scale = double(1 << level);
    const PixelRect part(int(std::floor((kept.x - subject.area.x) / scale)),
                         int(std::floor((kept.y - subject.area.y) / scale)),
                         std::max(1, int(kept.width / scale)), std::max(1, int(kept.height / scale)));
    return tone_histogram(finished(subject, finish, level, part, job), subject.curve, subject.space, 1);
}

}  // namespace

FinishLook::FinishLook(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    rest_.setSingleShot(true);
    rest_.setInterval(kRestMs);
    connect(&rest_, &QTimer::timeout, this, &FinishLook::make_whole);
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::stage || aspect == Standpoint::Aspect::result) follow_result();
    });
    connect(&base_.products, &Products::changed, this, [this](Products::Kind kind) {
        if (kind == Products::Kind::merge) follow_result();
    });
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.series) forget();
        if (changes.series || !changes.mended.empty()) follow_result();
        if (changes.finish) finish_changed();
    });
}

bool FinishLook::is_wanted() const {
    const ProjectResult* result = base_.standpoint.result();
    return base_.standpoint.stage() == Stage::finish && result && base_.products.merge(result->id);
}

bool FinishLook::is_turned() const {
    return !finish().framing.is_off && finish().framing.turn_deg != 0;
}

void FinishLook::forget() {
    subject_wish_.drop();
    patch_wish_.drop();
    whole_wish_.drop();
    rest_.stop();
    of_.reset(), under_way_.reset();
    subject_.reset();
    whole_.reset(), patch_.reset(), before_.reset();
    whole_with_.reset(), before_with_.reset(), refused_.reset();
    histogram_.reset();
}

void FinishLook::follow_result() {
    if (!is_wanted()) {
        // Elsewhere than in Finish it is not needed, and takes memory.
        if (of_ || under_way_) {
            forget();
            emit changed();
        }
        return;
    }
    const ProjectResult& result = *base_.standpoint.result();
    const Of now{result.id, result.strokes};
    if (of_ == now || under_way_ == now) return;
    if (of_ && of_->result != now.result) forget();
    under_way_ = now;
    using Made = std::shared_ptr<const FinishSubject>;
    subject_wish_.want(
        [product = *base_.products.merge(result.id), strokes = result.strokes,
         sources = base_.products.sources(),
         results = base_.products.result_sources(result.strokes, base_.products.merge(result.id)->plane)](
            const Job& job) -> Made {
            const MergeResult& merge = *product.result;
            Picture picture = strokes.empty() ? merge.picture
                                              : mended(merge, strokes, {*sources->of(product.plane), results},
                                                       merge.area, job);
            return finish_subject(std::move(picture), merge.area.tl(), kLevels, job);
        },
        [this, now, serial = base_.document.serial()](const Made& made) {
            if (serial != base_.document.serial() || under_way_ != now) return;
            under_way_.reset();
            of_ = now;
            subject_ = made;
            whole_with_.reset(), before_with_.reset(), refused_.reset();
            emit subject_ready();
            finish_changed();
        },
        [this](const std::exception& error) {
            under_way_.reset();
            base_.notices.notify_error(QString::fromUtf8(error.what()));
        });
}

void FinishLook::set_view(const QRect& seen, double zoom) {
    if (seen == seen_ && zoom == zoom_) return;
    seen_ = seen;
    zoom_ = zoom;
    // Elsewhere the picture may be of before the last change.
    if (subject_ && whole_with_ != finish()) make_patch();
}

int FinishLook::patch_level() const {
    const int most = subject_ ? int(subject_->levels.size()) - 1 : 0;
    return std::clamp(int(std::lround(std::log2(1 / std::max(zoom_, 1e-3)))), 0, most);
}

void FinishLook::finish_changed() {
    if (!subject_) return;
    refused_.reset();
    make_patch();
    rest_.start();
    emit changed();
}

void FinishLook::make_patch() {
    if (!subject_ || seen_.isEmpty() || refused_ == finish()) return;
    const int level = patch_level();
    // Whole pixels of the level, counted from the merge's corner.
    const double scale = double(1 << level);
    const PixelRect all = turned_area(finish().framing, subject_->area) - subject_->area.tl();
    const PixelRect wanted =
        PixelRect(seen_.x() - subject_->area.x, seen_.y() - subject_->area.y, seen_.width(), seen_.height()) &
        all;
    if (wanted.empty()) return;
    const int left = int(std::floor(wanted.x / scale)), top = int(std::floor(wanted.y / scale));
    const PixelRect part(left, top, int(std::ceil(wanted.br().x / scale)) - left,
                         int(std::ceil(wanted.br().y / scale)) - top);
    struct Made {
        std::shared_ptr<const FinishSubject> subject;
        std::shared_ptr<const DisplayPicture> picture;
        ToneHistogram histogram;
    };
    patch_wish_.want(
        [subject = subject_, finish = finish(), level, part,
         frame = base_.document.series().size()](const Job& job) -> Made {
            const auto with = prepared(subject, finish, frame, job);
            const Picture made = finished(*with, finish, level, part, job);
            return {with, to_screen(*with, made, part, level, job), histogram_of(*with, finish, job)};
        },
        [this, of = of_](const Made& made) {
            if (of != of_) return;
            subject_ = made.subject;
            patch_ = made.picture;
            histogram_ = made.histogram;
            emit changed();
        },
        [this](const std::exception& error) { fail(error); });
}

void FinishLook::make_whole() {
    if (!subject_ || whole_with_ == finish() || refused_ == finish()) return;
    struct Made {
        std::shared_ptr<const FinishSubject> subject;
        std::shared_ptr<const DisplayPicture> picture, before;
        ToneHistogram histogram;
    };
    const bool needs_before = is_turned() && before_with_ != finish().framing;
    whole_wish_.want(
        [subject = subject_, finish = finish(), needs_before,
         frame = base_.document.series().size()](const Job& job) -> Made {
            const auto with = prepared(subject, finish, frame, job.quiet());
            const PixelRect part = turned_area(finish.framing, with->area) - with->area.tl();
            Made made{with, nullptr, nullptr, histogram_of(*with, finish, job.quiet())};
            if (!is_neutral(finish))
                made.picture = to_screen(*with, finished(*with, finish, 0, part, job), part, 0, job);
            Finish framing_alone;
            framing_alone.framing = finish.framing;
            if (needs_before)
                made.before = to_screen(*with, finished(*with, framing_alone, 0, part, job), part, 0, job);
            return made;
        },
        [this, with = finish(), of = of_, needs_before](const Made& made) {
            if (of != of_) return;
            subject_ = made.subject;
            whole_ = made.picture;
            whole_with_ = with;
            if (needs_before) before_ = made.before, before_with_ = with.framing;
            histogram_ = made.histogram;
            if (with == finish()) patch_.reset();
            emit changed();
        },
        [this](const std::exception& error) { fail(error); });
}

void FinishLook::fail(const std::exception& error) {
    refused_ = finish();
    base_.notices.notify_error(QString::fromUtf8(error.what()));
    emit changed();
}

std::shared_ptr<const DisplayPicture> FinishLook::picture() const {
    return is_neutral(finish()) && whole_with_ == finish() ? nullptr : whole_;
}

std::shared_ptr<const DisplayPicture> FinishLook::patch() const {
    return whole_with_ == finish() ? nullptr : patch_;
}

std::shared_ptr<const DisplayPicture> FinishLook::before() const {
    return is_turned() && before_with_ == finish().framing ? before_ : nullptr;
}

std::optional<FinishedPlace> FinishLook::at(QPointF place) const {
    if (!subject_ || refused_ == finish()) return std::nullopt;
    const PixelRect pixel(int(std::lround(place.x())) - subject_->area.x,
                          int(std::lround(place.y())) - subject_->area.y, 1, 1);
    if (!is_neutral(finish().lens) && (!subject_->plain || subject_->lens != finish().lens))
        return std::nullopt;
    if (!is_neutral(finish().ground) && (subject_->ground_picked != finish().ground.picked ||
                                         subject_->ground_reach != finish().ground.reach))
        return std::nullopt;
    const Picture own = finished(*subject_, finish(), 0, pixel, {});
    if (!own.alpha.empty() && own.alpha.at<std::uint16_t>(0, 0) < 32768) return std::nullopt;
    const cv::Vec3f light = to_linear(own, subject_->curve)(0, 0);
    const cv::Vec3d xyz = subject_->space.to_xyz * cv::Vec3d(light);
    return FinishedPlace{tone_of_light(xyz[1]), lab_of(xyz)};
}

bool FinishLook::is_settled() const {
    if (!is_wanted()) return true;
    return subject_ && !under_way_ && (whole_with_ == finish() || refused_ == finish()) &&
           !rest_.isActive() && !patch_wish_.is_busy() && !whole_wish_.is_busy();
}

}  // namespace moorhaze::desktop
