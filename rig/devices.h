// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <functional>
#include <opencv2/core.hpp>

#include "core/work/job.h"

namespace moorhaze::rig {

/// The devices of a shoot, as software sees them. Each call returns when the device has done it, by the
/// devices' clock. One thread at a time.

/// The cable or radio link is gone. What was shot is kept; `reconnect` and go on.
struct LinkLost : Error {
    using Error::Error;
};
/// No room on the card. What was shot is kept.
struct CardFull : Error {
    using Error::Error;
};

/// Time as the devices see it.
class ShootClock {
  public:
    virtual ~ShootClock() = default;
    virtual double now_s() const = 0;
    virtual void wait_s(double seconds, const Job& job) = 0;  ///< @throws Cancelled
};

struct CameraSettings {
    double shutter_s = 1.0 / 125, f_number = 8;
    int iso = 100;
    bool operator==(const CameraSettings&) const = default;
};

/// What a camera does by itself: refocus a little, expose, again.
struct FocusBracket {
    int step_width = 3;  ///< 1 narrow .. 10 wide; grows with the f-number as depth of focus does
    int frames = 20;
    double interval_s = 0;  ///< between exposures
};

/// What to do with a file that has the name already.
enum class IfThere { refuse, replace };

class CameraDevice {
  public:
    virtual ~CameraDevice() = default;
    virtual CameraSettings settings() const = 0;
    /// @throws BadParameter for what the camera does not have.
    virtual void set(const CameraSettings& settings) = 0;
    /// Distance from the entrance pupil to the plane of focus.
    virtual double focus_mm() const = 0;
    virtual void focus_at(double distance_mm) = 0;
    /// A small picture of what the lens sees now, wide open as viewfinders are not: at the f-number set.
    /// 8-bit sRGB, RGB order.   @throws LinkLost, Cancelled.
    virtual cv::Mat3b live_view(cv::Size size, const Job& job) = 0;
    /// Exposes and writes the picture as `file` (JPEG or TIFF by its ending) with shooting data.
    /// @throws LinkLost, CardFull, FileError, Cancelled; then no new file is left and an old one is as it
    /// was.
    virtual void shoot(const std::filesystem::path& file, IfThere if_there, const Job& job) = 0;
    /// The camera's own series from where it is focused towards far; `arrived` is called after each frame.
    /// @throws as shoot.
    virtual void bracket(const FocusBracket& bracket, const std::filesystem::path& folder,
                         const std::function<void(const std::filesystem::path&)>& arrived,
                         const Job& job) = 0;
    virtual int card_room() const = 0;  ///< frames that still fit
    virtual bool is_connected() const = 0;
    virtual void reconnect() = 0;
};

class FlashDevice {
  public:
    virtual ~FlashDevice() = default;
    virtual bool is_on() const = 0;
    virtual void switch_on(bool on) = 0;
    virtual bool is_ready() const = 0;
    virtual double recharge_s() const = 0;
    virtual double sync_s() const = 0;  ///< shortest shutter time that the whole frame is lit with
};

class RailDevice {
  public:
    virtual ~RailDevice() = default;
    virtual double position_mm() const = 0;  ///< as the rail counts its steps; grows towards the subject
    virtual double smallest_step_mm() const = 0;
    virtual double first_mm() const = 0;  ///< its way
    virtual double last_mm() const = 0;
    /// Rounds to its own steps. @throws BadParameter outside its way, Cancelled.
    virtual void move_to(double position_mm, const Job& job) = 0;
};

class TurntableDevice {
  public:
    virtual ~TurntableDevice() = default;
    virtual double angle_deg() const = 0;
    virtual void turn_to(double angle_deg, const Job& job) = 0;
};

}  // namespace moorhaze::rig
