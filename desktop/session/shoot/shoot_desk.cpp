// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shoot/shoot_desk.h"

#include "desktop/session/shoot/bench_calls.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {

ShootDesk::ShootDesk(SessionBase& base, Opening& opening, QObject* parent)
    : QObject(parent), base_(base), opening_(opening), run_(base, opening) {
    plan_ = plan_shoot(setup());
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (!changes.shooting) return;
        plan_ = plan_shoot(setup());
        emit setup_changed();
        emit state_changed();
    });
}

// ---------------------------------------------------------------------------------------------------- plan

void ShootDesk::set_setup(const ShootSetup& setup, const QString& field) {
    Shooting to = shooting();
    to.setup = setup;
    base_.document.edit(tr("plan: %1").arg(field), with_shooting(base_.document.project(), to),
                        QStringLiteral("setup ") + field);
}

// ------------------------------------------------------------------------------------------------- devices

void ShootDesk::set_state(ShootState state) {
    state_ = state;
    emit state_changed();
}

std::vector<rig::BenchFault> ShootDesk::practice_mishaps() {
    using Kind = rig::BenchFault::Kind;
    return rig::faults_by_seed({Kind::misfire, Kind::bump, Kind::link_lost}, 14, 3);
}

void ShootDesk::connect_devices(const rig::BenchSettings& settings) {
    disconnect_devices();
    scene_ = text(settings.scene);
    set_state(ShootState::connecting);
    rig::BenchSettings own = settings;
    own.pace = quick_ ? 0 : 1;
    beside([own](const Job& job) { return std::make_shared<rig::Bench>(own, job); },
           [this](const std::shared_ptr<rig::Bench>& bench) {
               bench_ = bench;
               const rig::Shooting& usual = bench_->shooting();
               set_setup(with_devices(setup(), *bench_), tr("devices"));
               first_focus_mm_ = usual.nearest_focus_mm;
               position_mm_ = on_rail() ? bench_->rail().position_mm() : 0;
               set_state(ShootState::live);
               next_live();
           });
}

/// A call that is under way ends by itself; whatever it says is not heard.
void ShootDesk::forget_call() {
    calls_.drop();
    working_ = false;
}

void ShootDesk::disconnect_devices() {
    forget_call();
    run_ = {base_, opening_};
    bench_.reset();
    live_.reset();
    wanted_mm_.reset();
    // Marks are places of these devices: nobody's decision is lost with them, and none can be undone to.
    base_.document.happened([](const Project& own) {
        Shooting unmarked = own.shooting;
        unmarked.near_mark_mm.reset();
        unmarked.far_mark_mm.reset();
        return with_shooting(own, unmarked);
    });
    scene_.clear();
    if (state_ != ShootState::off) set_state(ShootState::off);
}

void ShootDesk::back_to_live() {
    if (!bench_ || working_ || state_ == ShootState::running || state_ == ShootState::live) return;
    if (!bench_->camera().is_connected()) bench_->camera().reconnect();
    position_mm_ = on_rail() ? bench_->rail().position_mm() : bench_->camera().focus_mm() - first_focus_mm_;
    set_state(ShootState::live);
    next_live();
}

void ShootDesk::drive_by(double mm) {
    drive_to((wanted_mm_ ? *wanted_mm_ : position_mm_) + mm);
}

void ShootDesk::drive_to(double mm) {
    if (state_ != ShootState::live) return;
    wanted_mm_ = on_rail() ? std::clamp(mm, bench_->rail().first_mm(), bench_->rail().last_mm()) : mm;
    if (!working_) next_live();
}

void ShootDesk::set_quick(bool quick) {
    quick_ = quick;
    if (bench_) bench_->set_pace(quick ? 0 : 1);
    emit state_changed();
}

void ShootDesk::set_marks_reach(double reach) {
    marks_reach_ = reach;
    emit state_changed();
}

