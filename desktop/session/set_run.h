#pragma once
#include <QStringList>
#include <set>

#include "core/sets/run_set.h"
#include "desktop/session/session_base.h"

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
    explicit SetRun(SessionBase& base, QObject* parent = nullptr);

    const std::vector<SetEntry>& entries() const { return entries_; }
    void set_wanted(int place, bool wanted);

    /// The recipe without the parts that shall not be carried.
    Recipe recipe() const;
    bool has_recipe() const { return !recipe_name_.isEmpty(); }
    QString recipe_name() const { return recipe_name_; }
    bool has_part(RecipePart part) const { return carries(whole_recipe_, part); }
    bool carries_part(RecipePart part) const { return has_part(part) && !left_out_.contains(part); }
    QString part_in_words(RecipePart part) const;
    void set_carried(RecipePart part, bool carried);
    /// Of what is decided about the open series now.
    void make_recipe();
    void take_recipe(const QString& file);
    void save_recipe(const QString& file);

    /// Where the pictures go: a folder, perhaps with a pattern for names (see parse_out()).
    QString out() const { return out_; }
    void set_out(const QString& out);
    /// The names of the files that would be written for a series; or why there are none.
    QStringList names_of(int place) const;

    bool is_running() const { return jobs_.busy(); }
    QString why_not() const;  ///< in a sentence; empty: it can start
    void start(int memory_mb);
    void stop() { jobs_.cancel(); }
    double fraction() const { return progress_.fraction; }
    /// "2 of 3, moss: merging, 40 s left", or how it went.
    QString state() const;
    int wanted() const;
    /// The page with the table of the last run; empty: there is none.
    QString table() const;

    /// A series of the list is opened: the list stays.
    void keep_list() { keeps_list_ = true; }
    /// The project that was kept of a doubtful series; empty: there is none.
    QString project_of(int place) const;
    /// Its place on the card that is open; -1: it lies on another.
    int place_on_card(int place) const;
    std::vector<std::filesystem::path> files_of_series(int place) const;

  signals:
    void list_changed();  ///< other series
    void entry_changed(int place);
    void recipe_changed();
    void changed();  ///< recipe, place, or how it stands

  private:
    void take_card();
    bool are_views() const;  ///< of a turntable, by the names of their folders
    SetPlan plan() const;
    void take(int place, const SeriesRecord& record);
    void show_progress(const SetProgress& progress, const std::vector<int>& places);

    SessionBase& base_;
    std::vector<SetEntry> entries_;
    std::vector<std::vector<Frame>> frames_;
    std::vector<QString> reasons_;
    Recipe whole_recipe_;
    std::set<RecipePart> left_out_;
    QString recipe_name_, out_;
    bool keeps_list_ = false;
    SetProgress progress_;
    QString outcome_;
    Mailbox mailbox_;
    JobRunner jobs_;  ///< ends before what its work sends to
};

}  // namespace moorhaze::desktop
