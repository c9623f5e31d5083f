// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/document/document.h"

namespace moorhaze::desktop {

template <class Step>
void Document::apply(const Step& step) {
    const Project before = project();
    step();
    const Changes changes = changes_between(before, project());
    series_ = series_of(project(), facts_);
    Settling::Step settles(settling_);
    settles.note(changes);
    emit changed(changes);
    emit history_changed();
}

void Document::set_file(std::filesystem::path file, bool is_kept) {
    file_ = std::move(file);
    is_kept_ = is_kept;
}

void Document::replace(Project project, FrameFacts facts, std::filesystem::path file) {
    const Project before = history_.now();
    ++serial_;
    history_ = History(std::move(project));
    facts_ = std::move(facts);
    opened_results_ = file.empty() ? SharedList<ProjectResult>() : history_.now().results;
    set_file(std::move(file), false);
    last_frame_ = last_result_ = 0;
    for (const auto& [frame, info] : facts_) last_frame_ = std::max(last_frame_, frame.value);
    for (const ProjectResult& result : history_.now().results)
        last_result_ = std::max(last_result_, result.id.value);
    series_ = series_of(history_.now(), facts_);
    Changes changes = changes_between(before, history_.now());
    changes.series = true;
    Settling::Step settles(settling_);
    settles.note(changes);
    emit changed(changes);
    emit history_changed();
}

void Document::edit(const QString& what, Project after, const QString& join, const FrameFacts& more_facts) {
    facts_.insert(more_facts.begin(), more_facts.end());
    if (after == project()) return;
    apply([&] { history_.edit(what.toStdString(), std::move(after), join.toStdString()); });
}

void Document::happened(const std::function<Project(const Project&)>& change, const FrameFacts& more_facts) {
    // The file of a frame may be another one now.
    for (const auto& [frame, info] : more_facts) facts_.insert_or_assign(frame, info);
    apply([&] { history_.happened(change); });
}

void Document::undo() {
    if (history_.can_undo()) apply([&] { history_.undo(); });
}

void Document::redo() {
    if (history_.can_redo()) apply([&] { history_.redo(); });
}

FrameId Document::next_frame_id() {
    for (const auto& [frame, info] : facts_) last_frame_ = std::max(last_frame_, frame.value);
    return {++last_frame_};
}

}  // namespace moorhaze::desktop
