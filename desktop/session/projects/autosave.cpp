// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/projects/autosave.h"

#include <algorithm>

#include "desktop/session/projects/standing.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

const QString kFind = QStringLiteral("find the frames");

}  // namespace

Autosave::Autosave(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    // Results that were read come into their keeper's care, too.
    connect(&base_.document.settling(), &Settling::settled, this, &Autosave::follow);
}

Autosave::~Autosave() {
    for (auto& keeper : finishing_) keeper->finish_and_wait(true);
    if (keeper_) keeper_->finish_and_wait(is_worth_it());
}

/// A project that nobody did anything with would only be in the way.
bool Autosave::is_worth_it() const {
    return was_opened_ || !is_unsaved() || base_.document.history().steps() > 0 ||
           !base_.document.project().results.empty();
}

void Autosave::follow(const Settled& what) {
    const bool is_other = what.document.series;
    if (is_other && keeper_ && base_.document.file() == keeper_->file())
        base_.document.set_file(keeper_->file(), keeper_->state() != ProjectKeeper::State::reading_only);
    else if (is_other)
        let_go();
    if (!keeper_ && base_.document.has_series() && !known_.unsaved.empty()) begin();
    hand_over();
}

void Autosave::begin() {
    const std::filesystem::path file = base_.document.file();
    was_opened_ = !file.empty();
    keeper_ = std::make_unique<ProjectKeeper>(
        was_opened_ ? file : free_project_file(known_.unsaved, base_.document.project().name));
    watch_keeper();
    const bool is_ours = keeper_->state() != ProjectKeeper::State::reading_only;
    base_.document.set_file(keeper_->file(), is_ours);
    if (!is_ours)
        base_.notices.notify_error(
            tr("%1 is open in another window (%2). Here it can be looked at and worked on, but it is not "
               "saved: use Keep as to go on with a copy.")
                .arg(text(keeper_->file().filename().string()), keeper_->why()));
    emit changed();
}

void Autosave::watch_keeper() {
    was_failing_ = false;
    ProjectKeeper* keeper = keeper_.get();
    connect(keeper, &ProjectKeeper::state_changed, this, [this, keeper] {
        const bool fails = keeper->state() == ProjectKeeper::State::failing;
        if (fails && !was_failing_)
            base_.notices.notify_error(
                tr("The project is not saved: %1 Work goes on from memory, and saving is tried again.")
                    .arg(keeper->why()));
        if (was_failing_ && keeper->state() == ProjectKeeper::State::saved)
            base_.notices.notify(tr("The project is saved again."));
        was_failing_ = fails || (was_failing_ && keeper->state() != ProjectKeeper::State::saved);
        if (keeper == keeper_.get())
            base_.document.set_file(keeper->file(),
                                    !fails && keeper->state() != ProjectKeeper::State::reading_only);
        emit changed();
    });
    connect(keeper, &ProjectKeeper::moved, this, [this, keeper] {
        // Another series may have been opened while it was moved: that one lies elsewhere.
        if (keeper == keeper_.get()) {
            base_.document.set_file(keeper->file(), true);
            take_name();
        }
        base_.notices.notify(tr("Kept in %1.").arg(text(keeper->file().parent_path().string())));
        emit changed();
    });
    connect(keeper, &ProjectKeeper::failed_to_move, &base_.notices, &Notices::notify_error);
    connect(keeper, &ProjectKeeper::left_out, this,
            [this](const QString& what) { base_.notices.notify(tr("The kept result: %1").arg(what)); });
}

SavedProject Autosave::saved() const {
    SavedProject own{base_.document.project(), {}, base_.document.series().size()};
    // What was merged ahead and nobody used is nobody's work.
    std::vector<int> places;
    for (int i = 0; i < own.project.results.size(); ++i)
        if (!own.project.results[i].ahead || !own.project.results[i].strokes.empty()) places.push_back(i);
    if (int(places.size()) != own.project.results.size())
        own.project.results = own.project.results.picked(places);
    own.standing = standing_of(base_.standpoint);
    return own;
}

void Autosave::hand_over() {
    if (!keeper_ || !base_.document.has_series()) return;
    const SavedProject own = saved();
    keeper_->change(own);
    for (const ProjectResult& result : own.project.results)
        if (const MergeProduct* product = base_.products.merge(result.id))
            keeper_->keep_result(result.id, *product, result.made_from);
    was_worth_it_ = is_worth_it();
}

/// The keeper of the series before goes on until all of it is on disc.
void Autosave::let_go() {
    if (!keeper_) return;
    finishing_.push_back(std::move(keeper_));
    ProjectKeeper* keeper = finishing_.back().get();
    connect(
        keeper, &ProjectKeeper::finished, this,
        [this, keeper] {
            std::erase_if(finishing_, [&](auto& own) {
                if (own.get() != keeper) return false;
                own.release()->deleteLater();
                return true;
            });
            emit changed();
        },
        Qt::QueuedConnection);
    keeper->finish(was_worth_it_);
}

void Autosave::when_written(const std::filesystem::path& file, std::function<void()> step) {
    forget_waiting();
    for (const auto& keeper : finishing_)
        if (keeper->file() == file) {
            // With it goes its lock.
            waiting_ = connect(keeper.get(), &QObject::destroyed, this, step);
            return base_.notices.notify(
                tr("%1 is still being written; it opens as soon as it is.").arg(text(file.stem().string())));
        }
    step();
}

