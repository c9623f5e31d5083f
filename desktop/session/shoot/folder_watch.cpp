// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shoot/folder_watch.h"

#include "desktop/session/shoot/arrival.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

constexpr int kEvery_ms = 500;

}  // namespace

FolderWatch::FolderWatch(SessionBase& base, Opening& opening, QObject* parent)
    : QObject(parent), base_(base), opening_(opening) {
    timer_.setInterval(kEvery_ms);
    connect(&timer_, &QTimer::timeout, this, &FolderWatch::look);
}

void FolderWatch::start(const QString& folder) {
    stop();
    try {
        watched_ = std::make_shared<WatchedFolder>(folder.toStdString());
    } catch (const Error& error) {
        return base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
    folder_ = folder;
    profiles_.clear();
    opening_.begin_series(text(watched_->folder().filename().string()));
    timer_.start();
    emit changed();
}

void FolderWatch::stop() {
    timer_.stop();
    wish_.drop();
    if (!watched_) return;
    watched_.reset();
    opening_.series_is_complete();
    emit changed();
}

void FolderWatch::look() {
    if (!watched_ || wish_.is_busy()) return;
    wish_.want(
        [watched = watched_, before = profiles_](const Job& job) {
            std::vector<FocusProfile> profiles = before;
            std::vector<Arrival> arrived;
            for (const auto& file : watched->look()) {
                try {
                    arrived.push_back(arrival_of(file, profiles, int(profiles.size()), job));
                    profiles.push_back(arrived.back().profile);
                } catch (const FileError&) {
                    continue;  // gone again, or no picture after all
                }
            }
            return arrived;
        },
        [this](const std::vector<Arrival>& arrived) {
            problem_.clear();
            for (const Arrival& own : arrived) {
                if (!opening_.add_frame(own.frame, own.profile, own.whole)) continue;
                profiles_.push_back(own.profile);
                for (const FrameFlag& flag : own.at_once)
                    base_.notices.notify_error(
                        tr("%1: %2.").arg(text(own.frame.path.filename().string()), text(flag.reason)));
            }
            if (!arrived.empty()) emit changed();
        },
        [this](const std::exception& error) {
            // Said once, not twice a second, for as long as it stays so.
            const QString why = QString::fromUtf8(error.what());
            if (std::exchange(problem_, why) != why) base_.notices.notify_error(why);
        });
}

}  // namespace moorhaze::desktop
