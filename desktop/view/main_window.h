// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QMainWindow>

#include "desktop/session/session.h"
#include "desktop/view/dialogs.h"
#include "desktop/view/leaving.h"

class QMenuBar;
class QSettings;
class QStackedWidget;

namespace moorhaze::desktop {

class FinishTray;
class DepthLine;
class JobBar;
class NoticeBar;
class PathBar;
class PictureArea;
class PictureView;
class PlanLine;
class ToneLine;
class PlanTray;
class Tray;
class AlignTray;

/// A window with its frame, as large as it is but no larger than the room, brought inside of it.
QRect kept_within(const QRect& window, const QRect& room);

/// The window: puts the views round the session, asks where a dialog is needed, and brings the views up to
/// date. Holds no state of the work itself.
class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    MainWindow();

    Session& session() { return session_; }
    Commands& commands() { return commands_; }
    PlanTray& plan_tray() { return *plan_; }
    PlanLine& plan_line() { return *plan_line_; }
    ToneLine& tone_line() { return *tone_line_; }
    PictureView& picture_view();
    PictureView& twin_view();
    DepthLine& depth_line() { return *line_; }
    NoticeBar& notice() { return *notice_; }

    /// Preferences, recent projects, size and place are taken from here, and kept here.
    void remember_in(QSettings* settings);
    /// Where the window was, and how large, the last time.
    void take_remembered_place();

    /// Names of the series that come with Moorhaze.
    static QStringList demo_names();
    /// @return false when the demo series is not where it should be.
    bool open_demo(const QString& name);
    void open_paths(const QStringList& paths);
    /// Points at a place as a click does, or as a right click when `sound` is set.
    void point_at(QPointF place, bool sound);
    /// True when nothing is running and everything asked for is on the screen.
    bool is_settled();

  protected:
    void closeEvent(QCloseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void showEvent(QShowEvent* event) override;

  private:
    void build_layout();
    void build_commands();
    void build_trays();
    void connect_session();
    void keep_on_screen();
    void show_stage();
    void follow(const Settled& what);
    void show_series_name();

    void escape();

    // Before the session: what that says while it ends still finds them.
    Commands commands_{*this};
    Session session_;
    Dialogs dialogs_{*this, session_};
    Leaving leaving_{*this, session_, dialogs_};
    QMenuBar* menus_ = nullptr;
    JobBar* job_bar_ = nullptr;
    NoticeBar* notice_ = nullptr;
    DepthLine* line_ = nullptr;
    PlanLine* plan_line_ = nullptr;
    ToneLine* tone_line_ = nullptr;
    PlanTray* plan_ = nullptr;
    AlignTray* align_ = nullptr;
    QStackedWidget* lines_ = nullptr;
    PictureArea* area_ = nullptr;
    QWidget* tray_room_ = nullptr;
    std::vector<Tray*> trays_;  ///< by stage
    FinishTray* finish_ = nullptr;
    PathBar* path_ = nullptr;
    QSettings* settings_ = nullptr;
    bool was_shown_ = false;
};

}  // namespace moorhaze::desktop
