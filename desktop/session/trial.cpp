#include "desktop/session/trial.h"

#include <algorithm>
#include <cmath>

#include "desktop/session/run_beside.h"

namespace moorhaze::desktop {
namespace {

constexpr int kRestMs = 350, kWholeRestMs = 2500;
constexpr double kMostBytes = 500e6;  // of all frames' parts
constexpr double kQuickPixels = 9e6;  // of all frames: about a second on two cores

}  // namespace

Trial::Trial(Session& session, QObject* parent) : QObject(parent), session_(session) {
    pool_.setMaxThreadCount(1);  // a merge is parallel in itself
    rest_timer_.setSingleShot(true);
    rest_timer_.setInterval(kRestMs);
    connect(&rest_timer_, &QTimer::timeout, this, &Trial::next);
    whole_timer_.setSingleShot(true);
    whole_timer_.setInterval(kWholeRestMs);
    connect(&whole_timer_, &QTimer::timeout, this, &Trial::merge_whole);
    for (auto signal : {&Session::series_changed, &Session::order_changed, &Session::selection_changed,
                        &Session::geometry_changed})
        connect(&session_, signal, this, &Trial::forget);
    connect(&session_, &Session::settings_changed, this, &Trial::settings_changed);
    connect(&session_, &Session::result_shown, this, [this] {
        rest();
        emit changed();
    });
    // Elsewhere it is not needed, and takes memory.
    connect(&session_, &Session::stage_changed, this, &Trial::forget);
    connect(&session_.jobs(), &JobRunner::changed, this, [this] {
        if (!session_.jobs().busy()) rest();
    });
}

Trial::~Trial() {
    stop_.request_stop();
    pool_.waitForDone();
}

void Trial::set_on(bool on) {
    switch_to(on_, on);
}

void Trial::set_whole_ahead(bool on) {
    switch_to(whole_, on);
}

void Trial::switch_to(bool& own, bool on) {
    if (on == own) return;
    own = on;
    set_aside_whole();
    rest();
    emit changed();
}

void Trial::set_aside_whole() {
    whole_timer_.stop();
    whole_with_.reset();
    session_.stop_merge_ahead();
}

void Trial::merge_whole() {
    if (!whole_ || !may_read() || work_ != Work::none || whole_with_ == wanted() || made_with_ != wanted())
        return;
    whole_with_ = wanted();
    session_.merge_ahead();
}

void Trial::set_view(const QRect& seen) {
    if (seen == seen_) return;
    seen_ = seen;
    rest();
}

void Trial::forget() {
    ++generation_;
    stop_.request_stop();
    frames_.reset();
    made_.reset();
    refused_.reset();
    set_aside_whole();
    rest();
    emit changed();
}

void Trial::settings_changed() {
    if (work_ == Work::merging) stop_.request_stop();
    set_aside_whole();
    next();
    emit changed();
}

void Trial::rest() {
    rest_timer_.start();
}

bool Trial::may_read() const {
    return on_ && session_.stage() == Stage::merge && session_.geometry_is_current() && !seen_.isEmpty() &&
           !area_wanted().isEmpty();
}

QRect Trial::area_wanted() const {
    const QRect inside = seen_.intersected(to_qrect(session_.kept_area()));
    if (inside.isEmpty()) return {};
    // As much around the middle as is quick and takes no more memory than it should.
    const PictureInfo& info = session_.series().frames[0].info;
    const double bytes = double(session_.series().chosen().size()) * (info.bits > 8 ? 6 : 3);
    const double most = std::min(double(kMostPixels), kMostBytes / std::max(1.0, bytes));
    const double shrink = std::min(1.0, std::sqrt(most / (double(inside.width()) * double(inside.height()))));
    QRect area(0, 0, std::max(1, int(inside.width() * shrink)), std::max(1, int(inside.height() * shrink)));
    area.moveCenter(inside.center());
    return area;
}

bool Trial::has_to_read() const {
    return !frames_ || !to_qrect(frames_->area()).contains(area_wanted());
}

std::shared_ptr<const DisplayPicture> Trial::picture() const {
    return on_ && session_.stage() == Stage::merge && !session_.result_is_current() ? made_ : nullptr;
}

QString Trial::state() const {
    if (!may_read() || session_.result_is_current()) return {};
    if (work_ == Work::reading) return tr("reading the frames here");
    if (work_ == Work::merging) return tr("trying the settings here");
    return {};
}

bool Trial::is_settled() const {
    return work_ == Work::none && !rest_timer_.isActive();
}

void Trial::next() {
    if (work_ != Work::none || !may_read()) return;
    const bool as_made = made_ && made_with_ == wanted();
    if (has_to_read()) {
        // Other work goes first, unless somebody waits for this.
        if (session_.jobs().busy() && session_.result_is_current()) return;
        read();
    } else if (!session_.result_is_current() && refused_ != wanted()) {
        // What is there of another part of the picture does not help.
        const bool here = as_made && to_qrect(frames_->area()).contains(made_->area());
        if (!here)
            merge(quick_part());
        else if (made_->area() != to_qrect(frames_->area()))
            merge(to_qrect(frames_->area()));
        else if (whole_ && whole_with_ != wanted() && !whole_timer_.isActive())
            whole_timer_.start();
    }
}

void Trial::read() {
    work_ = Work::reading;
    stop_ = std::stop_source{};
    using Read = std::shared_ptr<const TrialFrames>;
    run_beside(
        pool_, this,
        [series = session_.series(), geometry = *session_.geometry(), frames = session_.series().chosen(),
         area = to_pixel_rect(area_wanted()), whole = session_.kept_area(),
         job = Job{stop_.get_token(), {}}]() -> Read {
            return std::make_shared<const TrialFrames>(series, geometry, frames, area, whole, job);
        },
        [this, generation = generation_](const Read& read) {
            work_ = Work::none;
            if (generation == generation_) frames_ = read;
            next();
            emit changed();
        },
        [this](const std::exception& error) {
            work_ = Work::none;
            if (!dynamic_cast<const Cancelled*>(&error)) session_.tell(QString::fromUtf8(error.what()), true);
            emit changed();
        });
    emit changed();
}

QRect Trial::quick_part() const {
    const QRect area = to_qrect(frames_->area());
    const double pixels = double(area.width()) * double(area.height()) *
                          double(std::max<std::size_t>(1, session_.series().chosen().size()));
    const double shrink = std::sqrt(kQuickPixels / std::max(1.0, pixels));
    if (shrink > 0.8) return area;
    QRect part(0, 0, std::max(64, int(area.width() * shrink)), std::max(64, int(area.height() * shrink)));
    part.moveCenter(area.center());
    return part & area;
}

void Trial::merge(const QRect& part) {
    work_ = Work::merging;
    stop_ = std::stop_source{};
    const MergeMethod& method = merge_method(session_.method());
    using Made = std::shared_ptr<const DisplayPicture>;
    run_beside(
        pool_, this,
        [frames = frames_, &method, settings = session_.merge_settings(), known = session_.surveyed(), part,
         job = Job{stop_.get_token(), {}}]() -> Made {
            const MergeResult merged =
                frames->merge(method, settings, known ? &known->survey : nullptr, to_pixel_rect(part), job);
            return std::make_shared<DisplayPicture>(display_levels(merged.picture, Job{}),
                                                    QPoint(merged.area.x, merged.area.y));
        },
        [this, generation = generation_, with = wanted()](const Made& made) {
            work_ = Work::none;
            if (generation == generation_) {
                made_ = made;
                made_with_ = with;
            }
            next();
            emit changed();
        },
        [this, with = wanted()](const std::exception& error) {
            work_ = Work::none;
            if (dynamic_cast<const Cancelled*>(&error)) {
                next();
            } else {
                refused_ = with;
                session_.tell(QString::fromUtf8(error.what()), true);
            }
            emit changed();
        });
    emit changed();
}

}  // namespace moorhaze::desktop
