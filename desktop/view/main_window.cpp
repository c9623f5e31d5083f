// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDir>
#include <QDragEnterEvent>
#include <QHBoxLayout>
#include <QMenuBar>
#include <QMimeData>
#include <QScreen>
#include <QSettings>
#include <QStackedWidget>
#include <QTimer>
#include <QUrl>
#include <QVBoxLayout>

#include "desktop/session/work/text.h"
#include "desktop/tray/align_tray.h"
#include "desktop/tray/cull_tray.h"
#include "desktop/tray/finish_tray.h"
#include "desktop/tray/mend_tray.h"
#include "desktop/tray/merge_tray.h"
#include "desktop/tray/plan_tray.h"
#include "desktop/view/bars.h"
#include "desktop/view/depth_line.h"
#include "desktop/view/line_feed.h"
#include "desktop/view/path_bar.h"
#include "desktop/view/picture_area.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/plan_line.h"
#include "desktop/view/recent_menu.h"
#include "desktop/view/sounding_panel.h"
#include "desktop/view/start_page.h"
#include "desktop/view/theme.h"
#include "desktop/view/tone_line.h"
#include "desktop/view/window_commands.h"

namespace moorhaze::desktop {
namespace {

constexpr int kTrayWidth = 280;
const QString kLight = QStringLiteral("look/light");
constexpr QSize kUsualSize(1280, 800);

/// Beside the program when installed, else where it was built from.
QString demo_folder() {
    const QString installed =
        QDir(QApplication::applicationDirPath()).filePath(QStringLiteral("../share/moorhaze/demo"));
    return QFileInfo(installed).isDir() ? installed : QStringLiteral(MOORHAZE_DEMO_DIR);
}

std::array<QColor, 256> depth_colours() {
    std::array<QColor, 256> colours;
    for (std::size_t i = 0; i < colours.size(); ++i) colours[i] = depth_colour(double(i) / 255);
    return colours;
}

}  // namespace

MainWindow::MainWindow() : session_(depth_colours()) {
    setWindowTitle(tr("Moorhaze"));
    setAcceptDrops(true);
    build_layout();
    build_commands();
    build_trays();
    connect_session();
    auto* start = new StartPage(commands_, session_.recent_projects, area_);
    connect(start, &StartPage::project_chosen, this, [this](const QString& file) {
        // The second click of a double click would go to the picture that appears beneath.
        PictureView& picture = area_->picture();
        picture.setAttribute(Qt::WA_TransparentForMouseEvents);
        QTimer::singleShot(QApplication::doubleClickInterval(), &picture,
                           [&picture] { picture.setAttribute(Qt::WA_TransparentForMouseEvents, false); });
        open_paths({file});
    });
    // Each press, and each other field, begins a step of undo of its own.
    qApp->installEventFilter(this);
    connect(qApp, &QApplication::focusChanged, this, [this] { session_.document.end_step(); });
    area_->set_empty_state(start);
    resize(kUsualSize);
    show_stage();
    commands_.refresh();
}

PictureView& MainWindow::picture_view() {
    return area_->picture();
}

PictureView& MainWindow::twin_view() {
    return area_->twin();
}

// -------------------------------------------------------------------------------------------------- layout

void MainWindow::build_layout() {
    auto* central = new QWidget(this);
    auto* rows = new QVBoxLayout(central);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);

    auto* top = new QWidget(central);
    top->setObjectName(QStringLiteral("top"));
    top->setAttribute(Qt::WA_StyledBackground);
    top->setStyleSheet(QStringLiteral("#top { background: %1; }").arg(Theme::current().ground.name()));
    top->setFixedHeight(with_text(32));
    auto* top_row = new QHBoxLayout(top);
    top_row->setContentsMargins(0, 0, 0, 0);
    menus_ = new QMenuBar(top);
    menus_->setNativeMenuBar(false);
    job_bar_ = new JobBar({&session_.jobs, &session_.exports}, top);
    top_row->addWidget(menus_, 1);
    top_row->addWidget(job_bar_);
    rows->addWidget(top);

