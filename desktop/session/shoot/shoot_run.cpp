// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shoot/shoot_run.h"

#include <algorithm>

#include "desktop/session/document/facts.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {

ShootRun::ShootRun(SessionBase& base, Opening& opening, std::shared_ptr<rig::Bench> bench,
                   const rig::ShootOrder& order)
    : base_(&base), opening_(&opening), bench_(std::move(bench)) {
    shoot_ =
        std::make_shared<rig::Shoot>(rig::ShootDevices{bench_->clock(), bench_->camera(), bench_->flash(),
                                                       bench_->rail(), bench_->turntable()},
                                     order);
    opening_->begin_series(text(shoot_->folder_of(0).filename().string()));
    begin_view(0);
}

/// The document goes along with the views, but takes no result with it that somebody still wants.
void ShootRun::begin_view(int view) {
    view_ = view;
    profiles_.clear();
    stations_shot_.assign(std::size_t(shoot_->per_view()), false);
    joining_ = view == 0 || !base_->document.would_lose_results();
    if (!joining_)
        return base_->notices.notify(
            tr("View %1 is being shot into its folder. The window stays with the view before: a result of "
               "it has not been exported.")
                .arg(view + 1));
    if (view > 0) opening_->begin_series(text(shoot_->folder_of(view).filename().string()));
}

std::vector<FocusProfile> ShootRun::profiles_before(int view) const {
    return view == view_ ? profiles_ : std::vector<FocusProfile>();
}

/// A shoot speaks to devices that belong to the bench: a call holds both until it has ended.
ShootRun::Call ShootRun::next() {
    if (!again_.empty()) {
        const ShootTrouble place = again_.back();
        again_.pop_back();
        return [bench = bench_, shoot = shoot_, place, before = profiles_before(place.view)](const Job& job) {
            const auto shot = shoot->shoot_again(place.view, place.station, job);
            return Shot{shot, arrival_of(shot.file, before, shot.station, job), true, -1};
        };
    }
    if (is_done()) return {};
    const int view = shoot_->done() / shoot_->per_view();
    return [bench = bench_, shoot = shoot_, before = profiles_before(view)](const Job& job) {
        const auto shot = shoot->shoot_next(job);
        return Shot{shot, arrival_of(shot.file, before, int(before.size()), job), false,
                    shoot->seconds_left()};
    };
}

bool ShootRun::has_trouble(int station) const {
    return std::any_of(troubles_.begin(), troubles_.end(),
                       [&](const ShootTrouble& own) { return own.view == view_ && own.station == station; });
}

void ShootRun::report(int station, const std::vector<FrameFlag>& flags) {
    std::erase_if(troubles_,
                  [&](const ShootTrouble& own) { return own.view == view_ && own.station == station; });
    for (const FrameFlag& flag : flags) {
        if (flag.kind == "unsharp") continue;  // frames before and behind the subject are meant
        troubles_.push_back({view_, station, text(flag.reason)});
        base_->notices.notify_error(
            tr("Frame %1: %2. Shoot it again from the list.").arg(station + 1).arg(text(flag.reason)));
        break;
    }
}

void ShootRun::took(const Shot& shot) {
    if (!shot.again) seconds_left_ = shot.seconds_left;
    if (shot.place.view != view_) begin_view(shot.place.view);
    const int station = shot.place.station;
    stations_shot_[std::size_t(station)] = true;
    const Arrival& own = shot.own;
    if (shot.again && station < int(profiles_.size())) {
        profiles_[std::size_t(station)] = own.profile;
        if (joining_) opening_->frame_changed(station, own.frame.info, own.profile, own.whole);
        report(station, own.whole.flags[std::size_t(station)]);
        return;
    }
    profiles_.push_back(own.profile);
    if (joining_) opening_->add_frame(own.frame, own.profile, own.whole);
    // The frame before can be judged better now that both its neighbours are there.
    if (station > 0) {
        const auto& flags = own.whole.flags[std::size_t(station - 1)];
        if (!has_trouble(station - 1) || flags.empty()) report(station - 1, flags);
    }
    report(station, own.at_once);
    for (const FocusGap& gap : own.whole.gaps) {
        if (has_trouble(gap.before) || has_trouble(gap.after)) continue;
        troubles_.push_back({view_, gap.before, gap_text(gap)});
        base_->notices.notify_error(gap_text(gap));
    }
}

void ShootRun::stop_early() {
    shoot_->stop_early();
    stations_shot_.resize(std::size_t(shoot_->per_view()));
}

void ShootRun::finish() {
    seconds_left_ = -1;
    if (shot() == 0) return;
    if (joining_) opening_->series_is_complete();
    const QString folder = text(shoot_->order().folder.string());
    if (!troubles_.empty())
        return base_->notices.notify_error(
            tr("%1 frames in %2. Some are doubtful: shoot them again, or go on to Cull.")
                .arg(to_shoot())
                .arg(folder));
    base_->notices.notify(tr("%1 frames in %2.").arg(to_shoot()).arg(folder));
    if (joining_) base_->standpoint.set_stage(Stage::cull);
}

}  // namespace moorhaze::desktop
