// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QTimer>
#include <map>
#include <memory>
#include <set>

#include "core/project/project_folder.h"
#include "desktop/session/document/products.h"
#include "desktop/session/work/job_runner.h"
#include "desktop/session/work/latest_wish.h"

class QLockFile;

namespace moorhaze::desktop {

/// Keeps the folder of one project up to date beside the interface: pixels of each result once, then the
/// small file that names them, two seconds after a change. What cannot be written is tried again and again.
/// In the interface's thread.
class ProjectKeeper : public QObject {
    Q_OBJECT
  public:
    enum class State {
        saved,
        waiting,       ///< a change is written in a moment, or is being written
        failing,       ///< see why()
        reading_only,  ///< another window works on it
    };

    /// @param file  may not be there yet.
    explicit ProjectKeeper(std::filesystem::path file, QObject* parent = nullptr);
    ~ProjectKeeper() override;

    const std::filesystem::path& file() const { return file_; }
    State state() const { return state_; }
    /// Why it fails, or who else works on it.
    const QString& why() const { return why_; }
    bool is_idle() const;
    bool is_writing() const { return saving_.is_busy() || writing_.is_busy(); }
    /// True when everything that was handed over is on disc.
    bool is_saved() const { return state_ == State::saved && is_idle(); }

    /// Frames, decisions, standpoint as they are now. Results whose pixels are not on disc yet are named when
    /// they are.
    void change(const SavedProject& now);
    /// A result whose pixels are to be kept.
    void keep_result(ResultId id, const MergeProduct& product, const MadeFrom& from);

    /// Moves the folder when what is being written is done, then says moved() or failed_to_move().
    void move_to(const std::filesystem::path& to);

    /// Writes what waits now, without the two seconds.
    void write_now();

    /// Writes what is left without waiting for the two seconds, then says finished().
    /// @param is_worth_it  otherwise the folder is removed: nothing was decided or made.
    void finish(bool is_worth_it);
    /// The same at once, for closing.
    void finish_and_wait(bool is_worth_it);

  signals:
    void state_changed();
    void moved();
    void failed_to_move(QString why);
    /// A result was kept without something that belongs to it.
    void left_out(QString what);
    void finished();

  private:
    struct Pixels {
        ResultId id;
        MergeProduct product;
        MadeFrom from;
    };
    [[nodiscard]] static std::string write(const std::filesystem::path& folder, const Pixels& pixels,
                                           const Job& job);
    void set_state(State state, const QString& why = {});
    bool lock();
    void save();
    SavedProject nameable() const;
    std::optional<ResultId> next_unwritten() const;
    void write_next();
    void forget_vanished();
    void lock_again_if_vanished();
    void went_wrong(const QString& why);
    void go_on();
    void remove_or_tidy();

    std::filesystem::path file_;
    std::unique_ptr<QLockFile> lock_;
    State state_ = State::saved;
    QString why_;
    QTimer timer_;
    std::optional<SavedProject> now_;
    bool changed_ = false, finishing_ = false, gave_up_ = false, is_worth_it_ = true;
    std::optional<std::filesystem::path> move_to_;  ///< asked for, or under way
    bool is_moving_ = false;                        ///< it has begun
    std::map<ResultId, Pixels> pixels_;             ///< all that were handed over
    std::set<ResultId> written_;                    ///< those whose pixels are on disc
    std::set<ResultId> named_;  ///< those that the file names, whatever became of their pixels
    QImage picture_;            ///< for the list of projects
    LatestWish saving_{LatestWish::Replaced::comes_to_its_end};
    LatestWish writing_{LatestWish::Replaced::comes_to_its_end};
};

}  // namespace moorhaze::desktop