    auto* middle = new QWidget(central);
    auto* columns = new QHBoxLayout(middle);
    columns->setContentsMargins(0, 0, 0, 0);
    columns->setSpacing(0);
    lines_ = new QStackedWidget(middle);
    lines_->setFixedWidth(with_text(104));
    line_ = new DepthLine(lines_);
    plan_line_ = new PlanLine(session_, session_.shoot_desk, lines_);
    lines_->addWidget(line_);
    lines_->addWidget(plan_line_);
    tone_line_ = new ToneLine(lines_);
    lines_->addWidget(tone_line_);
    area_ = new PictureArea(session_, middle);
    notice_ = new NoticeBar(area_);
    tray_room_ = new QWidget(middle);
    tray_room_->setFixedWidth(with_text(kTrayWidth));
    columns->addWidget(lines_);
    columns->addWidget(area_, 1);
    columns->addWidget(tray_room_);
    rows->addWidget(middle, 1);
    path_ = new PathBar(central);
    rows->addWidget(path_);
    setCentralWidget(central);
    new LineFeed(session_, *line_, *path_, area_->panel(), this);

    connect(path_, &PathBar::stage_chosen, &session_.standpoint, &Standpoint::set_stage);
    connect(line_, &DepthLine::frame_chosen, &session_.standpoint, &Standpoint::set_place);
    connect(line_, &DepthLine::use_toggled, this,
            [this](int place) { session_.culling.toggle_use(session_.document.id_at(place)); });
    connect(line_, &DepthLine::range_dragged, this, [this](int first, int last) {
        const bool far_end = last != session_.document.series().range.last;
        line_->set_range(first, last);
        session_.quick_look.show_range({first, last});
        if (!std::holds_alternative<QuickPicture>(area_->shown().main))
            session_.standpoint.set_place(far_end ? last : first);
    });
    connect(line_, &DepthLine::range_chosen, this, [this](int first, int last) {
        session_.culling.set_range({first, last});
    });
    connect(plan_line_, &PlanLine::frame_chosen, &session_.standpoint, &Standpoint::set_place);
    connect(plan_line_, &PlanLine::drive_asked, &session_.shoot_desk, &ShootDesk::drive_to);
    connect(tone_line_, &ToneLine::tones_changed, this,
            [this](const Tones& tones, const QString& what, const QString& join) {
                session_.finishing.change(
                    what, [&](Finish& own) { own.tones = tones; }, join);
            });
    connect(area_, &PictureArea::tone_pointed, tone_line_, &ToneLine::set_pointed);
    connect(&session_.finish_look, &FinishLook::changed, this,
            [this] { tone_line_->set_histogram(session_.finish_look.histogram()); });
    connect(area_, &PictureArea::pointed, this, [this](QPointF place) { point_at(place, false); });
    connect(area_, &PictureArea::sounded, this, [this](QPointF place) { point_at(place, true); });
    connect(area_, &PictureArea::line_drawn, this,
            [this](const QList<QPointF>& places) { session_.pointing.keep_along(places, area_->shown()); });
    connect(area_, &PictureArea::point_set, this, [this](FrameId frame, FrameId partner, QPointF place) {
        session_.match_points.set(frame, area_->in_frame(frame, place), partner);
    });
    connect(&area_->panel(), &SoundingPanel::frame_chosen, &session_.pointing, &Pointing::pick);
    connect(&area_->panel(), &SoundingPanel::result_chosen, &session_.pointing, &Pointing::pick_result);
    connect(&area_->panel(), &SoundingPanel::closed, &session_.sounding, &Sounding::close);
}