/// Drives where it was asked to, then takes the next live picture, for as long as the devices are live.
void ShootDesk::next_live() {
    if (state_ != ShootState::live || working_) return;
    beside(
        [bench = bench_, wish = LiveWish{wanted_mm_, position_mm_, first_focus_mm_, on_rail(), marks_reach_}](
            const Job& job) { return take_live_frame(*bench, wish, job); },
        [this, wanted = wanted_mm_](const LiveFrame& frame) {
            if (wanted_mm_ == wanted) wanted_mm_.reset();
            live_ = frame.picture;
            live_rate_ = live_rate_ > 0 ? 0.7 * live_rate_ + 0.3 / frame.seconds : 1 / frame.seconds;
            const bool moved = frame.position_mm != position_mm_;
            position_mm_ = frame.position_mm;
            emit live_changed();
            if (moved) emit state_changed();
            if (state_ == ShootState::running) return next_shot();  // it was started meanwhile
            // A breath for the machine; live view is for the eye.
            QTimer::singleShot(wanted_mm_ ? 0 : 60, this, &ShootDesk::next_live);
        });
}

void ShootDesk::mark_near() {
    if (state_ == ShootState::live) set_marks(position_mm_, far_mark_mm());
}

void ShootDesk::mark_far() {
    if (state_ == ShootState::live) set_marks(near_mark_mm(), position_mm_);
}

void ShootDesk::set_marks(std::optional<double> near_mm, std::optional<double> far_mm) {
    base_.document.edit(tr("near and far mark"),
                        with_shooting(base_.document.project(), with_marks(near_mm, far_mm)));
}

/// The depth between both marks is the subject's.
Shooting ShootDesk::with_marks(std::optional<double> near_mm, std::optional<double> far_mm) const {
    Shooting to = shooting();
    to.near_mark_mm = near_mm;
    to.far_mark_mm = far_mm;
    if (near_mm && far_mm) {
        to.setup.subject_depth_mm = *far_mm - *near_mm;
        if (!on_rail())
            to.setup.magnification = magnification_at(to.setup.focal_length_mm, first_focus_mm_ + *near_mm);
    }
    return to;
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
    const double first_mm = (on_rail() ? 0 : first_focus_mm_) + *near_mark_mm();
    const rig::ShootOrder order = order_of(setup(), plan_, first_mm, bench_->camera().settings().iso, folder);
    try {
        // A live picture may be under way: the devices wait for each other.
        run_ = {base_, opening_, bench_, order};
    } catch (const Error& error) {
        return base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
    folder_ = folder;
    run_on();
}

QString ShootDesk::free_folder() const {
    return free_series_folder(scene_.isEmpty() ? tr("series") : scene_);
}

void ShootDesk::run_on() {
    set_state(ShootState::running);
    emit progress_changed();
    if (!working_) next_shot();
}

void ShootDesk::next_shot() {
    if (working_) return;
    if (state_ == ShootState::pausing) return set_state(ShootState::paused);
    if (state_ != ShootState::running) return;
    const ShootRun::Call call = run_.next();
    if (!call) return finish_run();
    beside(call, [this](const ShootRun::Shot& shot) {
        run_.took(shot);
        position_mm_ = run_.station_mm(shot.place.station) - (on_rail() ? 0 : first_focus_mm_);
        emit progress_changed();
        next_shot();
    });
}

void ShootDesk::interrupted(const std::exception& error) {
    const QString what = QString::fromUtf8(error.what());
    base_.notices.notify_error(
        run_.shot() > 0 ? tr("%1 All %2 frames so far are kept; go on from there.").arg(what).arg(run_.shot())
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
    run_on();
}

void ShootDesk::stop_early() {
    if (run_.is_done()) return;
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
    run_.stop_early();
    finish_run();
}

void ShootDesk::shoot_again(const ShootTrouble& trouble) {
    if (trouble.view != run_.view()) return;
    run_.shoot_again(trouble);
    if (state_ == ShootState::done) set_state(ShootState::paused);
    go_on();
}

void ShootDesk::finish_run() {
    set_state(ShootState::done);
    emit progress_changed();
    run_.finish();
}

}  // namespace moorhaze::desktop
