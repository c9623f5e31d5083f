// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QStringList>

#include "core/sets/run_set.h"
#include "desktop/session/sets/set_recipe.h"

namespace moorhaze::desktop {

/// One series of a set, as its list shows it.
struct SetEntry {
    QString name;
    int frames = 0;
    bool is_wanted = true;
    SeriesRecord record;  ///< what is known of it
    QString step;         ///< what is being done to it; empty: nothing
    Frame middle;         ///< for a small picture
};

/// The same recipe for all series that were found together, unattended: beside all other work, so that the
/// doubtful ones can be looked at while the rest is still made. The list stays while series of it are opened.
class SetRun : public QObject {
    Q_OBJECT
  public:
    SetRun(SessionBase& base, SetRecipe& recipe, QObject* parent = nullptr);

    const std::vector<SetEntry>& entries() const { return entries_; }
    void set_wanted(int place, bool wanted);
    SetRecipe& recipe() { return recipe_; }
    /// Of what is decided about the open series now.
    void make_recipe();

    /// Where the pictures go: a folder, perhaps with a pattern for names (see parse_out()).
    QString out() const { return out_; }
    void set_out(const QString& out);
    /// The same as it is understood; nothing while what is typed means none.
    std::optional<OutPattern> place() const;
    /// The small picture of a series that was made; empty: there is none.
    QString small_picture_of(int place) const;
    /// Pictures of these names that the recipe did not make are replaced.
    bool replaces() const { return replaces_; }
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
    int wanted() const;
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
    /// Its place on the card that is open; -1: it lies on another.
    int place_on_card(int place) const;
    std::vector<std::filesystem::path> files_of_series(int place) const;

  signals:
    void list_changed();  ///< other series
    void entry_changed(int place);
    void changed();  ///< recipe, place, or how it stands

  private:
    void take_card();
    bool is_of_list(const Project& project) const;
    void add(SetSeries series);
    bool are_views() const;  ///< of a turntable, by the names of their folders
    /// What a run says, brought to this thread.   @param in_list  the place in the list of one of its series.
    SetEvents events(const std::function<int(int)>& in_list);
    void take(int place, const SeriesRecord& record);
    void show_progress(const SetProgress& progress, int place);

    SessionBase& base_;
    SetRecipe& recipe_;
    std::vector<SetEntry> entries_;
    std::vector<SetSeries> series_;
    QString out_, watched_;
    bool replaces_ = false;
    bool card_waits_ = false;  ///< another was opened while the list was worked on
    SetProgress progress_;
    std::optional<SeriesRecord> together_;
    QString outcome_;
    Mailbox mailbox_;
    JobRunner jobs_;  ///< ends before what its work sends to
};

}  // namespace moorhaze::desktop