void MainWindow::build_commands() {
    WindowSteps steps;
    steps.ask_for_folder = [this] { open_paths(dialogs_.folder_of_frames()); };
    steps.ask_for_files = [this] { open_paths(dialogs_.frames()); };
    steps.ask_for_project = [this] {
        if (const QString file = dialogs_.project(); !file.isEmpty()) open_paths({file});
    };
    const auto may_go = [this](const QString& what) {
        return dialogs_.may_drop_results(what, tr("A result has not been exported. %1 drops it.").arg(what));
    };
    steps.begin_anew = [this, may_go] {
        if (may_go(tr("Beginning anew"))) session_.opening.begin_anew();
    };
    steps.close_series = [this, may_go] {
        if (!may_go(tr("Closing the series"))) return;
        session_.shoot_desk.disconnect_devices();
        session_.folder_watch.stop();
        session_.opening.close_series();
    };
    steps.keep_as = [this] { dialogs_.keep_as(); };
    steps.find_frames = [this] { dialogs_.find_frames(); };
    steps.open_demo = [this](const QString& name) { open_demo(name); };
    steps.demos = demo_names();
    steps.save_frame = [this] { dialogs_.save_frame(); };
    steps.save_mask = [this] { dialogs_.save_mask(); };
    steps.bring_in = [this] { dialogs_.bring_in(); };
    steps.ask_memory = [this] { dialogs_.memory(); };
    steps.close = [this] { close(); };
    steps.fold_tray = [this] { tray_room_->setVisible(tray_room_->isHidden()); };
    steps.is_tray_open = [this] { return !tray_room_->isHidden(); };
    steps.is_light_next = [this] { return settings_ && settings_->value(kLight).toBool(); };
    steps.switch_light = [this] {
        if (!settings_) return;
        settings_->setValue(kLight, !settings_->value(kLight).toBool());
        session_.notices.notify(tr("The other look comes when Moorhaze is started the next time."));
        commands_.refresh();
    };
    steps.show_keys = [this] { dialogs_.keys(commands_); };
    steps.show_said = [this] { dialogs_.said(); };
    steps.show_about = [this] { dialogs_.about(); };
    steps.is_planning = [this] { return plan_->is_planning(); };
    steps.next_in_plan = [this] { plan_->next_step(); };
    steps.export_picture = [this] {
        session_.standpoint.set_stage(Stage::finish);
        session_.standpoint.set_finish_page(FinishPage::hand_over);
        if (session_.standpoint.result()) finish_->hand_over();
    };
    steps.save_look = [this] { dialogs_.save_look(); };
    steps.use_look = [this] { dialogs_.use_look(); };
    steps.show_sets = [this] {
        session_.standpoint.set_stage(Stage::plan);
        plan_->show_page(PlanTray::sets);
    };
    steps.take_recipe = [this] { dialogs_.take_recipe(); };
    steps.save_recipe = [this] { dialogs_.save_recipe(); };
    steps.watch_folder = [this] { dialogs_.watch_folder(); };
    steps.escape = [this] { escape(); };
    add_window_commands(commands_, session_, *area_, steps);
    for (const QString& heading : menu_headings()) commands_.fill_menu(menus_->addMenu(heading), heading);
    add_recent_menu(session_.recent_projects, *menus_->actions().first()->menu(),
                    [this](const QString& file) { open_paths({file}); });
}

void MainWindow::build_trays() {
    QWidget* room = tray_room_;
    auto* rows = new QVBoxLayout(room);
    rows->setContentsMargins(0, 0, 0, 0);
    plan_ = new PlanTray(session_, commands_, room);
    align_ = new AlignTray(session_, commands_, room);
    auto* merge = new MergeTray(session_, commands_, room);
    finish_ = new FinishTray(session_, commands_, room);
    auto* mend = new MendTray(session_, commands_, room);
    connect(mend, &MendTray::stroke_chosen, &area_->picture(), &PictureView::look_at);
    trays_ = {plan_, new CullTray(session_, commands_, room), align_, merge, mend, finish_};
    // All but one are hidden: a tray takes the height that it needs itself.
    for (Tray* tray : trays_) rows->addWidget(tray);

    connect(plan_, &PlanTray::page_changed, this, &MainWindow::show_stage);
    connect(plan_, &PlanTray::series_chosen, this, [this](int place) {
        if (place != session_.document.project().card_place.value_or(-1) &&
            dialogs_.may_drop_results(tr("Open another series"),
                                      tr("A result has not been exported. Opening another series drops it.")))
            session_.opening.open_from_card(place);
    });
    connect(plan_, &PlanTray::paths_chosen, this, &MainWindow::open_paths);
    auto may_shoot = [this] {
        return dialogs_.may_drop_results(tr("Begin a new series"),
                                         tr("A result has not been exported. A new series drops it."));
    };
    plan_->set_may_begin(may_shoot);
    connect(merge, &MergeTray::drop_asked, this, [this](ResultId result) { dialogs_.drop_result(result); });
}

/// With a window manager's frame the window must still fit: what lies below the screen's edge cannot be
/// reached. Size and place of the last time come first.
void MainWindow::showEvent(QShowEvent* event) {
    QMainWindow::showEvent(event);
    if (std::exchange(was_shown_, true)) return;
    keep_on_screen();
}

