// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QTimer>
#include <memory>
#include <optional>

#include "core/optics/shoot_plan.h"
#include "desktop/session/shoot/shoot_run.h"
#include "desktop/session/work/display_picture.h"
#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// What the devices are doing.
enum class ShootState {
    off,  ///< no devices
    connecting,
    live,  ///< live view; drive, mark, start
    running,
    pausing,  ///< the frame under way is finished first
    paused,
    interrupted,  ///< link lost or card full; all frames are kept
    done,
};

/// Plan and shoot: the setup with what comes of it, the devices, live view, the run. All in the interface's
/// thread; the devices are spoken to beside it, one call after the other.
class ShootDesk : public QObject {
    Q_OBJECT
  public:
    ShootDesk(SessionBase& base, Opening& opening, QObject* parent = nullptr);

    // Plan.
    const ShootSetup& setup() const { return shooting().setup; }
    const ShootPlan& plan() const { return plan_; }
    /// One step of undo; steps that follow each other within the same field join.
    void set_setup(const ShootSetup& setup, const QString& field);

    /// A misfire, a bump and a lost link among the first frames of a run.
    static std::vector<rig::BenchFault> practice_mishaps();

    // Devices. Positions are mm of the plane of focus along the lens axis, 0 where the scene's own first
    // frame is.
    ShootState state() const { return state_; }
    /// What simulated devices are like unless said otherwise: picture size, rays, noise.
    const rig::BenchSettings& bench_defaults() const { return bench_defaults_; }
    void set_bench_defaults(const rig::BenchSettings& bench) { bench_defaults_ = bench; }
    void connect_devices(const rig::BenchSettings& bench);
    void disconnect_devices();
    void back_to_live();  ///< after a run
    QString scene() const { return scene_; }
    double position_mm() const { return position_mm_; }
    std::optional<double> near_mark_mm() const { return shooting().near_mark_mm; }
    std::optional<double> far_mark_mm() const { return shooting().far_mark_mm; }
    void drive_by(double mm);
    void drive_to(double mm);
    void mark_near();
    void mark_far();
    /// Both marks; undone as one.
    void set_marks(std::optional<double> near_mm, std::optional<double> far_mm);
    double marks_reach() const { return marks_reach_; }
    void set_marks_reach(double reach);  ///< 0..1: how readily live view marks things as sharp
    void set_quick(bool quick);          ///< devices as quick as can be, instead of in real time
    bool is_quick() const { return quick_; }

    // The run.
    /// Why it cannot begin now; empty if it can.
    QString why_not() const;
    void start(const QString& folder);
    /// One for the next run, that is not there yet.
    QString free_folder() const;
    void pause();
    void go_on();  ///< after a pause or an interruption; makes the link again where it was lost
    void stop_early();
    void shoot_again(const ShootTrouble& trouble);
    const ShootRun& run() const { return run_; }
    const QString& folder() const { return folder_; }
    bool is_busy() const { return working_; }
    /// A call to the devices has not ended yet, though nobody may wait for its answer any more.
    bool has_call_under_way() const { return calls_.is_busy(); }
    bool is_driving() const { return wanted_mm_.has_value(); }

    std::shared_ptr<const DisplayPicture> live_picture() const { return live_; }
    /// Live view, or its last picture until a frame has arrived.
    bool shows_live() const {
        return live_ &&
               (state_ == ShootState::live || (state_ != ShootState::off && !base_.document.has_series()));
    }
    double live_frames_per_second() const { return live_rate_; }

  signals:
    void setup_changed();
    void state_changed();  ///< state, position, marks
    void live_changed();
    void progress_changed();  ///< frames and troubles of the run

  private:
    const Shooting& shooting() const { return base_.document.project().shooting; }
    Shooting with_marks(std::optional<double> near_mm, std::optional<double> far_mm) const;
    void set_state(ShootState state);
    template <class Work, class Done>
    void beside(Work work, Done done);
    void next_live();
    void next_shot();
    void forget_call();
    void interrupted(const std::exception& error);
    void run_on();
    void finish_run();
    bool on_rail() const { return setup().stepping == Stepping::rail; }

    SessionBase& base_;
    Opening& opening_;
    LatestWish calls_;      ///< to the devices; those for devices that were given back are dropped
    bool working_ = false;  ///< a call is under way
    ShootPlan plan_;
    ShootState state_ = ShootState::off;
    QString scene_, folder_;
    rig::BenchSettings bench_defaults_;
    std::shared_ptr<rig::Bench> bench_;
    ShootRun run_;
    double position_mm_ = 0, first_focus_mm_ = 0;
    std::optional<double> wanted_mm_;
    double marks_reach_ = 0.3, live_rate_ = 0;
    bool quick_ = true;
    std::shared_ptr<const DisplayPicture> live_;
};

template <class Work, class Done>
void ShootDesk::beside(Work work, Done done) {
    working_ = true;
    calls_.want(
        std::move(work),
        [this, done = std::move(done)](const auto& value) {
            working_ = false;
            done(value);
        },
        [this](const std::exception& error) {
            working_ = false;
            interrupted(error);
        });
}

}  // namespace moorhaze::desktop
