// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/shoot.h"

#include <algorithm>
#include <cstdio>

namespace moorhaze::rig {
namespace {

constexpr double kRunUp_mm = 0.5;  ///< more than a rail's play

std::string numbered(const char* format, int number) {
    char text[40];
    std::snprintf(text, sizeof text, format, number);
    return text;
}

}  // namespace

Shoot::Shoot(ShootDevices devices, ShootOrder order)
    : devices_(devices), order_(std::move(order)), is_set_(order_.views > 1) {
    if (order_.stations_mm.empty()) throw BadParameter("nothing to shoot: the plan has no frames.");
    if (order_.views < 1) throw BadParameter("a turntable set has at least one view.");
    if (total() > devices_.camera.card_room())
        throw BadParameter("the card has room for " + std::to_string(devices_.camera.card_room()) +
                           " frames, and " + std::to_string(total()) +
                           " are needed. Use another card, fewer views or less overlap.");
    if (order_.stepping == Stepping::rail)
        for (const double station : {order_.stations_mm.front(), order_.stations_mm.back()})
            if (station < devices_.rail.first_mm() || station > devices_.rail.last_mm())
                throw BadParameter("the rail's way ends before frame " +
                                   std::to_string(station == order_.stations_mm.front() ? 1 : per_view()) +
                                   ". Move the whole set-up, or shoot less depth.");
    for (int view = 0; view < order_.views; ++view) {
        std::error_code failure;
        std::filesystem::create_directories(folder_of(view), failure);
        if (failure)
            throw FileError(folder_of(view).string() + ": cannot be made (" + failure.message() +
                            "). Choose another folder.");
        if (!std::filesystem::is_empty(folder_of(view)))
            throw FileError(folder_of(view).string() + ": holds files already. Choose another name.");
    }
    devices_.camera.set(order_.camera);
    devices_.flash.switch_on(order_.flash);
}

std::filesystem::path Shoot::folder_of(int view) const {
    return is_set_ ? order_.folder / numbered("view-%02d", view + 1) : order_.folder;
}

Shoot::Shot Shoot::shoot_at(int view, int station, IfThere if_there, const Job& job) {
    if (view != here_view_) {
        if (order_.views > 1) devices_.turntable.turn_to(360.0 * view / order_.views, job);
        here_view_ = view;
    }
    const double wanted = order_.stations_mm[std::size_t(station)];
    if (order_.stepping == Stepping::refocus) {
        devices_.camera.focus_at(wanted);
    } else {
        // Always come from the same side.
        if (wanted < devices_.rail.position_mm())
            devices_.rail.move_to(std::max(devices_.rail.first_mm(), wanted - kRunUp_mm), job);
        devices_.rail.move_to(wanted, job);
    }
    devices_.clock.wait_s(order_.settle_s, job);
    if (order_.flash)
        devices_.clock.wait_s(last_exposure_s_ + order_.flash_pause_s - devices_.clock.now_s(), job);
    const double now = devices_.clock.now_s();
    const auto file = folder_of(view) / numbered("frame-%03d.jpg", station + 1);
    devices_.camera.shoot(file, if_there, job);
    last_exposure_s_ = now;
    return {view, station, file};
}

Shoot::Shot Shoot::shoot_next(const Job& job) {
    if (is_done()) throw BadParameter("all frames have been shot.");
    if (began_s_ < 0) began_s_ = devices_.clock.now_s();
    const int view = done_ / per_view(), station = done_ % per_view();
    const Shot shot = shoot_at(view, station, IfThere::refuse, job);
    ++done_;
    return shot;
}

Shoot::Shot Shoot::shoot_again(int view, int station, const Job& job) {
    if (view < 0 || view >= order_.views || station < 0 || station >= per_view())
        throw BadParameter("there is no such frame to shoot again.");
    return shoot_at(view, station, IfThere::replace, job);
}

void Shoot::stop_early() {
    order_.views = (done_ + per_view() - 1) / std::max(1, per_view());
    if (order_.views <= 1) order_.stations_mm.resize(std::size_t(std::min(done_, per_view())));
    order_.views = std::max(1, order_.views);
    done_ = total();
}

double Shoot::seconds_left() const {
    if (done_ == 0) return -1;
    return (devices_.clock.now_s() - began_s_) / done_ * (total() - done_);
}

}  // namespace moorhaze::rig
