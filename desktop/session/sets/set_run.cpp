// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/sets/set_run.h"

#include <QDir>
#include <QFileInfo>
#include <QStandardPaths>
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

SetRun::SetRun(SessionBase& base, SetRecipe& recipe, QObject* parent)
    : QObject(parent), base_(base), recipe_(recipe) {
    connect(&recipe_, &SetRecipe::changed, this, &SetRun::changed);
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.card || changes.series) take_card();
    });
    connect(&jobs_, &JobRunner::failed, this, [this](const QString&, const QString& why) {
        outcome_ = why;
        base_.notices.notify_error(tr("Set: %1").arg(why));
        emit changed();
    });
    connect(&jobs_, &JobRunner::cancelled, this, [this] {
        const auto made = std::count_if(entries_.begin(), entries_.end(),
                                        [](const SetEntry& own) { return own.record.is_made(); });
        outcome_ = watched_.isEmpty()
                       ? tr("Stopped: %1 of %2 are done. Started again, it goes on there.")
                             .arg(made)
                             .arg(entries_.size())
                       : tr("No longer watched; %1 of %2 series are done.").arg(made).arg(entries_.size());
        for (SetEntry& own : entries_) own.step.clear();
        emit list_changed();
        emit changed();
    });
    connect(&jobs_, &JobRunner::changed, this, &SetRun::changed);
    // What was opened meanwhile is listed as soon as the list is nobody's; the outcome of the run stays said.
    connect(&jobs_, &JobRunner::changed, this, [this] {
        if (is_running() || !card_waits_) return;
        const QString outcome = outcome_;
        take_card();
        outcome_ = outcome;
        emit changed();
    });
}

/// A series of the list was opened, to be looked at: from its card, alone, or as the project that was kept of
/// it.
bool SetRun::is_of_list(const Project& project) const {
    if (project.frames.empty() || (project.card.size() > 1 && project.card.size() != int(series_.size())))
        return false;
    return std::any_of(series_.begin(), series_.end(), [&](const SetSeries& own) {
        return std::any_of(own.frames.begin(), own.frames.end(),
                           [&](const Frame& frame) { return frame.path == project.frames[0].path; });
    });
}

void SetRun::take_card() {
    // While it runs, or a person looks at one of its series, the list is theirs.
    if (is_of_list(base_.document.project())) {
        card_waits_ = false;
        return;
    }
    card_waits_ = is_running();
    if (card_waits_) return;
    const Project& project = base_.document.project();
    entries_.clear();
    series_.clear();
    outcome_.clear();
    together_.reset();
    const auto add_series = [&](const CardSeries& own) {
        add({own.name, int(series_.size()) + 1, own.reason, frames_of(own, base_.document.facts())});
    };
    for (const CardSeries& series : project.card)
        if (!series.frames.empty()) add_series(series);
    if (entries_.empty() && !project.frames.empty()) add_series({project.name, {}, project.frames});
    if (out_.isEmpty() && !series_.empty()) {
        const QDir pictures(QStandardPaths::writableLocation(QStandardPaths::PicturesLocation));
        const auto folder = series_.front().frames.front().path.parent_path();
        const auto own = project.card.size() > 1 ? folder.parent_path() : folder;
        out_ = pictures.filePath(text(own.filename().string()) + QStringLiteral("-finished"));
    }
    emit list_changed();
    emit changed();
}

void SetRun::add(SetSeries series) {
    SetEntry entry;
    entry.name = text(series.name);
    entry.frames = int(series.frames.size());
    entry.record.name = series.name;
    entry.record.number = series.number;
    entry.record.frames = entry.frames;
    entry.middle = series.frames[series.frames.size() / 2];
    entries_.push_back(std::move(entry));
    series_.push_back(std::move(series));
}

void SetRun::set_wanted(int place, bool wanted) {
    entries_[std::size_t(place)].is_wanted = wanted;
    emit changed();
}

int SetRun::wanted() const {
    return int(
        std::count_if(entries_.begin(), entries_.end(), [](const SetEntry& own) { return own.is_wanted; }));
}

bool SetRun::are_views() const {
    std::vector<std::filesystem::path> names;
    for (const SetEntry& own : entries_) names.emplace_back(own.record.name);
    const auto is_numbered = [](const std::filesystem::path& name) {
        const std::string text = name.string();
        return text.starts_with("view") && std::isdigit(static_cast<unsigned char>(text.back()));
    };
    return std::all_of(names.begin(), names.end(), is_numbered);
}

void SetRun::make_recipe() {
    constexpr std::size_t kLeastViews = 3;
    recipe_.make(entries_.size() >= kLeastViews, are_views());
}

void SetRun::set_replaces(bool on) {
    replaces_ = on;
    emit changed();
}

void SetRun::set_out(const QString& out) {
    out_ = out;
    emit changed();
}

std::optional<OutPattern> SetRun::place() const {
    try {
        return parse_out(out_.toStdString());
    } catch (const BadParameter&) {
        return {};
    }
}

QString SetRun::small_picture_of(int place) const {
    const SeriesRecord& record = entries_[std::size_t(place)].record;
    const auto out = this->place();
    if (!record.is_made() || !out) return {};
    return text(SetPaths(set_folder(*out)).small_picture(record.name).string());
}

