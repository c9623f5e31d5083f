// The menus and keys of the window.
#include <QAction>
#include <QApplication>
#include <QInputDialog>
#include <QMenuBar>
#include <QMessageBox>
#include <QScrollArea>
#include <QTimer>
#include <algorithm>

#include "desktop/tray/align_tray.h"
#include "desktop/tray/deliver_tray.h"
#include "desktop/tray/plan_tray.h"
#include "desktop/view/bars.h"
#include "desktop/view/main_window.h"
#include "desktop/view/path_bar.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/sounding_panel.h"

namespace moorhaze::desktop {
namespace {

constexpr int kBlinkMilliseconds = 450;

}  // namespace

QAction* MainWindow::add_action(QWidget* menu, const QString& text, const QKeySequence& key,
                                const QString& tip, const std::function<void()>& done) {
    auto* action = new QAction(text, this);
    action->setShortcut(key);
    action->setToolTip(tip);
    action->setStatusTip(tip);
    connect(action, &QAction::triggered, this, done);
    if (menu) menu->addAction(action);
    addAction(action);  // the key works wherever the focus is
    return action;
}

void MainWindow::ask_merge_memory() {
    constexpr int kMost = 1 << 20;
    bool taken = false;
    const int megabytes = QInputDialog::getInt(
        this, tr("Memory for merging"),
        tr("Megabytes; 0: as much as it needs. 24 megapixels take 1800 in one piece, 850 at least."),
        session_.merge_memory_mb(), 0, kMost, 100, &taken);
    if (taken) session_.set_merge_memory_mb(megabytes);
}

void MainWindow::build_compare_actions(QWidget* menu) {
    auto add_switch = [&](const QString& text, const char* key, const QString& tip,
                          const std::function<void(bool)>& switched) {
        auto* action = add_action(menu, text, QKeySequence(QLatin1String(key)), tip, [] {});
        action->setCheckable(true);
        connect(action, &QAction::toggled, this, [this, switched](bool on) {
            switched(on);
            show_comparing();
        });
        return action;
    };
    blink_timer_ = new QTimer(this);
    blink_timer_->setInterval(kBlinkMilliseconds);
    connect(blink_timer_, &QTimer::timeout, picture_,
            [this] { picture_->set_flipped(!picture_->is_flipped()); });
    blink_action_ = add_switch(tr("Blink"), "Y", tr("Shows both pictures in turn"), [this](bool on) {
        if (on) curtain_action_->setChecked(false), twin_action_->setChecked(false);
        if (on)
            blink_timer_->start();
        else
            blink_timer_->stop();
        picture_->set_flipped(false);
    });
    twin_action_ = add_switch(tr("Twin"), "T", tr("Two pictures side by side, at the same place and zoom"),
                              [this](bool on) {
                                  if (on)
                                      curtain_action_->setChecked(false), blink_action_->setChecked(false);
                                  if (!on) points_action_->setChecked(false);
                                  twin_->setVisible(on);
                                  twin_edge_->setVisible(on);
                              });
    edges_action_ = add_switch(tr("Tinted edges"), "G",
                               tr("In Align: edges of two frames in two colours, white where they coincide"),
                               [this](bool) { show_picture(); });
    as_shot_action_ = add_switch(tr("As shot, before aligning"), "", tr("In Align: where the frames lay"),
                                 [this](bool) { show_picture(); });
    points_action_ = add_switch(tr("Set matching points"), "P",
                                tr("In Align: show the same detail in two frames"), [this](bool on) {
                                    if (on) session_.set_stage(Stage::align);
                                    if (on) twin_action_->setChecked(true);
                                    if (!on) points_.forget_waiting();
                                    if (on) tray_room_->ensureWidgetVisible(align_tray_->points_control());
                                });
}

void MainWindow::build_actions() {
    auto* series = menus_->addMenu(tr("&Series"));
    add_action(series, tr("Open a folder..."), QKeySequence(tr("Ctrl+O")),
               tr("Choose the folder of one series"), [this] { ask_for_folder(); });
    add_action(series, tr("Open files..."), QKeySequence(tr("Ctrl+Shift+O")),
               tr("Choose the frames of one series"), [this] { ask_for_files(); });
    auto* demos = series->addMenu(tr("Open the demo"));
    const QStringList names = demo_names();
    for (int i = 0; i < names.size(); ++i)
        add_action(demos, names[i], i == 0 ? QKeySequence(tr("Ctrl+D")) : QKeySequence(),
                   tr("A series that comes with Moorhaze"), [this, name = names[i]] { open_demo(name); });
    series->addSeparator();
    add_action(series, tr("Align"), QKeySequence(tr("Ctrl+L")),
               tr("Finds how the frames lie against each other"), [this] { session_.align(); });
    add_action(series, tr("Align and merge"), QKeySequence(tr("Ctrl+Return")),
               tr("Aligns if needed, then merges; in Plan, the usual next step"), [this] {
                   if (session_.stage() == Stage::plan && plan_->page() != PlanTray::bring_in)
                       plan_->next_step();
                   else
                       session_.align_and_merge();
               });
    series->addSeparator();
    add_action(series, tr("Cut before the frame shown"), {}, tr("Two series instead of one"), [this] {
        if (may_drop_results()) session_.cut_here();
    });
    add_action(series, tr("Join with the next series"), {}, tr("One series instead of two"), [this] {
        if (may_drop_results()) session_.join_with_next();
    });
    series->addSeparator();
    add_action(series, tr("Save the frame shown..."), QKeySequence(tr("Ctrl+Shift+S")),
               tr("One single frame as a picture"), [this] { ask_to_save_frame(); });
    add_action(series, tr("Export"), QKeySequence(tr("Ctrl+E")), tr("Saves the picture"), [this] {
        session_.set_stage(Stage::deliver);
        if (session_.result()) deliver_->save();
    });
    series->addSeparator();
    add_action(series, tr("Quit"), QKeySequence(QKeySequence::Quit), tr("Leaves Moorhaze"),
               [this] { close(); });

    auto* edit = menus_->addMenu(tr("&Edit"));
    auto* undo = session_.undo_stack().createUndoAction(this, tr("Undo"));
    undo->setShortcut(QKeySequence(tr("Ctrl+Z")));
    auto* redo = session_.undo_stack().createRedoAction(this, tr("Redo"));
    redo->setShortcuts({QKeySequence(tr("Ctrl+Y")), QKeySequence(tr("Ctrl+Shift+Z"))});
    for (QAction* action : {undo, redo}) edit->addAction(action), addAction(action);
    edit->addSeparator();
    add_action(edit, tr("Leave out or take back the frame"), QKeySequence(tr("X")), tr("The frame shown"),
               [this] { toggle_use(); });
    add_action(edit, tr("Leave out all that is suggested"), QKeySequence(tr("A")), tr("One step of undo"),
               [this] { session_.accept_suggestions(); });
    add_action(edit, tr("Next suggestion"), QKeySequence(tr("N")), tr("Shows the next suggested frame"),
               [this] { step_suggestion(); });
    add_action(edit, tr("Near limit here"), QKeySequence(tr("[")),
               tr("The frame shown becomes the nearest; while shooting, the near mark"),
               [this] { limit_here(true); });
    add_action(edit, tr("Far limit here"), QKeySequence(tr("]")),
               tr("The frame shown becomes the farthest; while shooting, the far mark"),
               [this] { limit_here(false); });
    keep_action_ =
        add_action(edit, tr("Keep what I draw across"), QKeySequence(tr("K")),
                   tr("Draw a line across what shall be sharp: the range follows; a click moves the "
                      "nearer limit there"),
                   [] {});
    keep_action_->setCheckable(true);
    connect(keep_action_, &QAction::toggled, this, [this](bool on) {
        picture_->set_line_drawing(on);
        emit keeping_changed(on);
    });
    add_action(edit, tr("Reference frame here"), QKeySequence(tr("R")),
               tr("The frame shown becomes the reference frame"),
               [this] { session_.set_reference(session_.current_frame()); });
    edit->addSeparator();
    add_action(edit, tr("Put the frames in order"), QKeySequence(tr("O")),
               tr("From near to far, as their sharpness tells"), [this] { session_.put_in_order(); });
    add_action(edit, tr("Turn the order round"), QKeySequence(tr("Ctrl+R")),
               tr("The farthest frame becomes the nearest"), [this] { session_.turn_round(); });
    add_action(edit, tr("Move the frame farther"), QKeySequence(tr("Ctrl+PgUp")), tr("One place towards far"),
               [this] { session_.move_frame(session_.current_frame(), 1); });
    add_action(edit, tr("Move the frame nearer"), QKeySequence(tr("Ctrl+PgDown")),
               tr("One place towards near"), [this] { session_.move_frame(session_.current_frame(), -1); });
    edit->addSeparator();
    add_action(edit, tr("Draw in"), QKeySequence(tr("B")), tr("The brush paints the source frame in"),
               [this] { set_wipe_back(false); });
    add_action(edit, tr("Wipe back"), QKeySequence(tr("E")), tr("The brush paints the merge back"),
               [this] { set_wipe_back(true); });
    auto scale_brush = [this](double factor) {
        Brush brush = mend_.brush();
        brush.radius_px = std::clamp(brush.radius_px * factor, 1.0, 1000.0);
        mend_.set_brush(brush);
    };
    add_action(edit, tr("Smaller brush"), QKeySequence(tr(",")), tr("Brush size"),
               [scale_brush] { scale_brush(1 / 1.25); });
    add_action(edit, tr("Larger brush"), QKeySequence(tr(".")), tr("Brush size"),
               [scale_brush] { scale_brush(1.25); });
    add_action(edit, tr("Memory for merging..."), {},
               tr("Keeps a merge within so many megabytes: strip after strip, which takes longer"),
               [this] { ask_merge_memory(); });

    auto* view = menus_->addMenu(tr("&View"));
    add_action(view, tr("Fit the window"), QKeySequence(tr("Ctrl+0")), tr("The whole picture"),
               [this] { picture_->fit(); });
    add_action(view, tr("100 %"), QKeySequence(tr("Ctrl+1")), tr("A picture pixel on each screen pixel"),
               [this] { picture_->set_zoom(1); });
    add_action(view, tr("200 %"), QKeySequence(tr("Ctrl+2")), tr("Twice the size"),
               [this] { picture_->set_zoom(2); });
    add_action(view, tr("Closer"), QKeySequence(tr("+")), tr("Zooms in"),
               [this] { picture_->set_zoom(picture_->zoom() * 1.414213562); });
    add_action(view, tr("Farther away"), QKeySequence(tr("-")), tr("Zooms out"),
               [this] { picture_->set_zoom(picture_->zoom() / 1.414213562); });
    view->addSeparator();
    add_action(view, tr("Next frame, farther"), QKeySequence(tr("PgUp")), tr("One frame towards far"),
               [this] { step_depth(1); });
    add_action(view, tr("Next frame, nearer"), QKeySequence(tr("PgDown")), tr("One frame towards near"),
               [this] { step_depth(-1); });
    marks_action_ = add_action(view, tr("Mark what is sharp"), QKeySequence(tr("M")),
                               tr("Paints over what is sharp in the frame shown, in Plan and Cull"), [] {});
    marks_action_->setCheckable(true);
    connect(marks_action_, &QAction::toggled, this, [this](bool on) {
        emit marks_changed(on);
        show_picture();
    });
    quick_action_ =
        add_action(view, tr("Quick merge of the range"), QKeySequence(tr("Q")),
                   tr("What the range will look like, at screen size; follows the handles, in Cull"), [] {});
    quick_action_->setCheckable(true);
    connect(quick_action_, &QAction::toggled, this, [this](bool on) {
        quick_look_.set_on(on);
        emit quick_look_changed(on);
        show_picture();
    });
    curtain_action_ = add_action(view, tr("Curtain"), QKeySequence(tr("C")),
                                 tr("Two pictures either side of a movable line"), [] {});
    curtain_action_->setCheckable(true);
    connect(curtain_action_, &QAction::toggled, this, [this](bool on) {
        if (on) blink_action_->setChecked(false), twin_action_->setChecked(false);
        picture_->set_curtain(on);
        show_comparing();
    });
    build_compare_actions(view);
    ahead_action_ = add_action(view, tr("Look ahead"), QKeySequence(tr("L")),
                               tr("In Merge: what is in view is tried with the settings as they change"),
                               [this] { trial_.set_on(ahead_action_->isChecked()); });
    ahead_action_->setCheckable(true);
    ahead_action_->setChecked(trial_.is_on());
    auto* whole =
        add_action(view, tr("Merge the whole ahead, too"), {},
                   tr("When what is in view has been tried and no setting is moved for a while, the whole is "
                      "merged in the background; it makes way for whatever else is asked for"),
                   [] {});
    whole->setCheckable(true);
    connect(whole, &QAction::toggled, &trial_, &Trial::set_whole_ahead);
    connect(&trial_, &Trial::changed, this, [this, whole] {
        ahead_action_->setChecked(trial_.is_on());
        whole->setChecked(trial_.is_whole_ahead());
        whole->setEnabled(trial_.is_on());
    });
    whole->setChecked(trial_.is_whole_ahead());
    add_action(view, tr("Flip while held: V"), {}, tr("Shows the other picture for a moment"), [this] {
        picture_->set_flipped(false);
    })->setEnabled(false);
    view->addSeparator();
    tray_action_ =
        add_action(view, tr("Tray"), QKeySequence(tr("F9")), tr("Folds the tray away or back"), [] {});
    tray_action_->setCheckable(true);
    tray_action_->setChecked(true);
    connect(tray_action_, &QAction::toggled, tray_room_, &QWidget::setVisible);
    auto* stages = view->addMenu(tr("Stage"));
    for (int i = 0; i < kStageCount; ++i)
        add_action(stages, PathBar::name(Stage(i)), QKeySequence(tr("Alt+%1").arg(i + 1)),
                   tr("Goes to this stage"), [this, i] { session_.set_stage(Stage(i)); });
    for (int i = 0; i < Sounding::kPatches; ++i) {
        digit_actions_[std::size_t(i)] =
            add_action(nullptr, tr("Patch %1").arg(i + 1), QKeySequence(QString::number(i + 1)), {},
                       [this, i] { panel_->choose(i + 1); });
        digit_actions_[std::size_t(i)]->setEnabled(false);
    }
    add_action(nullptr, tr("Stop or close"), QKeySequence(Qt::Key_Escape), {}, [this] {
        if (points_action_->isChecked())
            points_action_->setChecked(false);
        else if (keep_action_->isChecked())
            keep_action_->setChecked(false);
        else if (sounding_.is_open())
            sounding_.close();
        else if (notice_->isVisible())
            notice_->hide();
        else
            session_.jobs().cancel();
    });

    auto* help = menus_->addMenu(tr("&Help"));
    add_action(help, tr("Keys"), QKeySequence(Qt::Key_F1), tr("What the keys do"), [this] {
        QMessageBox box(this);
        box.setWindowTitle(tr("Keys"));
        box.setText(tr(
            "<b>Frames</b><br>Page up, page down: farther, nearer. X: leave out or take back. [ and ]: "
            "near and far limit. "
            "R: reference frame. M: mark what is sharp. A: accept suggestions, N: next one. "
            "Q: quick merge of the range. K: draw across what shall be sharp. O: put in order, Ctrl+R: turn "
            "round, Ctrl+page up or down: move the frame. Ctrl+Shift+S: save it.<br><br>"
            "<b>Picture</b><br>Wheel: zoom around the pointer. Drag, or Space and drag: pan. Shift and "
            "wheel: step frames. "
            "Click: sounding, digits pick from it. Right-click or S: sounding while a brush is on. "
            "C: curtain. Y: blink. T: twin. V, held: flip. G: tinted edges, P: matching points, in Align. "
            "Ctrl+0, Ctrl+1, Ctrl+2: fit, 100 %, 200 %.<br><br>"
            "<b>Without a mouse</b><br>Tab to the picture, arrow keys move the mark (Shift: farther), "
            "Return points; "
            "with a brush Return puts it down and lifts it.<br><br>"
            "<b>Job</b><br>Ctrl+Return: align and merge. B, E: draw in, wipe back. Comma, full stop: "
            "brush size. Ctrl+E: export. "
            "Alt+1 to Alt+6: stages. In Plan, page up and down drive the plane of focus, [ and ] mark "
            "near and far, "
            "Ctrl+Return starts, pauses and goes on. Esc: close the sounding or the message, stop the "
            "job. F9: fold the "
            "tray."));
        box.exec();
    });
    add_action(help, tr("About Moorhaze"), {}, tr("What this is"), [this] {
        QMessageBox::about(this, tr("About Moorhaze"),
                           tr("Moorhaze %1 merges focus-bracketed series of close-up pictures.<br><br>Icons: "
                              "Lucide (ISC licence). "
                              "Font: Open Sans (Apache licence 2.0).")
                               .arg(QApplication::applicationVersion()));
    });
}

}  // namespace moorhaze::desktop
