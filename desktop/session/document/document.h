// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>

#include "core/project/edits.h"
#include "core/project/history.h"
#include "desktop/session/document/settling.h"

namespace moorhaze::desktop {

/// An opened document: ids of frames and results name something within one only.
struct DocumentId {
    int value = 0;
    bool operator==(const DocumentId&) const = default;
};

/// The project as it is, and its history: the only place where what a person decided changes. In the
/// interface's thread. Edits can be undone, happenings not (see edits.h).
class Document : public QObject {
    Q_OBJECT
  public:
    explicit Document(QObject* parent = nullptr) : QObject(parent) {}

    /// Every change of this, and of what follows it, is a step of it.
    Settling& settling() { return settling_; }

    const Project& project() const { return history_.now(); }
    const History& history() const { return history_; }
    /// The frames as the core's steps take them; their indices are their places.
    const Series& series() const { return series_; }
    const FrameFacts& facts() const { return facts_; }
    bool has_series() const { return series_.count() > 0; }

    /// The id at a place, which must be there.
    FrameId id_at(int place) const { return series_.frames[std::size_t(place)].id; }
    /// -1 when there is no such frame.
    int place(FrameId frame) const { return place_of(project(), frame).value_or(-1); }

    /// Another with every series that is opened.
    DocumentId id() const { return {serial_}; }

    /// Another series altogether, with a history of its own.
    /// @param file  that it was read from; empty: it is new.
    void replace(Project project, FrameFacts facts, std::filesystem::path file = {});
    /// The project's file; empty while it has none.
    const std::filesystem::path& file() const { return file_; }
    /// @param is_kept  whether what is decided and made goes to the file; otherwise it ends with the window.
    void set_file(std::filesystem::path file, bool is_kept);
    /// True when closing, or another series, would lose a result that somebody may want.
    bool would_lose_results() const {
        return !is_kept_ && has_unsaved_results(project()) && project().results != opened_results_;
    }
    /// True when it would lose that, or what was decided in a window that may not write the project.
    bool would_lose_work() const {
        return would_lose_results() || (!is_kept_ && !file_.empty() && history_.steps() > 0);
    }
    /// One step of undo; nothing when nothing changes.
    /// @param join  steps that follow each other with the same of these are one.
    /// @param more_facts  of frames that come into the project.
    void edit(const QString& what, Project after, const QString& join = {},
              const FrameFacts& more_facts = {});
    void happened(const std::function<Project(const Project&)>& change, const FrameFacts& more_facts = {});
    /// The same of work that was begun for a document: nothing where another one is open by now.
    void happened_in(DocumentId document, const std::function<Project(const Project&)>& change) {
        if (document == id()) happened(change);
    }
    void undo();
    void redo();
    /// What follows is joined with nothing before: another drag, another field.
    void end_step() { history_.end_step(); }

    FrameId next_frame_id();
    ResultId next_result_id() { return {++last_result_}; }

  signals:
    void changed(const moorhaze::desktop::Changes& changes);
    void history_changed();

  private:
    template <class Step>
    void apply(const Step& step);

    Settling settling_;
    History history_;
    Series series_;
    FrameFacts facts_;
    std::filesystem::path file_;
    SharedList<ProjectResult> opened_results_;  ///< as they stood in the file: it still has them
    bool is_kept_ = false;
    int last_frame_ = 0, last_result_ = 0, serial_ = 0;
};

}  // namespace moorhaze::desktop
