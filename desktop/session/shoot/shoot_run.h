// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QCoreApplication>
#include <functional>
#include <memory>

#include "desktop/session/projects/opening.h"
#include "desktop/session/shoot/arrival.h"
#include "rig/bench.h"
#include "rig/shoot.h"

namespace moorhaze::desktop {

/// A frame that went wrong, and can be shot again.
struct ShootTrouble {
    int view = 0, station = 0;
    QString what;
    bool operator==(const ShootTrouble&) const = default;
};

/// A run as it proceeds: what is shot next, what became of each frame. Frames that arrive join the document,
/// unless a result of an earlier view has not been exported: then the run goes on, and the window stays
/// with that view. In the interface's thread, but for what next() returns.
class ShootRun {
    Q_DECLARE_TR_FUNCTIONS(ShootRun)
  public:
    /// No run.
    ShootRun(SessionBase& base, Opening& opening) : base_(&base), opening_(&opening) {}
    /// @throws BadParameter, FileError as rig::Shoot.
    ShootRun(SessionBase& base, Opening& opening, std::shared_ptr<rig::Bench> bench,
             const rig::ShootOrder& order);

    struct Shot {
        rig::Shoot::Shot place;
        Arrival own;
        bool again = false;
        double seconds_left = -1;
    };
    /// Shoots one frame and looks at it; empty when there is none left. It may outlive the run.
    using Call = std::function<Shot(const Job&)>;
    Call next();
    /// A frame has arrived.
    void took(const Shot& shot);
    void shoot_again(const ShootTrouble& trouble) { again_.push_back(trouble); }
    void stop_early();
    /// Says how it went.
    void finish();

    int shot() const { return shoot_ ? shoot_->done() : 0; }
    int to_shoot() const { return shoot_ ? shoot_->total() : 0; }
    bool is_done() const { return !shoot_ || shoot_->is_done(); }
    int views() const { return shoot_ ? shoot_->order().views : 1; }
    int view() const { return view_; }
    /// At the devices' pace; below 0: unknown.
    double seconds_left() const { return seconds_left_; }
    /// Stations that have been shot in the view shown.
    const std::vector<bool>& stations_shot() const { return stations_shot_; }
    double station_mm(int station) const { return shoot_->order().stations_mm[std::size_t(station)]; }
    const std::vector<ShootTrouble>& troubles() const { return troubles_; }
    /// True when the frames of the view being shot join the document.
    bool is_joining() const { return joining_; }

  private:
    void begin_view(int view);
    void report(int station, const std::vector<FrameFlag>& flags);
    bool has_trouble(int station) const;
    /// Profiles of the frames before a shot of a view; empty where another view begins.
    std::vector<FocusProfile> profiles_before(int view) const;

    SessionBase* base_;
    Opening* opening_;
    std::shared_ptr<rig::Bench> bench_;
    std::shared_ptr<rig::Shoot> shoot_;
    int view_ = 0;
    bool joining_ = true;
    double seconds_left_ = -1;
    std::vector<FocusProfile> profiles_;  ///< of the frames of the view being shot
    std::vector<bool> stations_shot_;
    std::vector<ShootTrouble> troubles_;
    std::vector<ShootTrouble> again_;  ///< waiting to be shot again
};

}  // namespace moorhaze::desktop
