#include "desktop/session/shoot_desk.h"

#include <QDir>
#include <QFileInfo>
#include <QRegularExpression>
#include <QStandardPaths>
#include <QUndoCommand>
#include <chrono>

#include "core/focus/frame_faults.h"
#include "desktop/session/facts.h"
#include "desktop/session/sharp_marks.h"

namespace moorhaze::desktop {
namespace {

const cv::Size kLiveSize{480, 320};
constexpr int kWatchEvery_ms = 500;

QString text(const std::string& utf8) {
    return QString::fromStdString(utf8);
}

struct LiveFrame {
    std::shared_ptr<const DisplayPicture> picture;
    double seconds = 0, position_mm = 0;
};

}  // namespace

/// A frame that was shot or found, with what it changes.
struct ShootDesk::Arrived {
    rig::Shoot::Shot shot;
    Frame frame;
    FocusProfile profile;
    SeriesProfile whole;
    std::vector<FrameFlag> at_once;  ///< what it shows by itself
    bool again = false;
    double seconds_left = -1;
};

ShootDesk::Arrived ShootDesk::looked_at(const rig::Shoot::Shot& shot, std::vector<FocusProfile> before,
                                        bool again, const Job& job) {
    Arrived arrived{shot, {shot.file, read_picture_info(shot.file), true}, {}, {}, {}, again, -1};
    auto profile = focus_profile(arrived.frame, shot.station, job);
    if (!profile) throw FileError(profile.error().what);
    arrived.profile = std::move(*profile);
    if (again && shot.station < int(before.size()))
        before[std::size_t(shot.station)] = arrived.profile;
    else
        before.push_back(arrived.profile);
    arrived.whole = profile_series(before);
    if (!again) arrived.at_once = check_arrival(before);
    return arrived;
}

std::vector<FocusProfile> ShootDesk::profiles_before(int view) const {
    return view == view_ ? session_.profiles() : std::vector<FocusProfile>();
}

class SetupCommand : public QUndoCommand {
  public:
    SetupCommand(ShootDesk& desk, ShootSetup from, ShootSetup to, const QString& field)
        : QUndoCommand(QStringLiteral("plan: %1").arg(field)),
          desk_(desk),
          from_(from),
          to_(to),
          field_(field) {}
    void undo() override { desk_.apply_setup(from_); }
    void redo() override { desk_.apply_setup(to_); }
    int id() const override { return 71; }
    bool mergeWith(const QUndoCommand* next) override {
        const auto* other = static_cast<const SetupCommand*>(next);
        if (other->field_ != field_) return false;
        to_ = other->to_;
        return true;
    }

  private:
    ShootDesk& desk_;
    ShootSetup from_, to_;
    QString field_;
};

class MarksCommand : public QUndoCommand {
  public:
    using Mark = std::optional<double>;
    MarksCommand(ShootDesk& desk, std::pair<Mark, Mark> from, std::pair<Mark, Mark> to)
        : QUndoCommand(QStringLiteral("near and far mark")), desk_(desk), from_(from), to_(to) {}
    void undo() override { desk_.apply_marks(from_.first, from_.second); }
    void redo() override { desk_.apply_marks(to_.first, to_.second); }

  private:
    ShootDesk& desk_;
    std::pair<Mark, Mark> from_, to_;
};

ShootDesk::ShootDesk(Session& session, QObject* parent) : QObject(parent), session_(session) {
    pool_.setMaxThreadCount(1);
    plan_ = plan_shoot(setup_);
    watch_timer_.setInterval(kWatchEvery_ms);
    connect(&watch_timer_, &QTimer::timeout, this, &ShootDesk::look_at_watched);
}

ShootDesk::~ShootDesk() {
    stop_.request_stop();
    pool_.waitForDone();
}

template <class Work, class Done>
void ShootDesk::beside(Work work, Done done) {
    working_ = true;
    run_beside(
        pool_, this, [work = std::move(work), job = Job{stop_.get_token(), {}}] { return work(job); },
        [this, done = std::move(done), generation = generation_](const auto& value) {
            working_ = false;
            if (generation == generation_) done(value);
        },
        [this, generation = generation_](const std::exception& error) {
            working_ = false;
            if (generation == generation_) interrupted(error);
        });
}

// ---------------------------------------------------------------------------------------------------- plan

void ShootDesk::set_setup(const ShootSetup& setup, const QString& field) {
    if (setup == setup_) return;
    session_.undo_stack().push(new SetupCommand(*this, setup_, setup, field));
}

void ShootDesk::apply_setup(const ShootSetup& setup) {
    setup_ = setup;
    plan_ = plan_shoot(setup_);
    emit setup_changed();
}

QString ShootDesk::setup_folder() {
    return QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation))
        .filePath(QStringLiteral("setups"));
}

