// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QStringList>

#include "desktop/session/projects/autosave.h"
#include "desktop/session/tasks/looking.h"

namespace moorhaze::desktop {

/// How a session comes to its series: files and folders, cards of several series, frames that arrive one by
/// one.
class Opening : public QObject {
    Q_OBJECT
  public:
    Opening(SessionBase& base, Looking& looking, Autosave& autosave, QObject* parent = nullptr);

    /// Opens a project, files or a folder beside the interface. Of several series the first is opened, and
    /// all are on the card. Work on the series there was is stopped; it goes on when this fails.
    /// A series that has a project goes on where it was left, unless it shall begin anew.
    enum class Known { goes_on, begins_anew };
    void open(const std::vector<std::filesystem::path>& files_or_folder, Known known = Known::goes_on);
    /// Another series of the card.
    void open_from_card(int place, Known known = Known::goes_on);
    /// The open series, with nothing decided or made yet; what was stays in its project.
    void begin_anew();
    /// No series is open then.
    void close_series();
    /// Cuts the open series in two before the frame shown, or joins it with the next one; the first part is
    /// open then. One step of undo.
    void cut_here();
    void join_with_next();
    /// Develops the raw files of the series otherwise, all alike. One step of undo.
    void develop(const Development& development);

    /// An empty series that frames join while they are shot.
    void begin_series(const QString& name);
    /// The next frame, with all that is known of the frames then. It has to be as large as the others;
    /// otherwise the person is notified and it stays out.   @return whether it joined.
    bool add_frame(const Frame& frame, const FocusProfile& profile, const SeriesProfile& whole);
    /// The file of a frame was shot again.
    void frame_changed(int place, const PictureInfo& info, const FocusProfile& profile,
                       const SeriesProfile& whole);

    /// The frames that joined one by one are all there: they are looked at as a series, for their order and
    /// the quick merge.
    void series_is_complete() { looking_.look_as_a_whole(); }

    /// Files left out and other news of opening, and frames that could not be read.
    QStringList problems() const { return problems_ + looking_.problems(); }

  signals:
    /// The project's file cannot be used, but the one that was saved before it may do.
    void damaged(QString file, QString why);

  private:
    void open_project(const std::filesystem::path& file);
    void go_on_with(const std::filesystem::path& file);
    /// @param trouble  whether some of the earlier ones are more than notes.
    void show(const OpenedSeries& opened, const SharedList<CardSeries>& card, std::optional<int> place,
              const FrameFacts& card_facts, QStringList earlier, bool trouble);
    void recut(const QString& what, const SharedList<CardSeries>& card);
    void keep_grown_look(Project then, std::optional<int> replaced, const FocusProfile& profile,
                         const SeriesProfile& whole);

    SessionBase& base_;
    Looking& looking_;
    Autosave& autosave_;
    QStringList problems_;
};

}  // namespace moorhaze::desktop
