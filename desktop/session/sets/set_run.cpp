// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/sets/set_run.h"

#include <QFileInfo>
#include <algorithm>
#include <chrono>
#include <memory>
#include <mutex>

#include "core/project/edits.h"
#include "core/sets/outcome.h"
#include "core/sets/run_arriving.h"
#include "core/sets/set_paths.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

constexpr std::chrono::milliseconds kShownEach{100};

}  // namespace

SetRun::SetRun(SessionBase& base, SetRecipe& recipe, SetList& list, QObject* parent)
    : QObject(parent), base_(base), recipe_(recipe), list_(list) {
    connect(&recipe_, &SetRecipe::changed, this, &SetRun::changed);
    connect(&list_, &SetList::list_changed, this, [this] {
        if (is_running()) return;
        outcome_.clear();
        together_.reset();
        ran_into_.reset();
        emit changed();
    });
    connect(&jobs_, &JobRunner::failed, this, [this](const QString&, const QString& why) {
        outcome_ = why;
        base_.notices.notify_error(tr("Set: %1").arg(why));
        emit changed();
    });
    connect(&jobs_, &JobRunner::cancelled, this, [this] {
        outcome_ = (watched_.isEmpty() ? tr("Stopped: %1 of %2 are done. Started again, it goes on there.")
                                       : tr("No longer watched; %1 of %2 series are done."))
                       .arg(list_.made())
                       .arg(list_.count());
        const QString outcome = outcome_;
        list_.clear_steps();
        outcome_ = outcome;
        emit changed();
    });
    connect(&jobs_, &JobRunner::changed, this, [this] {
        if (!is_running()) end();
        emit changed();
    });
}

/// What was opened meanwhile is listed as soon as the list is nobody's; the outcome of the run stays said.
void SetRun::end() {
    const QString outcome = outcome_;
    list_.release();
    outcome_ = outcome;
}

void SetRun::make_recipe() {
    constexpr int kLeastViews = 3;
    recipe_.make(list_.count() >= kLeastViews, list_.are_views());
}

void SetRun::edit(const QString& what, const SetChoice& to) {
    base_.document.edit(what, with_set(base_.document.project(), to));
}

void SetRun::set_replaces(bool on) {
    SetChoice to = set();
    to.replaces = on;
    edit(tr("replace pictures of the set"), to);
}

QString SetRun::out() const {
    return set().out.empty() ? list_.suggested_out() : text(set().out);
}

void SetRun::set_out(const QString& out) {
    if (out == this->out()) return;
    SetChoice to = set();
    to.out = out.toStdString();
    edit(tr("say where pictures go"), to);
}

std::optional<OutPattern> SetRun::place() const {
    try {
        return parse_out(out().toStdString());
    } catch (const BadParameter&) {
        return {};
    }
}

QString SetRun::small_picture_of(int place) const {
    const SeriesRecord& record = list_.entries()[std::size_t(place)].record;
    const auto out = made_in();
    if (!record.is_made() || !out) return {};
    return text(SetPaths(set_folder(*out)).small_picture(record.name).string());
}

SetPlan SetRun::plan() const {
    SetPlan plan;
    plan.recipe = recipe_.recipe();
    plan.out = parse_out(out().toStdString());
    for (int i = 0; i < list_.count(); ++i)
        if (list_.is_ticked(i)) plan.series.push_back(list_.series(i));
    return plan;
}

std::vector<SeriesRecord> SetRun::records() const {
    std::vector<SeriesRecord> records;
    for (int i = 0; i < list_.count(); ++i)
        if (list_.is_ticked(i)) records.push_back(list_.entries()[std::size_t(i)].record);
    return records;
}

QStringList SetRun::names_of(int place) const {
    QStringList names;
    try {
        const SetPlan own = plan();
        for (const SetSeries& series : own.series) {
            if (series.number != list_.series(place).number) continue;
            const PictureInfo& info = series.frames.front().info;
            const cv::Size size(info.width, info.height);
            for (const SetFile& file : own.recipe.turntable ? files_of_view(own, series, info.shooting, size)
                                                            : files_of(own, series, info.shooting, size))
                names << text(file.path.lexically_relative(own.out.folder).string());
        }
    } catch (const Error& error) {
        names << QString::fromUtf8(error.what());
    }
    return names;
}

QString SetRun::why_not() const {
    if (list_.count() == 0) return tr("Open a folder or a card with series first.");
    if (list_.ticked() == 0) return tr("Tick a series first.");
    if (!recipe_.is_there()) return tr("Make a recipe of the open series, or take one from a file.");
    if (out().isEmpty()) return tr("Say where the pictures shall go.");
    try {
        check_names(plan());
    } catch (const Error& error) {
        return QString::fromUtf8(error.what());
    }
    return {};
}

SetEvents SetRun::events(const std::function<int(int)>& in_list) {
    // Called by one thread after the other, but progress by any: what was shown last is its own to guard.
    struct LastShown {
        std::mutex guard;
        std::chrono::steady_clock::time_point at{};
        std::string step;
        bool is_due(const std::string& now_step) {
            const std::lock_guard lock(guard);
            const auto now = std::chrono::steady_clock::now();
            if (now - at < kShownEach && step == now_step) return false;
            at = now;
            step = now_step;
            return true;
        }
    };
    SetEvents events;
    // What is posted is called only while this lives: the mailbox goes with it.
    events.on_progress = [this, in_list, slot = mailbox_.slot(),
                          last = std::make_shared<LastShown>()](const SetProgress& progress) {
        if (last->is_due(progress.step))
            slot.post([this, progress, place = in_list(progress.place)] { show_progress(progress, place); });
    };
    events.on_series = [this, in_list, slot = mailbox_.slot()](int place, const SeriesRecord& record) {
        slot.post([this, at = in_list(place), record] { take(at, record); });
    };
    return events;
}