QStringList ShootDesk::saved_setups() const {
    QStringList names;
    for (const QFileInfo& file :
         QDir(setup_folder()).entryInfoList({QStringLiteral("*.json")}, QDir::Files, QDir::Name))
        names << file.completeBaseName();
    return names;
}

void ShootDesk::save_setup_as(const QString& name) {
    QString plain = name.trimmed();
    plain.replace(QRegularExpression(QStringLiteral("[/\\\\\\x00-\\x1f]")), QStringLiteral("-"));
    while (plain.startsWith('.')) plain.remove(0, 1);
    if (plain.isEmpty()) return session_.tell(tr("Type a name for the setup first."), true);
    QDir().mkpath(setup_folder());
    try {
        save_setup(QDir(setup_folder()).filePath(plain + QStringLiteral(".json")).toStdString(), setup_);
        session_.tell(tr("Setup \"%1\" saved.").arg(plain), false);
    } catch (const Error& error) {
        session_.tell(QString::fromUtf8(error.what()), true);
    }
    emit saved_setups_changed();
}

void ShootDesk::load_saved_setup(const QString& name) {
    try {
        set_setup(load_setup(QDir(setup_folder()).filePath(name + QStringLiteral(".json")).toStdString()),
                  tr("setup %1").arg(name));
    } catch (const Error& error) {
        session_.tell(QString::fromUtf8(error.what()), true);
    }
}

void ShootDesk::remove_saved_setup(const QString& name) {
    if (QFile::remove(QDir(setup_folder()).filePath(name + QStringLiteral(".json"))))
        session_.tell(tr("Setup \"%1\" removed.").arg(name), false);
    emit saved_setups_changed();
}

// ------------------------------------------------------------------------------------------------- devices

void ShootDesk::set_state(ShootState state) {
    state_ = state;
    emit state_changed();
}

rig::ShootDevices ShootDesk::devices() const {
    return {bench_->clock(), bench_->camera(), bench_->flash(), bench_->rail(), bench_->turntable()};
}

std::vector<rig::BenchFault> ShootDesk::practice_mishaps() {
    using Kind = rig::BenchFault::Kind;
    return rig::faults_by_seed({Kind::misfire, Kind::bump, Kind::link_lost}, 14, 3);
}

void ShootDesk::connect_devices(const rig::BenchSettings& settings) {
    disconnect_devices();
    stop_watching();
    scene_ = text(settings.scene);
    set_state(ShootState::connecting);
    rig::BenchSettings own = settings;
    own.pace = quick_ ? 0 : 1;
    beside([own](const Job& job) { return std::make_shared<rig::Bench>(own, job); },
           [this](const std::shared_ptr<rig::Bench>& bench) {
               bench_ = bench;
               // What the devices are is known; the person need not type it.
               const rig::Shooting& usual = bench_->shooting();
               ShootSetup setup = setup_;
               const rig::Camera camera = bench_->true_camera();
               setup.sensor_width_mm = camera.sensor_width_mm;
               setup.sensor_height_mm = camera.sensor_width_mm * camera.height_px / camera.width_px;
               setup.picture_width_px = camera.width_px;
               setup.focal_length_mm = usual.focal_length_mm;
               setup.f_number = usual.f_number;
               setup.stepping = usual.rail ? Stepping::rail : Stepping::refocus;
               setup.magnification = magnification_at(usual.focal_length_mm, usual.nearest_focus_mm);
               setup.pupil_factor = 1;
               setup.flash_recharge_s = std::max(setup.flash_recharge_s, bench_->flash().recharge_s());
               setup.flash_sync_s = bench_->flash().sync_s();
               setup.card_frames = bench_->camera().card_room();
               set_setup(setup, tr("devices"));
               first_focus_mm_ = usual.nearest_focus_mm;
               position_mm_ = on_rail() ? bench_->rail().position_mm() : 0;
               set_state(ShootState::live);
               next_live();
           });
}

void ShootDesk::disconnect_devices() {
    ++generation_;
    stop_.request_stop();
    pool_.waitForDone();
    stop_ = std::stop_source{};
    working_ = false;
    shoot_.reset();
    bench_.reset();
    live_.reset();
    near_mm_.reset();
    far_mm_.reset();
    wanted_mm_.reset();
    troubles_.clear();
    stations_shot_.clear();
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
        [bench = bench_, wanted = wanted_mm_, rail = on_rail(), first = first_focus_mm_,
         position = position_mm_, reach = marks_reach_](const Job& job) {
            const auto begin = std::chrono::steady_clock::now();
            LiveFrame frame;
            frame.position_mm = position;
            if (wanted) {
                if (rail) {
                    bench->rail().move_to(*wanted, job);
                    frame.position_mm = bench->rail().position_mm();
                } else {
                    bench->camera().focus_at(first + *wanted);
                    frame.position_mm = *wanted;
                }
            }
            cv::Mat3b seen = bench->camera().live_view(kLiveSize, job);
            if (reach > 0) paint_sharp_marks(seen, reach, job);
            frame.picture =
                std::make_shared<const DisplayPicture>(display_levels({seen, {}, {}}, job), QPoint());
            const std::chrono::duration<double> took = std::chrono::steady_clock::now() - begin;
            frame.seconds = took.count();
            return frame;
        },
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
    if (state_ == ShootState::live) set_marks(position_mm_, far_mm_);
}

