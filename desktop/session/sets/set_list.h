// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/sets/run_set.h"
#include "desktop/session/document/session_base.h"

namespace moorhaze::desktop {

/// One series of a set, as its list shows it.
struct SetEntry {
    QString name;
    int frames = 0;
    SeriesRecord record;  ///< what is known of it
    QString step;         ///< what is being done to it; empty: nothing
    Frame middle;         ///< for a small picture
};

/// The series that were found together, and what became of each. It stays while series of it are opened;
/// which of them are done is decided in the project. In the interface's thread.
class SetList : public QObject {
    Q_OBJECT
  public:
    explicit SetList(SessionBase& base, QObject* parent = nullptr);

    const std::vector<SetEntry>& entries() const { return entries_; }
    const SetSeries& series(int place) const { return series_[std::size_t(place)]; }
    int count() const { return int(entries_.size()); }
    bool is_ticked(int place) const;
    void set_ticked(int place, bool ticked);
    int ticked() const;  ///< how many
    int made() const;    ///< how many have their pictures
    /// All are views of a turntable, by the names of their folders.
    bool are_views() const;

    /// While work is done on it, another card waits for its end.
    void hold() { is_held_ = true; }
    void release();
    void clear();
    void add(const std::vector<SetSeries>& found);
    /// What is being done to a series; a made one stays as it is.
    void set_step(int place, const QString& step);
    void clear_steps();
    /// @return false where another series has that place by now.
    bool set_record(int place, const SeriesRecord& record);

    /// Its place on the card that is open; -1: it lies on another.
    int place_on_card(int place) const;
    std::vector<std::filesystem::path> files_of_series(int place) const;
    /// The folder that pictures go to as long as nobody said; empty while there is no series.
    QString suggested_out() const;

  signals:
    void list_changed();  ///< other series
    void entry_changed(int place);
    void ticks_changed();

  private:
    void take_card();
    void append(SetSeries series);
    bool is_of_list(const Project& project) const;

    SessionBase& base_;
    std::vector<SetEntry> entries_;
    std::vector<SetSeries> series_;
    bool is_held_ = false;
    bool card_waits_ = false;  ///< another was opened while the list was held
};

}  // namespace moorhaze::desktop