bool KnownProjects::is_unsaved(const std::filesystem::path& file) const {
    const auto inside = file.lexically_relative(unsaved);
    return !inside.empty() && *inside.begin() != "..";
}

std::vector<std::filesystem::path> KnownProjects::files() const {
    namespace fs = std::filesystem;
    std::vector<std::pair<fs::file_time_type, fs::path>> found;
    const auto add = [&](const fs::path& file) {
        std::error_code unknown;
        const auto at = fs::last_write_time(file, unknown);
        if (!unknown) found.emplace_back(at, file);
    };
    for (const fs::path& file : kept) add(file);
    std::error_code unreadable;
    if (!unsaved.empty())
        for (const auto& own : fs::directory_iterator(unsaved, unreadable))
            add(own.path() / (own.path().filename().string() + kProjectEnding));
    std::sort(found.rbegin(), found.rend());
    std::vector<fs::path> files;
    for (const auto& [at, file] : found) files.push_back(file);
    return files;
}

bool Autosave::is_unsaved() const {
    return keeper_ && known_.is_unsaved(keeper_->file());
}

bool Autosave::is_settled() const {
    return finishing_.empty() && (!keeper_ || keeper_->is_idle());
}

bool Autosave::is_written() const {
    return finishing_.empty() && (!keeper_ || keeper_->is_saved() || !is_worth_it() ||
                                  keeper_->state() == ProjectKeeper::State::reading_only);
}

void Autosave::write_now() {
    if (keeper_) keeper_->write_now();
}

QString Autosave::trouble() const {
    return keeper_ && !keeper_->is_writing() && keeper_->state() == ProjectKeeper::State::failing
               ? keeper_->why()
               : QString();
}

QString Autosave::in_words() const {
    if (!keeper_) return {};
    const QString folder = text(keeper_->file().parent_path().string());
    switch (keeper_->state()) {
        case ProjectKeeper::State::failing:
            return tr("Not saved: %1").arg(keeper_->why());
        case ProjectKeeper::State::reading_only:
            return tr("Open in another window (%1): not saved from here.").arg(keeper_->why());
        default:
            break;
    }
    return is_unsaved() ? tr("Saved by itself, not kept anywhere yet (Ctrl+S). For now in %1").arg(folder)
                        : tr("Saved by itself in %1").arg(folder);
}

void Autosave::keep_as(const std::filesystem::path& parent, const QString& name) {
    if (!keeper_)
        return base_.notices.notify_error(tr("There is nothing to keep yet: open a series first (Ctrl+O)."));
    const std::filesystem::path to = free_project_file(parent, name.toStdString());
    if (keeper_->state() != ProjectKeeper::State::reading_only) return keeper_->move_to(to);
    // Somebody else's folder stays: what is here is written anew.
    keeper_ = std::make_unique<ProjectKeeper>(to);
    watch_keeper();
    base_.document.set_file(to, true);
    take_name();
    hand_over();
    base_.notices.notify(tr("A copy is kept in %1.").arg(text(to.parent_path().string())));
    emit changed();
}

void Autosave::take_name() {
    base_.document.happened(
        [name = keeper_->file().stem().string()](const Project& own) { return with_name(own, name); });
}

std::vector<FrameId> Autosave::missing_frames() const {
    std::vector<FrameId> missing;
    std::error_code unknown;
    for (const ProjectFrame& frame : base_.document.project().frames)
        if (!std::filesystem::exists(frame.path, unknown)) missing.push_back(frame.id);
    return missing;
}

void Autosave::find_frames(const std::filesystem::path& folder) {
    const std::vector<FrameId> missing = missing_frames();
    if (missing.empty()) return base_.notices.notify(tr("All frames are where they were."));
    struct Found {
        std::vector<std::pair<FrameId, std::filesystem::path>> paths;
        FrameFacts facts;
    };
    base_.jobs.start(
        kFind,
        [project = base_.document.project(), missing, folder](const Job& job) {
            Found found;
            for (const auto& [frame, path] : moorhaze::find_frames(project, missing, folder, job)) try {
                    found.facts[frame] = read_picture_info(path);
                    found.paths.emplace_back(frame, path);
                } catch (const FileError&) {
                    continue;  // no picture any more: it stays missing
                }
            return found;
        },
        [this, asked = int(missing.size())](const Found& own) {
            const auto& found = own.paths;
            if (found.empty())
                return base_.notices.notify_error(
                    tr("None of the %1 missing frames is in that folder. Choose another one.").arg(asked));
            FrameFacts facts = base_.document.facts();
            for (const auto& [frame, info] : own.facts) facts.insert_or_assign(frame, info);
            const Standing standing = saved().standing;
            // All that was made of them names other files now: the project is taken up anew.
            base_.document.replace(with_frame_paths(base_.document.project(), found), facts,
                                   base_.document.file());
            stand(base_.standpoint, standing);
            const int left = asked - int(found.size());
            left == 0
                ? base_.notices.notify(tr("All %1 missing frames were found.").arg(asked))
                : base_.notices.notify_error(tr("%1 of %2 missing frames were found; %3 are still missing.")
                                                 .arg(found.size())
                                                 .arg(asked)
                                                 .arg(left));
        });
}

}  // namespace moorhaze::desktop