void ShootDesk::mark_far() {
    if (state_ == ShootState::live) set_marks(near_mm_, position_mm_);
}

void ShootDesk::set_marks(std::optional<double> near_mm, std::optional<double> far_mm) {
    if (near_mm == near_mm_ && far_mm == far_mm_) return;
    session_.undo_stack().push(new MarksCommand(*this, {near_mm_, far_mm_}, {near_mm, far_mm}));
}

void ShootDesk::apply_marks(std::optional<double> near_mm, std::optional<double> far_mm) {
    near_mm_ = near_mm;
    far_mm_ = far_mm;
    if (near_mm_ && far_mm_) {
        ShootSetup setup = setup_;
        setup.subject_depth_mm = *far_mm_ - *near_mm_;
        if (!on_rail())
            setup.magnification = magnification_at(setup.focal_length_mm, first_focus_mm_ + *near_mm_);
        apply_setup(setup);
    }
    emit state_changed();
}

// ------------------------------------------------------------------------------------------------- the run

QString ShootDesk::why_not() const {
    if (state_ == ShootState::off) return tr("Connect the devices first.");
    if (state_ == ShootState::connecting) return tr("The devices are being connected.");
    if (!near_mm_) return tr("Drive to the nearest point and mark it ([).");
    if (!far_mm_) return tr("Drive to the farthest point and mark it (]).");
    for (const SetupProblem& problem : plan_.problems)
        if (problem.blocks) return text(problem.what);
    return {};
}

void ShootDesk::start(const QString& folder) {
    if (state_ != ShootState::live && state_ != ShootState::done) return;
    if (const QString why = why_not(); !why.isEmpty()) return session_.tell(why, true);
    rig::ShootOrder order;
    order.stepping = setup_.stepping;
    for (const PlannedFrame& frame : plan_.steps.frames)
        order.stations_mm.push_back((on_rail() ? 0 : first_focus_mm_) + *near_mm_ + frame.focus_mm);
    order.camera = {setup_.shutter_s, setup_.f_number, bench_->camera().settings().iso};
    order.flash = setup_.flash;
    order.settle_s = setup_.settle_s;
    order.flash_pause_s = setup_.flash ? setup_.flash_recharge_s : 0;
    order.views = setup_.views;
    order.folder = folder.toStdString();
    try {
        // A live picture may be under way: the devices wait for each other.
        shoot_ = std::make_shared<rig::Shoot>(devices(), order);
    } catch (const Error& error) {
        return session_.tell(QString::fromUtf8(error.what()), true);
    }
    folder_ = folder;
    troubles_.clear();
    again_.clear();
    view_ = 0;
    stations_shot_.assign(std::size_t(shoot_->per_view()), false);
    session_.begin_series(shoot_->folder_of(0).filename().string());
    set_state(ShootState::running);
    emit progress_changed();
    if (!working_) next_shot();
}

void ShootDesk::next_shot() {
    if (working_ || !shoot_) return;
    if (state_ == ShootState::pausing) return set_state(ShootState::paused);
    if (state_ != ShootState::running) return;
    if (!again_.empty()) {
        const ShootTrouble place = again_.back();
        again_.pop_back();
        beside(
            [shoot = shoot_, place, before = profiles_before(place.view)](const Job& job) {
                return looked_at(shoot->shoot_again(place.view, place.station, job), before, true, job);
            },
            [this](const Arrived& arrived) { took(arrived); });
        return;
    }
    if (shoot_->is_done()) return finish_run();
    const int view = shoot_->done() / shoot_->per_view();
    beside(
        [shoot = shoot_, before = profiles_before(view)](const Job& job) {
            Arrived arrived = looked_at(shoot->shoot_next(job), before, false, job);
            arrived.seconds_left = shoot->seconds_left();
            return arrived;
        },
        [this](const Arrived& arrived) {
            seconds_left_ = quick_ ? -1 : arrived.seconds_left;
            took(arrived);
        });
}

