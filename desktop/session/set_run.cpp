#include "desktop/session/set_run.h"

#include <QDir>
#include <QFileInfo>
#include <QStandardPaths>
#include <algorithm>
#include <chrono>

#include "core/project/edits.h"
#include "core/sets/outcome.h"
#include "desktop/session/text.h"

namespace moorhaze::desktop {
namespace {

constexpr std::chrono::milliseconds kShownEach{100};

}  // namespace

SetRun::SetRun(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
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
        outcome_ =
            tr("Stopped: %1 of %2 are done. Started again, it goes on there.").arg(made).arg(entries_.size());
        for (SetEntry& own : entries_) own.step.clear();
        emit list_changed();
        emit changed();
    });
    connect(&jobs_, &JobRunner::changed, this, &SetRun::changed);
}

void SetRun::take_card() {
    // While it runs, or a person looks at one of its series, the list is theirs.
    if (std::exchange(keeps_list_, false) || is_running()) return;
    const Project& project = base_.document.project();
    entries_.clear();
    frames_.clear();
    reasons_.clear();
    outcome_.clear();
    const auto add = [&](const CardSeries& series) {
        SetEntry entry;
        entry.name = text(series.name);
        entry.frames = series.frames.size();
        entry.record.name = series.name;
        entry.record.number = int(entries_.size()) + 1;
        entry.record.frames = entry.frames;
        frames_.push_back(frames_of(series, base_.document.facts()));
        entry.middle = frames_.back()[frames_.back().size() / 2];
        reasons_.push_back(text(series.reason));
        entries_.push_back(std::move(entry));
    };
    for (const CardSeries& series : project.card)
        if (!series.frames.empty()) add(series);
    if (entries_.empty() && !project.frames.empty()) add({project.name, {}, project.frames});
    if (out_.isEmpty() && !frames_.empty()) {
        const QDir pictures(QStandardPaths::writableLocation(QStandardPaths::PicturesLocation));
        const auto folder = frames_.front().front().path.parent_path();
        const auto own = project.card.size() > 1 ? folder.parent_path() : folder;
        out_ = pictures.filePath(text(own.filename().string()) + QStringLiteral("-finished"));
    }
    emit list_changed();
    emit changed();
}

void SetRun::set_wanted(int place, bool wanted) {
    entries_[std::size_t(place)].is_wanted = wanted;
    emit changed();
}

int SetRun::wanted() const {
    return int(
        std::count_if(entries_.begin(), entries_.end(), [](const SetEntry& own) { return own.is_wanted; }));
}

Recipe SetRun::recipe() const {
    Recipe recipe = whole_recipe_;
    for (const RecipePart part : left_out_) recipe = without(std::move(recipe), part);
    return recipe;
}

QString SetRun::part_in_words(RecipePart part) const {
    return text(in_words(whole_recipe_, part));
}

void SetRun::set_carried(RecipePart part, bool carried) {
    if (carried)
        left_out_.erase(part);
    else
        left_out_.insert(part);
    emit recipe_changed();
    emit changed();
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
    const Project& project = base_.document.project();
    whole_recipe_ = recipe_of(project);
    left_out_.clear();
    if (entries_.size() > 2) {
        whole_recipe_.turntable = TurntableRule{};
        if (!are_views()) left_out_.insert(RecipePart::turntable);
    }
    recipe_name_ = tr("as %1 is decided now").arg(text(project.name));
    base_.notices.notify(
        tr("The recipe carries what is decided about %1. Plan's page Sets does it for others.")
            .arg(text(project.name)));
    emit recipe_changed();
    emit changed();
}

