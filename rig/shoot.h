// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/optics/focus_steps.h"
#include "rig/devices.h"

namespace moorhaze::rig {

struct ShootDevices {
    ShootClock& clock;
    CameraDevice& camera;
    FlashDevice& flash;
    RailDevice& rail;
    TurntableDevice& turntable;
};

/// Where to expose, and how long to wait.
struct ShootOrder {
    Stepping stepping = Stepping::rail;
    std::vector<double> stations_mm;  ///< rail positions, or distances to focus at; near to far
    CameraSettings camera;
    bool flash = true;
    double settle_s = 1;           ///< after each move
    double flash_pause_s = 3;      ///< at least, between two exposures
    int views = 1;                 ///< of the turntable, evenly over a full turn
    std::filesystem::path folder;  ///< one view: frames go here; more: into view-01, view-02, ...
};

/// Goes through an order frame by frame. After any exception the next call goes on at the same place.
class Shoot {
  public:
    /// Makes the folders. @throws BadParameter for an order that cannot be, FileError when the folder cannot
    /// be made or holds pictures.
    Shoot(ShootDevices devices, ShootOrder order);

    struct Shot {
        int view = 0, station = 0;  ///< from 0
        std::filesystem::path file;
    };
    bool is_done() const { return done_ >= total(); }
    int done() const { return done_; }
    int total() const { return order_.views * per_view(); }
    int per_view() const { return int(order_.stations_mm.size()); }
    const ShootOrder& order() const { return order_; }
    std::filesystem::path folder_of(int view) const;
    double seconds_left() const;  ///< by the devices' clock, as far as shots so far tell

    /// The next frame. @throws LinkLost, CardFull, FileError, Cancelled: nothing of this frame is left, all
    /// frames before are.
    Shot shoot_next(const Job& job);
    /// The same frame once more, over the first file, coming from the near side so that the rail's play does
    /// not shift it.   @throws as shoot_next; the first file is then as it was.
    Shot shoot_again(int view, int station, const Job& job);
    /// The frames that were not shot yet are not wanted: the far point has been reached.
    void stop_early();

  private:
    Shot shoot_at(int view, int station, IfThere if_there, const Job& job);
    ShootDevices devices_;
    ShootOrder order_;
    bool is_set_;
    int done_ = 0, here_view_ = -1;
    double began_s_ = -1, last_exposure_s_ = -1e9;
};

}  // namespace moorhaze::rig
