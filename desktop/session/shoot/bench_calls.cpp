// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shoot/bench_calls.h"

#include <QDir>
#include <QStandardPaths>
#include <algorithm>
#include <chrono>

#include "desktop/session/shown/sharp_marks.h"

namespace moorhaze::desktop {
namespace {

const cv::Size kLiveSize{480, 320};

}  // namespace

ShootSetup with_devices(ShootSetup setup, rig::Bench& bench) {
    const rig::Shooting& usual = bench.shooting();
    const rig::Camera camera = bench.true_camera();
    setup.sensor_width_mm = camera.sensor_width_mm;
    setup.sensor_height_mm = camera.sensor_width_mm * camera.height_px / camera.width_px;
    setup.picture_width_px = camera.width_px;
    setup.focal_length_mm = usual.focal_length_mm;
    setup.f_number = usual.f_number;
    setup.stepping = usual.rail ? Stepping::rail : Stepping::refocus;
    setup.magnification = magnification_at(usual.focal_length_mm, usual.nearest_focus_mm);
    setup.pupil_factor = 1;
    setup.flash_recharge_s = std::max(setup.flash_recharge_s, bench.flash().recharge_s());
    setup.flash_sync_s = bench.flash().sync_s();
    setup.card_frames = bench.camera().card_room();
    return setup;
}

rig::ShootOrder order_of(const ShootSetup& setup, const ShootPlan& plan, double first_mm, int iso,
                         const QString& folder) {
    rig::ShootOrder order;
    order.stepping = setup.stepping;
    for (const PlannedFrame& frame : plan.steps.frames)
        order.stations_mm.push_back(first_mm + frame.focus_mm);
    order.camera = {setup.shutter_s, setup.f_number, iso};
    order.flash = setup.flash;
    order.settle_s = setup.settle_s;
    order.flash_pause_s = setup.flash ? setup.flash_recharge_s : 0;
    order.views = setup.views;
    order.folder = folder.toStdString();
    return order;
}

LiveFrame take_live_frame(rig::Bench& bench, const LiveWish& wish, const Job& job) {
    const auto begin = std::chrono::steady_clock::now();
    LiveFrame frame;
    frame.position_mm = wish.position_mm;
    if (wish.drive_to_mm && wish.on_rail) {
        bench.rail().move_to(*wish.drive_to_mm, job);
        frame.position_mm = bench.rail().position_mm();
    } else if (wish.drive_to_mm) {
        bench.camera().focus_at(wish.first_focus_mm + *wish.drive_to_mm);
        frame.position_mm = *wish.drive_to_mm;
    }
    cv::Mat3b seen = bench.camera().live_view(kLiveSize, job);
    if (wish.marks_reach > 0) paint_sharp_marks(seen, wish.marks_reach, job);
    frame.picture = std::make_shared<const DisplayPicture>(shown_levels({seen, {}, {}}, job), QPoint());
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - begin;
    frame.seconds = took.count();
    return frame;
}

QString free_series_folder(const QString& name) {
    const QDir pictures(QStandardPaths::writableLocation(QStandardPaths::PicturesLocation));
    for (int number = 1;; ++number) {
        const QString path = pictures.filePath(QStringLiteral("%1-%2").arg(name).arg(number));
        if (!QFileInfo::exists(path)) return path;
    }
}

}  // namespace moorhaze::desktop