void ShootDesk::took(const Arrived& arrived) {
    const rig::Shoot::Shot& shot = arrived.shot;
    if (shot.view != view_) {
        view_ = shot.view;
        stations_shot_.assign(std::size_t(shoot_->per_view()), false);
        session_.begin_series(shoot_->folder_of(view_).filename().string());
    }
    stations_shot_[std::size_t(shot.station)] = true;
    position_mm_ = shoot_->order().stations_mm[std::size_t(shot.station)] - (on_rail() ? 0 : first_focus_mm_);
    auto told = [&](int station, const std::vector<FrameFlag>& flags) {
        std::erase_if(troubles_,
                      [&](const ShootTrouble& t) { return t.view == shot.view && t.station == station; });
        for (const FrameFlag& flag : flags) {
            if (flag.kind == "unsharp") continue;  // frames before and behind the subject are meant
            troubles_.push_back({shot.view, station, text(flag.reason)});
            session_.tell(
                tr("Frame %1: %2. Shoot it again from the list.").arg(station + 1).arg(text(flag.reason)),
                true);
            break;
        }
    };
    if (arrived.again && shot.station < session_.series().count()) {
        session_.frame_changed(shot.station, arrived.profile, arrived.whole);
        told(shot.station, session_.profile().flags[std::size_t(shot.station)]);
    } else {
        session_.add_frame(arrived.frame, arrived.profile, arrived.whole);
        // The frame before can be judged better now that both its neighbours are there.
        if (shot.station > 0) {
            const auto& flags = session_.profile().flags[std::size_t(shot.station - 1)];
            const bool known = std::any_of(troubles_.begin(), troubles_.end(), [&](const ShootTrouble& t) {
                return t.view == shot.view && t.station == shot.station - 1;
            });
            if (!known || flags.empty()) told(shot.station - 1, flags);
        }
        told(shot.station, arrived.at_once);
        for (const FocusGap& gap : session_.profile().gaps) {
            const bool known = std::any_of(troubles_.begin(), troubles_.end(), [&](const ShootTrouble& t) {
                return t.view == shot.view && (t.station == gap.before || t.station == gap.after);
            });
            if (known) continue;
            troubles_.push_back({shot.view, gap.before, gap_text(gap)});
            session_.tell(gap_text(gap), true);
        }
    }
    emit progress_changed();
    next_shot();
}

void ShootDesk::interrupted(const std::exception& error) {
    if (dynamic_cast<const Cancelled*>(&error)) return;
    session_.tell(shoot_ && shoot_->done() > 0 ? tr("%1 All %2 frames so far are kept; go on from there.")
                                                     .arg(QString::fromUtf8(error.what()))
                                                     .arg(shoot_->done())
                                               : QString::fromUtf8(error.what()),
                  true);
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
        session_.tell(tr("%1 frames in %2.").arg(shoot_->total()).arg(folder_), false);
        session_.set_stage(Stage::cull);
    } else {
        session_.tell(tr("%1 frames in %2. Some are doubtful: shoot them again, or go on to Cull.")
                          .arg(shoot_->total())
                          .arg(folder_),
                      true);
    }
}

// ------------------------------------------------------------------------------------------ watched folder

void ShootDesk::watch(const QString& folder) {
    disconnect_devices();
    try {
        watched_ = std::make_unique<WatchedFolder>(folder.toStdString());
    } catch (const Error& error) {
        return session_.tell(QString::fromUtf8(error.what()), true);
    }
    folder_ = folder;
    session_.begin_series(watched_->folder().filename().string());
    watch_timer_.start();
    emit state_changed();
}

void ShootDesk::stop_watching() {
    watch_timer_.stop();
    if (!watched_) return;
    pool_.waitForDone();
    watched_.reset();
    emit state_changed();
}

void ShootDesk::look_at_watched() {
    if (working_ || !watched_) return;
    // Only this job touches it until the answer is here; stop_watching waits for it.
    beside(
        [watched = watched_.get(), known = session_.profiles()](const Job& job) {
            std::vector<FocusProfile> before = known;
            std::vector<Arrived> arrived;
            for (const auto& file : watched->look()) {
                try {
                    arrived.push_back(looked_at({0, int(before.size()), file}, before, false, job));
                    before.push_back(arrived.back().profile);
                } catch (const FileError&) {
                    continue;  // gone again, or no picture after all
                }
            }
            return arrived;
        },
        [this](const std::vector<Arrived>& arrived) {
            if (!watched_) return;
            for (const Arrived& one : arrived) {
                session_.add_frame(one.frame, one.profile, one.whole);
                for (const FrameFlag& flag : one.at_once)
                    session_.tell(
                        tr("%1: %2.").arg(text(one.shot.file.filename().string()), text(flag.reason)), true);
            }
            if (!arrived.empty()) emit progress_changed();
        });
}

}  // namespace moorhaze::desktop