void MainWindow::remember_in(QSettings* settings) {
    settings_ = settings;
    dialogs_.remember_in(settings);
    session_.recent_projects.remember_in(settings);
    session_.preferences.keep_in(settings);
}

void MainWindow::take_remembered_place() {
    if (settings_) restoreGeometry(settings_->value(QStringLiteral("window/place")).toByteArray());
}

QRect kept_within(const QRect& window, const QRect& room) {
    QRect own(window.topLeft(), window.size().boundedTo(room.size()));
    own.moveLeft(std::clamp(own.left(), room.left(), room.right() + 1 - own.width()));
    own.moveTop(std::clamp(own.top(), room.top(), room.bottom() + 1 - own.height()));
    return own;
}

void MainWindow::keep_on_screen() {
    // Nobody sees this one, and pictures of the window are taken on it at any size.
    if (QGuiApplication::platformName() == QLatin1String("offscreen")) return;
    const QRect frame = frameGeometry(), kept = kept_within(frame, screen()->availableGeometry());
    if (kept.size() != frame.size()) resize(kept.size() - (frame.size() - size()));
    if (kept.topLeft() != frame.topLeft()) move(kept.topLeft());
}

// ------------------------------------------------------------------------------------------------- session

void MainWindow::connect_session() {
    auto refresh = [this] { commands_.refresh(); };
    connect(&session_.set_recipe, &SetRecipe::changed, this, refresh);
    connect(&session_.set_run, &SetRun::changed, this, refresh);
    connect(&session_.views_look, &ViewsLook::changed, this, refresh);
    connect(&session_.notices, &Notices::notified, notice_, &NoticeBar::show_text);
    connect(&session_.document.settling(), &Settling::settled, this, &MainWindow::follow);
    connect(&session_.document, &Document::history_changed, this, refresh);
    connect(&session_.autosave, &Autosave::changed, this, &MainWindow::show_series_name);
    connect(&session_.opening, &Opening::damaged, this,
            [this](const QString& file, const QString& why) { dialogs_.take_last_good(file, why); });
    for (JobRunner* lane : {&session_.jobs, &session_.exports})
        connect(lane, &JobRunner::changed, this, refresh);
    connect(&session_.sounding, &Sounding::changed, this, refresh);
    connect(&session_.snag_walk, &SnagWalk::changed, this, refresh);
    connect(&session_.snag_walk, &SnagWalk::visited, this, [this](const QRectF&, QPointF place) {
        point_at(place, true);
        // What the dust shows sharp is itself.
        if (const auto frame = session_.snag_walk.frame_without_dust()) session_.pointing.pick(*frame);
    });
}

void MainWindow::follow(const Settled& what) {
    using Aspect = Standpoint::Aspect;
    const Changes& changes = what.document;
    if (changes.series || changes.finish) tone_line_->set_tones(session_.finishing.finish().tones);
    if (changes.series) {
        if (session_.opening.problems().isEmpty()) notice_->close_all();
        show_series_name();
    }
    if (changes.series || what.has_aspect(Aspect::stage) ||
        (what.has_aspect(Aspect::result) && session_.standpoint.stage() == Stage::finish))
        show_stage();
    if (what.has_aspect(Aspect::comparing) && session_.standpoint.comparing().points)
        align_->bring_into_view(align_->points_control());
    commands_.refresh();
}

void MainWindow::show_series_name() {
    const QString name = session_.document.has_series() ? text(session_.document.project().name) : QString();
    const ProjectKeeper* keeper = session_.autosave.keeper();
    const QString unsaved = !keeper || name.isEmpty() ? QString()
                            : keeper->state() == ProjectKeeper::State::reading_only
                                ? tr("not saved: open elsewhere")
                            : keeper->state() == ProjectKeeper::State::failing ? tr("not saved")
                                                                               : QString();
    job_bar_->set_series_name(name, session_.autosave.in_words(), unsaved);
    setWindowTitle(name.isEmpty() ? tr("Moorhaze") : tr("%1 - Moorhaze").arg(name));
}

void MainWindow::show_stage() {
    const Stage stage = session_.standpoint.stage();
    for (int i = 0; i < int(trays_.size()); ++i) trays_[std::size_t(i)]->setVisible(i == int(stage));
    trays_[std::size_t(stage)]->scroll_to_top();
    const bool plans = stage == Stage::plan && plan_->is_planning();
    lines_->setCurrentIndex(plans ? 1 : stage == Stage::finish && session_.standpoint.result() ? 2 : 0);
    area_->show_all();
}