void SetRun::take_recipe(const QString& file) {
    try {
        whole_recipe_ = read_recipe(file.toStdString());
        left_out_.clear();
        recipe_name_ = QFileInfo(file).fileName();
        emit recipe_changed();
        emit changed();
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

void SetRun::save_recipe(const QString& file) {
    try {
        write_recipe(file.toStdString(), recipe(), true);  // the dialog has asked
        recipe_name_ = QFileInfo(file).fileName();
        base_.notices.notify(tr("Saved as %1.").arg(recipe_name_));
        emit recipe_changed();
        emit changed();
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

void SetRun::set_out(const QString& out) {
    out_ = out;
    emit changed();
}

SetPlan SetRun::plan() const {
    SetPlan plan;
    plan.recipe = recipe();
    plan.out = parse_out(out_.toStdString());
    for (std::size_t i = 0; i < entries_.size(); ++i)
        if (entries_[i].is_wanted)
            plan.series.push_back(
                {entries_[i].record.name, entries_[i].record.number, reasons_[i].toStdString(), frames_[i]});
    return plan;
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
    if (!has_recipe()) return tr("Make a recipe of the open series, or take one from a file.");
    if (out_.isEmpty()) return tr("Say where the pictures shall go.");
    try {
        check_names(plan());
    } catch (const Error& error) {
        return QString::fromUtf8(error.what());
    }
    return {};
}

void SetRun::start(int memory_mb) {
    if (const QString why = why_not(); !why.isEmpty()) return base_.notices.notify_error(why);
    if (is_running()) return base_.notices.notify_error(tr("The set is being worked on already."));
    std::vector<int> places;
    for (std::size_t i = 0; i < entries_.size(); ++i)
        if (entries_[i].is_wanted) places.push_back(int(i));
    outcome_.clear();
    progress_ = {};
    jobs_.start(
        tr("set"),
        [this, plan = plan(), places, slot = mailbox_.slot(),
         memory = std::size_t(memory_mb) << 20](const Job& job) {
            SetEvents events;
            // What is posted is called only while this lives: the mailbox goes with it.
            std::chrono::steady_clock::time_point shown{};
            std::string step;
            events.on_progress = [&](const SetProgress& progress) {
                const auto now = std::chrono::steady_clock::now();
                if (now - shown < kShownEach && progress.step == step) return;
                shown = now;
                step = progress.step;
                slot.post([this, progress, places] { show_progress(progress, places); });
            };
            events.on_series = [&](int place, const SeriesRecord& record) {
                slot.post([this, at = places[std::size_t(place)], record] { take(at, record); });
            };
            return run_set(plan, {false, memory}, events, job);
        },
        [this, places](const std::vector<SeriesRecord>& records) {
            for (std::size_t i = 0; i < places.size(); ++i) take(places[i], records[i]);
            outcome_ = text(summary_of(records));
            // Of a turntable, what became of all views together.
            for (std::size_t i = places.size(); i < records.size(); ++i)
                for (const std::string& reason : records[i].reasons)
                    outcome_ += QStringLiteral("; ") + text(reason);
            base_.notices.notify(tr("Set: %1.").arg(outcome_));
            emit changed();
        });
    emit changed();
}

void SetRun::show_progress(const SetProgress& progress, const std::vector<int>& places) {
    const auto at = std::size_t(places[std::size_t(progress.place)]);
    progress_ = progress;
    if (at < entries_.size() && !entries_[at].record.is_made() && entries_[at].step != text(progress.step)) {
        entries_[at].step = text(progress.step);
        emit entry_changed(int(at));
    }
    emit changed();
}

void SetRun::take(int place, const SeriesRecord& record) {
    if (place >= int(entries_.size()) || entries_[std::size_t(place)].record.name != record.name) return;
    SetEntry& own = entries_[std::size_t(place)];
    own.step.clear();
    own.record = record;
    emit entry_changed(place);
}

QString SetRun::state() const {
    if (!is_running()) return outcome_;
    if (progress_.count == 0) return tr("begins");
    return tr("%1 of %2, %3: %4, %5 left")
        .arg(progress_.place + 1)
        .arg(progress_.count)
        .arg(text(progress_.name), text(progress_.step), text(duration_in_words(progress_.seconds_left)));
}

QString SetRun::table() const {
    if (out_.isEmpty()) return {};
    const QString file = text((set_folder(parse_out(out_.toStdString())) / "outcome.html").string());
    return QFileInfo::exists(file) ? file : QString();
}

QString SetRun::project_of(int place) const {
    const SeriesRecord& record = entries_[std::size_t(place)].record;
    if (record.project.empty()) return {};
    const QString file = text((parse_out(out_.toStdString()).folder / record.project).string());
    return QFileInfo::exists(file) ? file : QString();
}

int SetRun::place_on_card(int place) const {
    const SharedList<CardSeries>& card = base_.document.project().card;
    for (int i = 0; i < card.size(); ++i)
        if (!card[i].frames.empty() && card[i].frames[0].path == frames_[std::size_t(place)].front().path)
            return i;
    return -1;
}

std::vector<std::filesystem::path> SetRun::files_of_series(int place) const {
    std::vector<std::filesystem::path> files;
    for (const Frame& frame : frames_[std::size_t(place)]) files.push_back(frame.path);
    return files;
}

}  // namespace moorhaze::desktop
