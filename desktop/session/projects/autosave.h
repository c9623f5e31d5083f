// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QStringList>

#include "desktop/session/document/session_base.h"
#include "desktop/session/projects/project_keeper.h"

namespace moorhaze::desktop {

/// Where projects lie.
struct KnownProjects {
    std::vector<std::filesystem::path> kept;  ///< files, wherever a person put them
    std::filesystem::path unsaved;  ///< folder of those that nobody has kept yet; empty: there is none

    bool is_unsaved(const std::filesystem::path& file) const;
    /// The files that are there, the last saved first. Walks the disc; thread-safe.
    std::vector<std::filesystem::path> files() const;
};

/// Every series has a project from the first moment: in a folder of unsaved ones, until the person keeps it
/// somewhere. What is decided and made goes there by itself. In the interface's thread.
class Autosave : public QObject {
    Q_OBJECT
  public:
    explicit Autosave(SessionBase& base, QObject* parent = nullptr);
    /// Writes what is left; takes as long as that takes.
    ~Autosave() override;

    /// Where projects lie that nobody has kept yet; before this is called nothing is saved.
    void set_folder(const std::filesystem::path& folder) { known_.unsaved = folder; }
    const std::filesystem::path& folder() const { return known_.unsaved; }

    /// Null where there is nothing to keep, or no folder.
    const ProjectKeeper* keeper() const { return keeper_.get(); }
    /// True until the person has kept it somewhere.
    bool is_unsaved() const;
    /// Where it lies and how that stands, in a sentence; empty without a project.
    QString in_words() const;
    bool is_settled() const;

    /// True when closing would not have to write anything, nor lose what could not be written.
    bool is_written() const;
    /// Writes what waits now; `changed` follows.
    void write_now();
    /// Why the project cannot be written; empty where it can.
    QString trouble() const;

    /// Projects that are known here: those that were kept somewhere, and all in the folder of unsaved ones.
    const KnownProjects& known_projects() const { return known_; }
    void remember_kept(const std::vector<std::filesystem::path>& kept) { known_.kept = kept; }

    /// Moves the project to a folder NAME of its own within `parent`. One that only could be read is copied
    /// from memory instead.
    void keep_as(const std::filesystem::path& parent, const QString& name);

    /// Calls `step` as soon as nothing of an earlier series is written to that project any more, unless
    /// something else was asked for by then.
    void when_written(const std::filesystem::path& file, std::function<void()> step);
    /// Another series is opened: what waited for a project to be written is wanted no longer.
    void forget_waiting() { QObject::disconnect(waiting_); }

    /// Looks for frames that are not where they were, in a folder and those inside it.
    void find_frames(const std::filesystem::path& folder);
    /// Frames of the series whose files are not there.
    std::vector<FrameId> missing_frames() const;

  signals:
    void changed();

  private:
    void follow(const Settled& what);
    void begin();
    void hand_over();
    void let_go();
    SavedProject saved() const;
    bool is_worth_it() const;
    void watch_keeper();
    void take_name();

    SessionBase& base_;
    KnownProjects known_;
    std::unique_ptr<ProjectKeeper> keeper_;
    std::vector<std::unique_ptr<ProjectKeeper>> finishing_;
    QMetaObject::Connection waiting_;  ///< for a project to be written
    bool was_opened_ = false;          ///< from a file: something was decided before
    bool was_worth_it_ = false;        ///< as of the last change
    bool was_failing_ = false;
};

}  // namespace moorhaze::desktop