QStringList MainWindow::demo_names() {
    return {QStringLiteral("lichen-cups"), QStringLiteral("brass-wheels"), QStringLiteral("heath-card"),
            QStringLiteral("glazed-knob")};
}

bool MainWindow::open_demo(const QString& name) {
    // A card and a turntable's views lie in the folder itself.
    QString folder = QDir(demo_folder()).filePath(name + QStringLiteral("/frames"));
    if (!QFileInfo(folder).isDir()) folder = QDir(demo_folder()).filePath(name);
    if (!QFileInfo(folder).isDir()) {
        session_.notices.notify_error(
            tr("%1: the demo series is not there. Install Moorhaze again, or open a "
               "series of your own (Ctrl+O).")
                .arg(folder));
        return false;
    }
    open_paths({folder});
    return true;
}

void MainWindow::open_paths(const QStringList& paths) {
    if (paths.isEmpty()) return;
    if (!dialogs_.may_drop_results(tr("Open another series"),
                                   tr("A result has not been exported. Opening another series drops it.")))
        return;
    std::vector<std::filesystem::path> files;
    for (const QString& path : paths) files.emplace_back(path.toStdString());
    session_.shoot_desk.disconnect_devices();
    session_.folder_watch.stop();
    session_.opening.open(files);
}

void MainWindow::escape() {
    Standpoint& standpoint = session_.standpoint;
    if (standpoint.comparing().points) {
        session_.match_points.forget_waiting();
        standpoint.compare(&Comparing::points, false);
    } else if (standpoint.keeping()) {
        standpoint.set_keeping(false);
    } else if (standpoint.finish_hand() != FinishHand::none) {
        standpoint.set_finish_hand(FinishHand::none);
    } else if (session_.sounding.is_open()) {
        session_.sounding.close();
    } else if (notice_->isVisible()) {
        notice_->close_shown();
    } else {
        (session_.jobs.busy() ? session_.jobs : session_.exports).cancel();
    }
}

void MainWindow::point_at(QPointF place, bool sound) {
    session_.pointing.point_at(place, sound, area_->shown(), area_->patch_px());
}

bool MainWindow::is_settled() {
    if (session_.jobs.busy() || session_.exports.busy() || session_.set_run.is_running() ||
        !session_.views_look.is_settled())
        return false;
    const ShootDesk& desk = session_.shoot_desk;
    const ShootState shooting = desk.state();
    if (shooting == ShootState::connecting || shooting == ShootState::running ||
        shooting == ShootState::pausing)
        return false;
    const bool live = std::holds_alternative<LivePicture>(area_->shown().main);
    if (live) return desk.live_picture() != nullptr && !desk.is_driving();
    if (desk.is_busy() || shooting == ShootState::live) return false;
    return area_->is_settled() && session_.brushwork.is_settled() && session_.match_points.is_settled() &&
           session_.result_look.is_settled() && session_.quick_look.is_settled() &&
           session_.merge_preview.is_settled() && session_.sounding.is_settled() &&
           session_.result_reader.is_settled() && session_.snag_walk.is_settled();
}

// -------------------------------------------------------------------------------------------------- events

bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::MouseButtonPress || event->type() == QEvent::TabletPress)
        session_.document.end_step();
    return QMainWindow::eventFilter(watched, event);
}

void MainWindow::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_V && event->modifiers() == Qt::NoModifier) {
        if (!event->isAutoRepeat()) picture_view().set_flipped(true);
        return;
    }
    QMainWindow::keyPressEvent(event);
}

void MainWindow::keyReleaseEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_V && !event->isAutoRepeat()) return picture_view().set_flipped(false);
    QMainWindow::keyReleaseEvent(event);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) paths << url.toLocalFile();
    if (!paths.isEmpty()) open_paths(paths);
    event->acceptProposedAction();
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!leaving_.may_close()) return event->ignore();
    if (settings_) settings_->setValue(QStringLiteral("window/place"), saveGeometry());
    session_.jobs.cancel();
    session_.exports.cancel();
    event->accept();
}

}  // namespace moorhaze::desktop
