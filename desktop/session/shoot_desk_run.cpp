// The run of a shoot.
#include <algorithm>

#include "desktop/session/arrival.h"
#include "desktop/session/facts.h"
#include "desktop/session/shoot_desk.h"
#include "desktop/session/text.h"

namespace moorhaze::desktop {

/// A frame that was shot, with what it changes.
struct ShootDesk::Arrived {
    rig::Shoot::Shot shot;
    Arrival own;
    bool again = false;
    double seconds_left = -1;
};

std::vector<FocusProfile> ShootDesk::profiles_before(int view) const {
    return view == view_ ? profiles_ : std::vector<FocusProfile>();
}

// ------------------------------------------------------------------------------------------------- the run

QString ShootDesk::why_not() const {
    if (state_ == ShootState::off) return tr("Connect the devices first.");
    if (state_ == ShootState::connecting) return tr("The devices are being connected.");
    if (!near_mark_mm()) return tr("Drive to the nearest point and mark it ([).");
    if (!far_mark_mm()) return tr("Drive to the farthest point and mark it (]).");
    for (const SetupProblem& problem : plan_.problems)
        if (problem.blocks) return text(problem.what);
    return {};
}

void ShootDesk::start(const QString& folder) {
    if (state_ != ShootState::live && state_ != ShootState::done) return;
    if (const QString why = why_not(); !why.isEmpty()) return base_.notices.notify_error(why);
    rig::ShootOrder order;
    order.stepping = setup().stepping;
    for (const PlannedFrame& frame : plan_.steps.frames)
        order.stations_mm.push_back((on_rail() ? 0 : first_focus_mm_) + *near_mark_mm() + frame.focus_mm);
    order.camera = {setup().shutter_s, setup().f_number, bench_->camera().settings().iso};
    order.flash = setup().flash;
    order.settle_s = setup().settle_s;
    order.flash_pause_s = setup().flash ? setup().flash_recharge_s : 0;
    order.views = setup().views;
    order.folder = folder.toStdString();
    try {
        // A live picture may be under way: the devices wait for each other.
        shoot_ = std::make_shared<rig::Shoot>(devices(), order);
    } catch (const Error& error) {
        return base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
    folder_ = folder;
    troubles_.clear();
    again_.clear();
    opening_.begin_series(text(shoot_->folder_of(0).filename().string()));
    begin_view(0);
    set_state(ShootState::running);
    emit progress_changed();
    if (!working_) next_shot();
}

/// The document goes along with the views, but takes no result with it that somebody still wants.
void ShootDesk::begin_view(int view) {
    view_ = view;
    profiles_.clear();
    stations_shot_.assign(std::size_t(shoot_->per_view()), false);
    joining_ = view == 0 || !has_unsaved_results(base_.document.project());
    if (!joining_)
        return base_.notices.notify(
            tr("View %1 is being shot into its folder. The window stays with the view "
               "before: a result of it has not been exported.")
                .arg(view + 1));
    if (view > 0) opening_.begin_series(text(shoot_->folder_of(view).filename().string()));
}

/// A shoot speaks to devices that belong to the bench: a call holds both until it has ended.
void ShootDesk::next_shot() {
    if (working_ || !shoot_) return;
    if (state_ == ShootState::pausing) return set_state(ShootState::paused);
    if (state_ != ShootState::running) return;
    if (!again_.empty()) {
        const ShootTrouble place = again_.back();
        again_.pop_back();
        beside(
            [bench = bench_, shoot = shoot_, place, before = profiles_before(place.view)](const Job& job) {
                const auto shot = shoot->shoot_again(place.view, place.station, job);
                return Arrived{shot, arrival_of(shot.file, before, shot.station, job), true, -1};
            },
            [this](const Arrived& arrived) { took(arrived); });
        return;
    }
    if (shoot_->is_done()) return finish_run();
    const int view = shoot_->done() / shoot_->per_view();
    beside(
        [bench = bench_, shoot = shoot_, before = profiles_before(view)](const Job& job) {
            const auto shot = shoot->shoot_next(job);
            return Arrived{shot, arrival_of(shot.file, before, int(before.size()), job), false,
                           shoot->seconds_left()};
        },
        [this](const Arrived& arrived) {
            seconds_left_ = quick_ ? -1 : arrived.seconds_left;
            took(arrived);
        });
}

void ShootDesk::took(const Arrived& arrived) {
    const rig::Shoot::Shot& shot = arrived.shot;
    if (shot.view != view_) begin_view(shot.view);
    const auto station = std::size_t(shot.station);
    stations_shot_[station] = true;
    position_mm_ = shoot_->order().stations_mm[station] - (on_rail() ? 0 : first_focus_mm_);
    auto report = [&](int of, const std::vector<FrameFlag>& flags) {
        std::erase_if(troubles_,
                      [&](const ShootTrouble& t) { return t.view == shot.view && t.station == of; });
        for (const FrameFlag& flag : flags) {
            if (flag.kind == "unsharp") continue;  // frames before and behind the subject are meant
            troubles_.push_back({shot.view, of, text(flag.reason)});
            base_.notices.notify_error(
                tr("Frame %1: %2. Shoot it again from the list.").arg(of + 1).arg(text(flag.reason)));
            break;
        }
    };
    if (arrived.again && station < profiles_.size()) {
        profiles_[station] = arrived.own.profile;
        if (joining_) opening_.frame_changed(shot.station, arrived.own.profile, arrived.own.whole);
        report(shot.station, arrived.own.whole.flags[station]);
    } else {
        profiles_.push_back(arrived.own.profile);
        if (joining_) opening_.add_frame(arrived.own.frame, arrived.own.profile, arrived.own.whole);
        // The frame before can be judged better now that both its neighbours are there.
        if (shot.station > 0) {
            const auto& flags = arrived.own.whole.flags[station - 1];
            const bool known = std::any_of(troubles_.begin(), troubles_.end(), [&](const ShootTrouble& t) {
                return t.view == shot.view && t.station == shot.station - 1;
            });
            if (!known || flags.empty()) report(shot.station - 1, flags);
        }
        report(shot.station, arrived.own.at_once);
        for (const FocusGap& gap : arrived.own.whole.gaps) {
            const bool known = std::any_of(troubles_.begin(), troubles_.end(), [&](const ShootTrouble& t) {
                return t.view == shot.view && (t.station == gap.before || t.station == gap.after);
            });
            if (known) continue;
            troubles_.push_back({shot.view, gap.before, gap_text(gap)});
            base_.notices.notify_error(gap_text(gap));
        }
    }
    emit progress_changed();
    next_shot();
}

void ShootDesk::interrupted(const std::exception& error) {
    const QString what = QString::fromUtf8(error.what());
    base_.notices.notify_error(
        shoot_ && shoot_->done() > 0
            ? tr("%1 All %2 frames so far are kept; go on from there.").arg(what).arg(shoot_->done())
            : what);
    if (state_ == ShootState::running || state_ == ShootState::pausing)
        set_state(ShootState::interrupted);
    else if (state_ == ShootState::connecting)
        set_state(ShootState::off);
    else if (state_ == ShootState::live) {
        wanted_mm_.reset();
        QTimer::singleShot(500, this, &ShootDesk::next_live);
    }
}

void ShootDesk::pause() {
    if (state_ == ShootState::running) set_state(working_ ? ShootState::pausing : ShootState::paused);
}

void ShootDesk::go_on() {
    if (state_ != ShootState::paused && state_ != ShootState::interrupted) return;
    if (!bench_->camera().is_connected()) bench_->camera().reconnect();
    set_state(ShootState::running);
    if (!working_) next_shot();
}

void ShootDesk::stop_early() {
    if (!shoot_ || shoot_->is_done()) return;
    if (working_ && state_ == ShootState::running) {
        // The frame under way is finished first.
        set_state(ShootState::pausing);
        auto* once = new QObject(this);
        connect(this, &ShootDesk::state_changed, once, [this, once] {
            if (state_ == ShootState::pausing) return;
            once->deleteLater();
            if (state_ == ShootState::paused) stop_early();
        });
        return;
    }
    if (working_) return;
    shoot_->stop_early();
    stations_shot_.resize(std::size_t(shoot_->per_view()));
    finish_run();
}

void ShootDesk::shoot_again(const ShootTrouble& trouble) {
    if (!shoot_ || trouble.view != view_) return;
    again_.push_back(trouble);
    if (state_ == ShootState::done || state_ == ShootState::paused || state_ == ShootState::interrupted) {
        if (!bench_->camera().is_connected()) bench_->camera().reconnect();
        set_state(ShootState::running);
        if (!working_) next_shot();
    }
}

void ShootDesk::finish_run() {
    seconds_left_ = -1;
    set_state(ShootState::done);
    emit progress_changed();
    if (shoot_->done() == 0) return;
    if (troubles_.empty()) {
        base_.notices.notify(tr("%1 frames in %2.").arg(shoot_->total()).arg(folder_));
        if (joining_) base_.standpoint.set_stage(Stage::cull);
    } else {
        base_.notices.notify_error(
            tr("%1 frames in %2. Some are doubtful: shoot them again, or go on to Cull.")
                .arg(shoot_->total())
                .arg(folder_));
    }
}

}  // namespace moorhaze::desktop
