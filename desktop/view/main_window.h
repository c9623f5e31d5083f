#pragma once
#include <QMainWindow>
#include <array>

#include "desktop/session/exporter.h"
#include "desktop/session/match_points.h"
#include "desktop/session/mend.h"
#include "desktop/session/picture_store.h"
#include "desktop/session/quick_look.h"
#include "desktop/session/result_look.h"
#include "desktop/session/session.h"
#include "desktop/session/shoot_desk.h"
#include "desktop/session/sounding.h"
#include "desktop/session/trial.h"

class QMenuBar;
class QScrollArea;
class QStackedWidget;
class QTimer;

namespace moorhaze::desktop {

class DeliverTray;
class DepthLine;
class JobBar;
class NoticeBar;
class PathBar;
class PictureView;
class PlanLine;
class AlignTray;
class MergeTray;
class PlanTray;
class SoundingPanel;

/// The window: puts the views round the session, turns what a person does into calls of it, and what changes
/// in it into what is shown. Holds no state of the work itself.
class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    MainWindow();
    ~MainWindow() override;

    Session& session() { return session_; }
    Mend& mend() { return mend_; }
    Sounding& sounding() { return sounding_; }
    Exporter& exporter() { return exporter_; }
    QuickLook& quick_look() { return quick_look_; }
    ShootDesk& shoot_desk() { return desk_; }
    PlanTray& plan_tray() { return *plan_; }
    PlanLine& plan_line() { return *plan_line_; }
    PictureView& picture_view() { return *picture_; }
    PictureView& twin_view() { return *twin_; }
    MatchPoints& match_points() { return points_; }
    ResultLook& result_look() { return look_; }
    Trial& trial() { return trial_; }
    DepthLine& depth_line() { return *line_; }
    NoticeBar& notice() { return *notice_; }

    /// Names of the series that come with Moorhaze.
    static QStringList demo_names();
    /// @return false when the demo series is not where it should be.
    bool open_demo(const QString& name);
    void open_paths(const QStringList& paths);
    /// Points at a place as a click does, or as a right click when `sound` is set.
    void point_at(QPointF place, bool sound);
    void set_sharp_marks(bool on);
    void set_quick_look(bool on);
    /// The next line drawn in the picture, or click, says what shall be sharp.
    void set_keeping(bool on);
    /// True when nothing is running and everything asked for is on the screen.
    bool is_settled();

  signals:
    void marks_changed(bool on);
    void quick_look_changed(bool on);
    void keeping_changed(bool on);

  protected:
    void closeEvent(QCloseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void build_layout();
    void build_trays();
    void build_actions();
    void connect_session();
    QWidget* make_empty_state();
    QAction* add_action(QWidget* menu, const QString& text, const QKeySequence& key, const QString& tip,
                        const std::function<void()>& done);

    bool may_drop_results();
    void ask_for_folder();
    void ask_for_files();
    void pick_frame(int frame);
    void step_suggestion();
    void toggle_use();
    void ask_merge_memory();
    void build_compare_actions(QWidget* menu);
    void set_plane(QSize plane);
    void set_other(std::shared_ptr<const DisplayPicture> other, const QString& label);
    void set_point(int frame, int partner, QPointF place);
    bool is_lying_aligned() const;   ///< frames are shown laid over the reference frame
    FrameView partner_view() const;  ///< in the align stage: the frame compared with
    void set_wipe_back(bool wipe);
    void drop_sounding(QPointF place);
    void keep_along(const QList<QPointF>& places);
    void ask_to_save_frame();
    bool shows_quick_look() const;
    int pointed_frame() const;  ///< whose places the picture shows

    // What is shown.
    void show_stage();
    void show_picture();
    void show_line();
    void show_drift();  ///< curves along the depth line, in the align stage
    void show_path();
    void show_kept();       ///< what is lost, in the align stage
    void show_marks();      ///< matching points, in the align stage
    void show_comparing();  ///< which ways to compare are on
    void show_sounding();
    void show_trial();  ///< what is in view with the settings as they are, in the merge stage
    void show_caption();
    void show_brush();
    void show_live();
    /// Near or far limit: of the range, or of the shoot where one is being prepared.
    void limit_here(bool near);
    void step_depth(int by);
    bool is_shooting() const;
    FrameView frame_view() const;
    bool shows_result() const;

    Session session_;
    PictureStore store_{session_};
    Sounding sounding_{session_};
    Mend mend_{session_};
    Exporter exporter_{session_, mend_};
    QuickLook quick_look_{session_};
    ShootDesk desk_{session_};
    MatchPoints points_{session_};
    ResultLook look_;
    Trial trial_{session_};

    QMenuBar* menus_ = nullptr;
    JobBar* job_bar_ = nullptr;
    NoticeBar* notice_ = nullptr;
    DepthLine* line_ = nullptr;
    PlanLine* plan_line_ = nullptr;
    PlanTray* plan_ = nullptr;
    AlignTray* align_tray_ = nullptr;
    MergeTray* merge_tray_ = nullptr;
    QWidget* twin_edge_ = nullptr;
    QStackedWidget* lines_ = nullptr;
    PictureView *picture_ = nullptr, *twin_ = nullptr;
    SoundingPanel* panel_ = nullptr;
    QWidget* empty_ = nullptr;
    QScrollArea* tray_room_ = nullptr;
    QStackedWidget* trays_ = nullptr;
    DeliverTray* deliver_ = nullptr;
    PathBar* path_ = nullptr;
    QTimer* blink_timer_ = nullptr;
    QAction *blink_action_ = nullptr, *twin_action_ = nullptr, *edges_action_ = nullptr,
            *as_shot_action_ = nullptr, *points_action_ = nullptr;
    QAction *curtain_action_ = nullptr, *tray_action_ = nullptr, *marks_action_ = nullptr,
            *quick_action_ = nullptr, *keep_action_ = nullptr, *ahead_action_ = nullptr;
    std::array<QAction*, Sounding::kPatches> digit_actions_{};
    QPointF hovered_;
    bool is_hovering_ = false;
    bool plane_is_live_ = false;
    bool source_follows_sounding_ = false;
};

}  // namespace moorhaze::desktop
