// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <mutex>
#include <vector>

#include "rig/devices.h"
#include "rig/exposure.h"
#include "rig/render.h"

namespace moorhaze::rig {

/// Something that goes wrong at one exposure of a shoot.
struct BenchFault {
    enum class Kind {
        misfire,    ///< the flash stays dark
        bump,       ///< someone knocks the rail: a streak, and the view is shifted from then on
        moved,      ///< the subject's moving part moves, from then on
        card_full,  ///< no room on the card from then on
        link_lost,  ///< the link is gone until it is made again
    };
    Kind kind = Kind::misfire;
    int exposure = 1;  ///< counts from 1 over all exposures of the bench
    bool operator==(const BenchFault&) const = default;
};

/// One fault of each kind asked for at a place drawn from the seed, among `exposures`.
std::vector<BenchFault> faults_by_seed(const std::vector<BenchFault::Kind>& kinds, int exposures,
                                       std::uint32_t seed);

struct BenchSettings {
    std::string scene = "brass-wheels";
    std::uint32_t seed = 1;
    int width_px = 1500, height_px = 1000;
    RayBudget rays;
    double noise = 0.15;
    double pace = 0;  ///< seconds of the devices' clock in one second; 0: as quick as can be
    double rail_steps_per_mm = 400, rail_top_speed_mm_s = 5, rail_backlash_mm = 0.03;
    double rail_first_mm = -20, rail_last_mm = 140, rail_start_mm = -4;
    double shake_mm = 0.25,
           shake_settles_s = 0.25;  ///< after a move: amplitude, and time in which it falls to 1/e
    bool flash_on = true;
    double flash_recharge_s = 3, flash_sync_s = 1.0 / 200;
    int card_frames = 100000;
    std::vector<BenchFault> faults;
};

/// Stand-ins for camera, flash, rail and turntable before a scene. They behave like real ones: a rail that
/// has just moved still shakes, a flash that had no time stays dark, a shutter faster than the sync speed
/// leaves a dark band. The light is metered: any aperture gives the same brightness. Deterministic by seed.
/// Thread-safe: calls wait for each other.
class Bench {
  public:
    /// @throws BadParameter for an unknown scene, Cancelled.
    Bench(const BenchSettings& settings, const Job& job);
    ~Bench();
    Bench(const Bench&) = delete;
    Bench& operator=(const Bench&) = delete;

    ShootClock& clock();
    CameraDevice& camera();
    FlashDevice& flash();
    RailDevice& rail();
    TurntableDevice& turntable();

    /// Seconds of the devices' clock in one second; 0: as quick as can be. From any thread, at once.
    void set_pace(double pace);

    /// How the scene is meant to be shot: where its first and last frame stand.
    const Shooting& shooting() const;
    int exposures() const;  ///< so far
    /// For tests: where the camera truly is, with backlash and bumps.
    Camera true_camera() const;

  private:
    class Parts;
    std::unique_ptr<Parts> parts_;
};

}  // namespace moorhaze::rig
