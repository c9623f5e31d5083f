// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QString>
#include <memory>
#include <optional>

#include "core/optics/shoot_plan.h"
#include "desktop/session/work/display_picture.h"
#include "rig/bench.h"
#include "rig/shoot.h"

/// What ShootDesk asks the devices, as functions of values.
namespace moorhaze::desktop {

/// What the devices are is known; the person need not type it.
ShootSetup with_devices(ShootSetup setup, rig::Bench& bench);

/// @param first_mm  where the plan's first frame is, as the camera's focus or the rail count.
rig::ShootOrder order_of(const ShootSetup& setup, const ShootPlan& plan, double first_mm, int iso,
                         const QString& folder);

/// Where live view looks, and how.
struct LiveWish {
    std::optional<double> drive_to_mm;  ///< of the plane of focus; none: it stays
    double position_mm = 0, first_focus_mm = 0;
    bool on_rail = false;
    double marks_reach = 0;  ///< see ShootDesk
};
struct LiveFrame {
    std::shared_ptr<const DisplayPicture> picture;
    double seconds = 0, position_mm = 0;
};
/// Drives, then takes a live picture: beside the interface.   @throws as the devices, Cancelled.
LiveFrame take_live_frame(rig::Bench& bench, const LiveWish& wish, const Job& job);

/// A folder that is not there yet, among the person's pictures.
/// @param name  of the scene, or of the series.
QString free_series_folder(const QString& name);

}  // namespace moorhaze::desktop
