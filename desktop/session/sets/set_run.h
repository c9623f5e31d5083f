// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QStringList>

#include "core/sets/run_set.h"
#include "desktop/session/sets/set_list.h"
#include "desktop/session/sets/set_recipe.h"
#include "desktop/session/work/job_runner.h"

namespace moorhaze::desktop {

/// The same recipe for all series that were found together, unattended: beside all other work, so that the
/// doubtful ones can be looked at while the rest is still made. What is decided about it stands in the
/// project; a run keeps to what was decided when it began.
class SetRun : public QObject {
    Q_OBJECT
  public:
    SetRun(SessionBase& base, SetRecipe& recipe, SetList& list, QObject* parent = nullptr);

    const SetList& list() const { return list_; }
    SetRecipe& recipe() { return recipe_; }
    /// Of what is decided about the open series now.
    void make_recipe();

    /// Where the pictures go: a folder, perhaps with a pattern for names (see parse_out()).
    QString out() const;
    void set_out(const QString& out);
    /// The same as it is understood; nothing while what is typed means none.
    std::optional<OutPattern> place() const;
    /// The small picture of a series that was made; empty: there is none.
    QString small_picture_of(int place) const;
    /// Pictures of these names that the recipe did not make are replaced.
    bool replaces() const { return set().replaces; }
    void set_replaces(bool on);
    /// The names of the files that would be written for a series; or why there are none.
    QStringList names_of(int place) const;

    bool is_running() const { return jobs_.busy(); }
    QString why_not() const;  ///< in a sentence; empty: it can start
    void start(int memory_mb);
    /// Waits for series in a folder, and does each as it becomes whole, until it is stopped. Its list is that
    /// of the series that have come.
    void watch(const QString& folder, int memory_mb, double quiet_s = kQuiet_s);
    static constexpr double kQuiet_s = 30;  ///< nothing arrives for so long: a watched series is whole
    /// The folder that is watched now; empty: none.
    QString watched() const { return is_running() ? watched_ : QString(); }
    void stop() { jobs_.cancel(); }
    double fraction() const { return progress_.fraction; }
    /// "2 of 3, moss: merging, 40 s left", or how it went.
    QString state() const;
    /// The page with the table of the last run; empty: there is none.
    QString table() const;

    /// What would be done of the series that are ticked.   @throws BadParameter for a pattern's mistake.
    SetPlan plan() const;
    /// Their records, in its order.
    std::vector<SeriesRecord> records() const;
    /// What became of a turntable's views together in the last run.
    const std::optional<SeriesRecord>& together() const { return together_; }

    /// The project that was kept of a doubtful series; empty: there is none.
    QString project_of(int place) const;

  signals:
    void changed();  ///< recipe, ticks, place, or how it stands

  private:
    const SetChoice& set() const { return base_.document.project().set; }
    /// Where what was made of the list's series lies, whatever is decided for the next run.
    std::optional<OutPattern> made_in() const { return ran_into_ ? ran_into_ : place(); }
    void edit(const QString& what, const SetChoice& to);
    void end();
    /// What a run says, brought to this thread.   @param in_list  the place in the list of one of its series.
    SetEvents events(const std::function<int(int)>& in_list);
    void take(int place, const SeriesRecord& record);
    void show_progress(const SetProgress& progress, int place);

    SessionBase& base_;
    SetRecipe& recipe_;
    SetList& list_;
    QString watched_;
    std::optional<OutPattern> ran_into_;  ///< where the pictures of the list's last run went
    SetProgress progress_;
    std::optional<SeriesRecord> together_;
    QString outcome_;
    Mailbox mailbox_;
    JobRunner jobs_;  ///< ends before what its work sends to
};

}  // namespace moorhaze::desktop