void SetRun::start(int memory_mb) {
    if (const QString why = why_not(); !why.isEmpty()) return base_.notices.notify_error(why);
    if (is_running()) return base_.notices.notify_error(tr("The set is being worked on already."));
    std::vector<int> places;
    for (int i = 0; i < list_.count(); ++i)
        if (list_.is_ticked(i)) places.push_back(i);
    outcome_.clear();
    list_.hold();
    watched_.clear();
    progress_ = {};
    const auto in_list = [places](int place) {
        return place < int(places.size()) ? places[std::size_t(place)] : -1;
    };
    ran_into_ = place();
    jobs_.start(
        tr("set"),
        [plan = plan(), events = events(in_list), replaces = replaces(),
         memory = std::size_t(memory_mb) << 20](const Job& job) {
            return run_set(plan, {replaces, memory}, events, job);
        },
        [this, in_list, count = places.size()](const std::vector<SeriesRecord>& records) {
            for (std::size_t i = 0; i < records.size(); ++i) take(in_list(int(i)), records[i]);
            // A turntable's views together are no series.
            outcome_ = text(summary_of(
                {records.begin(), records.begin() + std::ptrdiff_t(std::min(count, records.size()))}));
            if (together_)
                for (const std::string& reason : together_->reasons)
                    outcome_ += QStringLiteral("; ") + text(reason);
            base_.notices.notify(tr("Set: %1.").arg(outcome_));
            emit changed();
        });
    emit changed();
}

void SetRun::watch(const QString& folder, int memory_mb, double quiet_s) {
    if (!recipe_.is_there())
        return base_.notices.notify_error(
            tr("Make a recipe of the open series, or take one from a file, before a folder is watched."));
    if (is_running()) return base_.notices.notify_error(tr("The set is being worked on already."));
    list_.hold();
    list_.clear();
    progress_ = {};
    watched_ = folder;
    ran_into_ = place();
    // The places of the series that are worked on come after those that were found before them.
    const auto first = std::make_shared<std::pair<int, int>>(0, 0);  // of this lot, and of the next
    ArrivingEvents arriving_events;
    arriving_events.on_found = [this, first, slot = mailbox_.slot()](const std::vector<SetSeries>& found) {
        *first = {first->second, first->second + int(found.size())};
        slot.post([this, found] { list_.add(found); });
    };
    arriving_events.set = events([first](int place) { return first->first + place; });
    try {
        jobs_.start(
            tr("watch"),
            [file = folder.toStdString(), quiet_s,
             plan = SetPlan{recipe_.recipe(), parse_out(out().toStdString()), {}, {}, {}}, arriving_events,
             settings = RunSettings{replaces(), std::size_t(memory_mb) << 20}](const Job& job) {
                ArrivingSeries arriving(file, quiet_s);
                run_arriving(arriving, plan, settings, arriving_events, job);
                return true;
            },
            [](bool) {});
    } catch (const Error& error) {
        end();
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
    emit changed();
}

void SetRun::show_progress(const SetProgress& progress, int place) {
    progress_ = progress;
    list_.set_step(place, text(progress.step));
    emit changed();
}

void SetRun::take(int place, const SeriesRecord& record) {
    if (place < 0)
        together_ = record;
    else if (!list_.set_record(place, record))
        return;
    else if (!watched_.isEmpty())
        progress_ = {};  // it waits for the next
    emit changed();
}

QString SetRun::state() const {
    if (!is_running()) return outcome_;
    const QString left = text(duration_in_words(progress_.seconds_left));
    if (!watched_.isEmpty()) {
        return progress_.count == 0
                   ? tr("Waiting for series in %1; %2 done so far.").arg(watched_).arg(list_.made())
                   : tr("%1: %2, %3 left").arg(text(progress_.name), text(progress_.step), left);
    }
    if (progress_.count == 0) return tr("begins");
    if (progress_.place >= progress_.count)
        return tr("%1: %2, %3 left").arg(text(progress_.name), text(progress_.step), left);
    return tr("%1 of %2, %3: %4, %5 left")
        .arg(progress_.place + 1)
        .arg(progress_.count)
        .arg(text(progress_.name), text(progress_.step), left);
}

QString SetRun::table() const {
    const auto out = made_in();
    if (!out) return {};
    const QString file = text((set_folder(*out) / "outcome.html").string());
    return QFileInfo::exists(file) ? file : QString();
}

QString SetRun::project_of(int place) const {
    const SeriesRecord& record = list_.entries()[std::size_t(place)].record;
    const auto out = made_in();
    if (record.project.empty() || !out) return {};
    const auto project = SetPaths(set_folder(*out)).recorded_project(record.name, record.project);
    if (!project) return {};
    const QString file = text(project->string());
    return QFileInfo::exists(file) ? file : QString();
}

}  // namespace moorhaze::desktop