SetPlan SetRun::plan() const {
    SetPlan plan;
    plan.recipe = recipe_.recipe();
    plan.out = parse_out(out_.toStdString());
    for (std::size_t i = 0; i < entries_.size(); ++i)
        if (entries_[i].is_wanted) plan.series.push_back(series_[i]);
    return plan;
}

std::vector<SeriesRecord> SetRun::records() const {
    std::vector<SeriesRecord> records;
    for (const SetEntry& own : entries_)
        if (own.is_wanted) records.push_back(own.record);
    return records;
}

QStringList SetRun::names_of(int place) const {
    QStringList names;
    try {
        const SetPlan own = plan();
        for (const SetSeries& series : own.series) {
            if (series.number != entries_[std::size_t(place)].record.number) continue;
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
    if (entries_.empty()) return tr("Open a folder or a card with series first.");
    if (wanted() == 0) return tr("Tick a series first.");
    if (!recipe_.is_there()) return tr("Make a recipe of the open series, or take one from a file.");
    if (out_.isEmpty()) return tr("Say where the pictures shall go.");
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
    for (std::size_t i = 0; i < entries_.size(); ++i)
        if (entries_[i].is_wanted) places.push_back(int(i));
    outcome_.clear();
    watched_.clear();
    progress_ = {};
    const auto in_list = [places](int place) {
        return place < int(places.size()) ? places[std::size_t(place)] : -1;
    };
    jobs_.start(
        tr("set"),
        [plan = plan(), events = events(in_list), replaces = replaces_,
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
    entries_.clear();
    series_.clear();
    outcome_.clear();
    together_.reset();
    progress_ = {};
    watched_ = folder;
    emit list_changed();
    // The places of the series that are worked on come after those that were found before them.
    const auto first = std::make_shared<std::pair<int, int>>(0, 0);  // of this lot, and of the next
    ArrivingEvents arriving_events;
    arriving_events.on_found = [this, first, slot = mailbox_.slot()](const std::vector<SetSeries>& found) {
        *first = {first->second, first->second + int(found.size())};
        slot.post([this, found] {
            for (const SetSeries& series : found) add(series);
            emit list_changed();
        });
    };
    arriving_events.set = events([first](int place) { return first->first + place; });
    try {
        jobs_.start(
            tr("watch"),
            [file = folder.toStdString(), quiet_s,
             plan = SetPlan{recipe_.recipe(), parse_out(out_.toStdString()), {}, {}, {}}, arriving_events,
             settings = RunSettings{replaces_, std::size_t(memory_mb) << 20}](const Job& job) {
                ArrivingSeries arriving(file, quiet_s);
                run_arriving(arriving, plan, settings, arriving_events, job);
                return true;
            },
            [](bool) {});
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
    emit changed();
}

void SetRun::show_progress(const SetProgress& progress, int place) {
    progress_ = progress;
    if (place >= 0 && place < int(entries_.size())) {
        SetEntry& own = entries_[std::size_t(place)];
        if (!own.record.is_made() && own.step != text(progress.step)) {
            own.step = text(progress.step);
            emit entry_changed(place);
        }
    }
    emit changed();
}

void SetRun::take(int place, const SeriesRecord& record) {
    if (place < 0) {
        together_ = record;
        emit changed();
        return;
    }
    if (place >= int(entries_.size()) || entries_[std::size_t(place)].record.name != record.name) return;
    SetEntry& own = entries_[std::size_t(place)];
    own.step.clear();
    own.record = record;
    if (!watched_.isEmpty()) progress_ = {};  // it waits for the next
    emit entry_changed(place);
    emit changed();
}

QString SetRun::state() const {
    if (!is_running()) return outcome_;
    const QString left = text(duration_in_words(progress_.seconds_left));
    if (!watched_.isEmpty()) {
        const auto made = std::count_if(entries_.begin(), entries_.end(),
                                        [](const SetEntry& own) { return own.record.is_made(); });
        return progress_.count == 0
                   ? tr("Waiting for series in %1; %2 done so far.").arg(watched_).arg(made)
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
    const auto out = place();
    if (!out) return {};
    const QString file = text((set_folder(*out) / "outcome.html").string());
    return QFileInfo::exists(file) ? file : QString();
}

QString SetRun::project_of(int place) const {
    const SeriesRecord& record = entries_[std::size_t(place)].record;
    const auto out = this->place();
    if (record.project.empty() || !out) return {};
    const auto project = SetPaths(set_folder(*out)).recorded_project(record.name, record.project);
    if (!project) return {};
    const QString file = text(project->string());
    return QFileInfo::exists(file) ? file : QString();
}

int SetRun::place_on_card(int place) const {
    const SharedList<CardSeries>& card = base_.document.project().card;
    for (int i = 0; i < card.size(); ++i)
        if (!card[i].frames.empty() &&
            card[i].frames[0].path == series_[std::size_t(place)].frames.front().path)
            return i;
    return -1;
}

std::vector<std::filesystem::path> SetRun::files_of_series(int place) const {
    std::vector<std::filesystem::path> files;
    for (const Frame& frame : series_[std::size_t(place)].frames) files.push_back(frame.path);
    return files;
}

}  // namespace moorhaze::desktop
