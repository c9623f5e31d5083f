#include "desktop/view/main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDir>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QStackedWidget>
#include <QUrl>
#include <QVBoxLayout>
#include <cmath>

#include "desktop/session/facts.h"
#include "desktop/tray/align_tray.h"
#include "desktop/tray/cull_tray.h"
#include "desktop/tray/deliver_tray.h"
#include "desktop/tray/mend_tray.h"
#include "desktop/tray/merge_tray.h"
#include "desktop/tray/plan_tray.h"
#include "desktop/view/bars.h"
#include "desktop/view/depth_line.h"
#include "desktop/view/path_bar.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/plan_line.h"
#include "desktop/view/sounding_panel.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr int kTrayWidth = 280;

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

MainWindow::MainWindow() : look_(session_, depth_colours()) {
    setWindowTitle(tr("Moorhaze"));
    setAcceptDrops(true);
    build_layout();
    build_trays();
    build_actions();
    connect_session();
    resize(1280, 800);
    show_stage();
}

MainWindow::~MainWindow() {
    session_.jobs().cancel_and_wait();
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
    top->setFixedHeight(32);
    auto* top_row = new QHBoxLayout(top);
    top_row->setContentsMargins(0, 0, 0, 0);
    menus_ = new QMenuBar(top);
    menus_->setNativeMenuBar(false);
    job_bar_ = new JobBar(session_.jobs(), top);
    top_row->addWidget(menus_, 1);
    top_row->addWidget(job_bar_);
    rows->addWidget(top);

    notice_ = new NoticeBar(central);
    rows->addWidget(notice_);

    auto* middle = new QWidget(central);
    auto* columns = new QHBoxLayout(middle);
    columns->setContentsMargins(0, 0, 0, 0);
    columns->setSpacing(0);
    lines_ = new QStackedWidget(middle);
    lines_->setFixedWidth(104);
    line_ = new DepthLine(lines_);
    plan_line_ = new PlanLine(session_, desk_, lines_);
    lines_->addWidget(line_);
    lines_->addWidget(plan_line_);
    picture_ = new PictureView(middle);
    twin_ = new PictureView(middle);
    twin_->setAccessibleName(tr("The other picture"));
    twin_->hide();
    twin_edge_ = new QWidget(middle);
    twin_edge_->setAttribute(Qt::WA_StyledBackground);
    twin_edge_->setStyleSheet(QStringLiteral("background: %1;").arg(Theme::current().ground.name()));
    twin_edge_->setFixedWidth(2);
    twin_edge_->hide();
    tray_room_ = new QScrollArea(middle);
    tray_room_->setObjectName(QStringLiteral("tray"));
    tray_room_->setFixedWidth(kTrayWidth);
    tray_room_->setWidgetResizable(true);
    tray_room_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    columns->addWidget(lines_);
    columns->addWidget(picture_, 1);
    columns->addWidget(twin_edge_);
    columns->addWidget(twin_, 1);
    columns->addWidget(tray_room_);
    rows->addWidget(middle, 1);
    path_ = new PathBar(central);
    rows->addWidget(path_);
    setCentralWidget(central);

    panel_ = new SoundingPanel(sounding_, picture_);
    empty_ = make_empty_state();
    picture_->installEventFilter(this);

    connect(path_, &PathBar::stage_chosen, &session_, &Session::set_stage);
    connect(line_, &DepthLine::frame_chosen, &session_, &Session::set_current_frame);
    connect(line_, &DepthLine::use_toggled, this, [this](int frame) {
        session_.set_used(frame, !session_.series().frames[std::size_t(frame)].used);
    });
    connect(line_, &DepthLine::range_dragged, this, [this](int first, int last) {
        const bool far_end = last != session_.series().range.last;
        line_->set_range(first, last);
        quick_look_.show_range({first, last});
        if (!shows_quick_look()) session_.set_current_frame(far_end ? last : first);
    });
    connect(line_, &DepthLine::range_chosen, this, [this](int first, int last) {
        session_.set_range({first, last});
    });

    connect(picture_, &PictureView::pointed, this, [this](QPointF place) { point_at(place, false); });
    connect(picture_, &PictureView::line_drawn, this, &MainWindow::keep_along);
    connect(&quick_look_, &QuickLook::changed, this, &MainWindow::show_picture);
    connect(picture_, &PictureView::sounded, this, [this](QPointF place) { point_at(place, true); });
    connect(picture_, &PictureView::hovered, this, [this](QPointF place) {
        hovered_ = place;
        is_hovering_ = true;
        show_caption();
    });
    connect(picture_, &PictureView::left, this, [this] {
        is_hovering_ = false;
        show_caption();
    });
    connect(picture_, &PictureView::zoom_changed, this, [this] {
        twin_->set_view(picture_->zoom(), picture_->centre());
        show_trial();
    });
    connect(twin_, &PictureView::zoom_changed, this, [this] {
        if (twin_->is_fit()) return;  // it was resized; nobody moved it
        picture_->set_view(twin_->zoom(), twin_->centre());
        show_trial();
    });
    connect(picture_, &PictureView::point_set, this,
            [this](QPointF place) { set_point(session_.current_frame(), align_tray_->partner(), place); });
    connect(twin_, &PictureView::point_set, this,
            [this](QPointF place) { set_point(align_tray_->partner(), session_.current_frame(), place); });
    connect(twin_, &PictureView::frames_stepped, this,
            [this](int by) { session_.set_current_frame(session_.current_frame() + by); });
    connect(picture_, &PictureView::frames_stepped, this,
            [this](int by) { session_.set_current_frame(session_.current_frame() + by); });
    connect(picture_, &PictureView::stroke_began, &mend_, &Mend::begin_stroke);
    connect(picture_, &PictureView::stroke_moved, &mend_, &Mend::continue_stroke);
    connect(picture_, &PictureView::stroke_ended, &mend_, &Mend::end_stroke);
    connect(panel_, &SoundingPanel::frame_chosen, this, &MainWindow::pick_frame);
    connect(panel_, &SoundingPanel::closed, &sounding_, &Sounding::close);
}

QWidget* MainWindow::make_empty_state() {
    auto* box = new QWidget(picture_);
    box->setObjectName(QStringLiteral("emptyState"));
    box->setAttribute(Qt::WA_StyledBackground);
    box->setFixedSize(430, 250);
    auto* rows = new QVBoxLayout(box);
    rows->setContentsMargins(32, 26, 32, 26);
    rows->setSpacing(10);
    auto* title = new QLabel(tr("From many slices of focus, one sharp picture"), box);
    title->setProperty("role", "title");
    title->setWordWrap(true);
    auto* text =
        new QLabel(tr("Drop the folder with the frames of one series here, near to far or far to near. "
                      "The line at the left then shows how sharp each frame is, and how deep."),
                   box);
    text->setWordWrap(true);
    auto* demo =
        make_button(tr("Open the demo"), tr("Ctrl+D"), tr("Opens a series that comes with Moorhaze"), box);
    demo->setObjectName(QStringLiteral("openDemo"));
    demo->setProperty("role", "next");
    if (auto* hint = demo->findChild<QLabel*>(QStringLiteral("keyHint")))
        hint->setStyleSheet(
            QStringLiteral("font-size: 11px; color: %1;").arg(Theme::current().on_heather.name()));
    auto* folder = make_button(tr("Open a folder"), tr("Ctrl+O"),
                               tr("Choose the folder that holds the frames of one series"), box);
    rows->addWidget(title);
    rows->addWidget(text);
    rows->addStretch();
    rows->addWidget(demo);
    rows->addWidget(folder);
    connect(demo, &QPushButton::clicked, this, [this] { open_demo(demo_names().value(0)); });
    connect(folder, &QPushButton::clicked, this, &MainWindow::ask_for_folder);
    return box;
}

void MainWindow::build_trays() {
    trays_ = new QStackedWidget(tray_room_);
    plan_ = new PlanTray(session_, desk_, trays_);
    auto* plan = plan_;
    auto* cull = new CullTray(session_, trays_);
    auto* align = align_tray_ = new AlignTray(session_, points_, trays_);
    auto* merge = merge_tray_ = new MergeTray(session_, look_, trial_, trays_);
    auto* mend = new MendTray(session_, mend_, trays_);
    deliver_ = new DeliverTray(session_, exporter_, trays_);
    for (QWidget* tray :
         {static_cast<QWidget*>(plan), static_cast<QWidget*>(cull), static_cast<QWidget*>(align),
          static_cast<QWidget*>(merge), static_cast<QWidget*>(mend), static_cast<QWidget*>(deliver_)})
        trays_->addWidget(tray);
    tray_room_->setWidget(trays_);

    connect(plan, &PlanTray::open_folder_asked, this, &MainWindow::ask_for_folder);
    connect(plan, &PlanTray::open_files_asked, this, &MainWindow::ask_for_files);
    connect(plan, &PlanTray::open_demo_asked, this, [this] { open_demo(demo_names().value(0)); });
    connect(plan, &PlanTray::next_asked, this, [this] { session_.set_stage(Stage::cull); });

    connect(plan, &PlanTray::series_chosen, this, [this](int place) {
        if (place != session_.card_place() && may_drop_results()) session_.open_from_card(place);
    });
    connect(plan, &PlanTray::develop_asked, this, [this](const Development& development) {
        if (may_drop_results()) session_.develop(development);
    });
    connect(plan, &PlanTray::cut_asked, this, [this] {
        if (may_drop_results()) session_.cut_here();
    });
    connect(plan, &PlanTray::join_asked, this, [this] {
        if (may_drop_results()) session_.join_with_next();
    });
    connect(plan, &PlanTray::frame_chosen, &session_, &Session::set_current_frame);
    connect(plan, &PlanTray::page_changed, this, &MainWindow::show_stage);
    connect(plan_line_, &PlanLine::frame_chosen, &session_, &Session::set_current_frame);
    connect(plan_line_, &PlanLine::drive_asked, &desk_, &ShootDesk::drive_to);
    connect(&desk_, &ShootDesk::live_changed, this, &MainWindow::show_live);
    connect(&desk_, &ShootDesk::state_changed, this, [this] {
        show_picture();
        show_path();
    });
    connect(&desk_, &ShootDesk::progress_changed, this, &MainWindow::show_path);
    connect(&desk_, &ShootDesk::setup_changed, this, &MainWindow::show_path);

    connect(cull, &CullTray::accept_asked, &session_, &Session::accept_suggestions);
    connect(cull, &CullTray::next_suggestion_asked, this, &MainWindow::step_suggestion);
    connect(cull, &CullTray::near_here_asked, this, [this] { limit_here(true); });
    connect(cull, &CullTray::far_here_asked, this, [this] { limit_here(false); });
    connect(cull, &CullTray::marks_asked, this, &MainWindow::set_sharp_marks);
    connect(this, &MainWindow::marks_changed, cull, &CullTray::show_marks);
    connect(cull, &CullTray::toggle_use_asked, this, &MainWindow::toggle_use);
    connect(cull, &CullTray::reference_chosen, &session_, &Session::set_reference);
    connect(cull, &CullTray::frame_chosen, &session_, &Session::set_current_frame);
    connect(cull, &CullTray::keep_asked, this, &MainWindow::set_keeping);
    connect(cull, &CullTray::quick_look_asked, this, &MainWindow::set_quick_look);
    connect(cull, &CullTray::order_asked, &session_, &Session::put_in_order);
    connect(cull, &CullTray::save_asked, this, &MainWindow::ask_to_save_frame);
    connect(cull, &CullTray::reach_chosen, &store_, &PictureStore::set_marks_reach);
    connect(this, &MainWindow::quick_look_changed, cull, &CullTray::show_quick_look);
    connect(this, &MainWindow::keeping_changed, cull, &CullTray::show_keeping);
    connect(&store_, &PictureStore::forgot, this, &MainWindow::show_picture);
    connect(cull, &CullTray::merge_asked, &session_, &Session::align_and_merge);

    connect(align, &AlignTray::align_asked, &session_, &Session::align);
    connect(align, &AlignTray::merge_asked, &session_, &Session::align_and_merge);
    connect(align, &AlignTray::drift_chosen, this, &MainWindow::show_drift);
    connect(align, &AlignTray::curtain_asked, this, [this](bool on) { curtain_action_->setChecked(on); });
    connect(align, &AlignTray::blink_asked, this, [this](bool on) { blink_action_->setChecked(on); });
    connect(align, &AlignTray::twin_asked, this, [this](bool on) { twin_action_->setChecked(on); });
    connect(align, &AlignTray::edges_asked, this, [this](bool on) { edges_action_->setChecked(on); });
    connect(align, &AlignTray::as_shot_asked, this, [this](bool on) { as_shot_action_->setChecked(on); });
    connect(align, &AlignTray::points_asked, this, [this](bool on) { points_action_->setChecked(on); });
    connect(align, &AlignTray::partner_changed, this, &MainWindow::show_picture);
    connect(&points_, &MatchPoints::changed, this, &MainWindow::show_marks);
    connect(align, &AlignTray::frame_chosen, &session_, &Session::set_current_frame);

    connect(merge, &MergeTray::merge_asked, &session_, &Session::align_and_merge);
    connect(merge, &MergeTray::mend_asked, this, [this] { session_.set_stage(Stage::mend); });
    connect(merge, &MergeTray::partner_changed, this, &MainWindow::show_picture);
    connect(&look_, &ResultLook::changed, this, &MainWindow::show_picture);
    connect(merge, &MergeTray::result_chosen, &session_, &Session::show_result);
    connect(merge, &MergeTray::drop_asked, this, [this](int id) {
        const Result* result = session_.result_with(id);
        if (result && !result->saved && !result->strokes.empty() &&
            QMessageBox::question(this, tr("Drop the result"),
                                  tr("%1 has %2 strokes that were not saved. Drop it?")
                                      .arg(result->title)
                                      .arg(result->strokes.size())) != QMessageBox::Yes)
            return;
        session_.drop_result(id);
    });

    connect(mend, &MendTray::draw_asked, this, [this] { set_wipe_back(false); });
    connect(mend, &MendTray::wipe_asked, this, [this] { set_wipe_back(true); });
    connect(mend, &MendTray::undo_asked, &session_.undo_stack(), &QUndoStack::undo);
    connect(mend, &MendTray::redo_asked, &session_.undo_stack(), &QUndoStack::redo);
    connect(mend, &MendTray::deliver_asked, this, [this] { session_.set_stage(Stage::deliver); });
}

// ------------------------------------------------------------------------------------------------- session

void MainWindow::connect_session() {
    connect(&session_, &Session::told, notice_, &NoticeBar::show_text);
    connect(&mend_, &Mend::failed, this, [this](const QString& why) { session_.tell(why, true); });
    connect(&store_, &PictureStore::failed, this, [this](const QString& why) { session_.tell(why, true); });
    connect(&session_, &Session::series_changed, this, [this] {
        if (session_.problems().isEmpty()) notice_->hide();
        job_bar_->set_series_name(session_.has_series() ? session_name(session_) : QString());
        setWindowTitle(session_.has_series() ? tr("%1 - Moorhaze").arg(session_name(session_))
                                             : tr("Moorhaze"));
        picture_->set_picture(nullptr, {});
        set_other(nullptr, {});
        plane_is_live_ = false;
        set_plane(QSize(session_.series().size().width, session_.series().size().height));
        picture_->fit();
        show_stage();
    });
    connect(&session_, &Session::stage_changed, this, &MainWindow::show_stage);
    connect(&session_, &Session::frame_looked, this, &MainWindow::show_line);
    connect(&session_, &Session::current_frame_changed, this, [this] {
        line_->set_current(session_.current_frame());
        show_picture();
    });
    connect(&session_, &Session::geometry_changed, this, &MainWindow::show_picture);
    connect(&session_, &Session::geometry_changed, this, &MainWindow::show_drift);
    for (auto signal : {&Session::settings_changed, &Session::selection_changed})
        connect(&session_, signal, this, &MainWindow::show_kept);
    connect(&look_, &ResultLook::grew, this, &MainWindow::show_picture);
    connect(&trial_, &Trial::changed, this, &MainWindow::show_trial);
    connect(&session_, &Session::result_shown, this, &MainWindow::show_picture);
    for (auto signal : {&Session::profiles_changed, &Session::selection_changed})
        connect(&session_, signal, this, &MainWindow::show_line);
    for (auto signal : {&Session::profiles_changed, &Session::selection_changed, &Session::geometry_changed,
                        &Session::results_changed, &Session::result_shown, &Session::settings_changed,
                        &Session::saved_changed})
        connect(&session_, signal, this, &MainWindow::show_path);
    connect(&session_, &Session::frame_replaced, this, &MainWindow::show_picture);
    connect(&store_, &PictureStore::ready, this, [this] { show_picture(); });
    connect(&mend_, &Mend::display_changed, this, &MainWindow::show_picture);
    connect(&mend_, &Mend::area_changed, picture_, &PictureView::refresh);
    connect(&mend_, &Mend::brush_changed, this, &MainWindow::show_brush);
    connect(&sounding_, &Sounding::changed, this, &MainWindow::show_sounding);
}

QStringList MainWindow::demo_names() {
    return {QStringLiteral("lichen-cups"), QStringLiteral("brass-wheels")};
}

bool MainWindow::open_demo(const QString& name) {
    const QString folder = QDir(demo_folder()).filePath(name + QStringLiteral("/frames"));
    if (!QFileInfo(folder).isDir()) {
        session_.tell(tr("%1: the demo series is not there. Install Moorhaze again, or open a series of your "
                         "own (Ctrl+O).")
                          .arg(folder),
                      true);
        return false;
    }
    open_paths({folder});
    return true;
}

bool MainWindow::may_drop_results() {
    if (!session_.has_unsaved_work()) return true;
    QMessageBox box(QMessageBox::Question, tr("Open another series"),
                    tr("A result has not been exported. Opening another series drops it."),
                    QMessageBox::NoButton, this);
    auto* go_on = box.addButton(tr("Open anyway"), QMessageBox::DestructiveRole);
    box.setDefaultButton(box.addButton(tr("Stay here"), QMessageBox::RejectRole));
    box.exec();
    return box.clickedButton() == go_on;
}

void MainWindow::open_paths(const QStringList& paths) {
    if (!may_drop_results()) return;
    std::vector<std::filesystem::path> files;
    for (const QString& path : paths) files.emplace_back(path.toStdString());
    session_.jobs().cancel();
    desk_.disconnect_devices();
    desk_.stop_watching();
    session_.open(files);
}

void MainWindow::ask_for_folder() {
    const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder of one series"));
    if (!folder.isEmpty()) open_paths({folder});
}

void MainWindow::ask_for_files() {
    QStringList patterns;
    for (const auto& ending : picture_endings())
        patterns << QStringLiteral("*%1").arg(QString::fromStdString(ending));
    const QStringList files = QFileDialog::getOpenFileNames(this, tr("Frames of one series"), {},
                                                            tr("Pictures (%1)").arg(patterns.join(' ')));
    if (!files.isEmpty()) open_paths(files);
}

void MainWindow::set_plane(QSize plane) {
    twin_->set_plane(plane);
    picture_->set_plane(plane);
}

void MainWindow::set_other(std::shared_ptr<const DisplayPicture> other, const QString& label) {
    twin_->set_picture(other, label);
    twin_->set_caption(label);
    picture_->set_other(std::move(other), label);
}

void MainWindow::set_point(int frame, int partner, QPointF place) {
    if (frame == partner)
        return session_.tell(tr("This frame is compared with itself: choose another one to compare with."),
                             true);
    cv::Point2d at(place.x(), place.y());
    if (is_lying_aligned()) {
        const cv::Vec3d own =
            session_.geometry()->frames[std::size_t(frame)].matrix.inv() * cv::Vec3d(place.x(), place.y(), 1);
        at = {own[0] / own[2], own[1] / own[2]};
    }
    points_.set(frame, at, partner);
}

void MainWindow::point_at(QPointF place, bool sound) {
    if (!session_.has_series() || plane_is_live_) return;
    if (!sound && session_.stage() <= Stage::cull) {
        const cv::Size size = session_.series().size();
        const int frame = session_.sharpest_frame_at((place.x() + 0.5) / size.width,
                                                     (place.y() + 0.5) / size.height, pointed_frame());
        if (frame >= 0) session_.set_current_frame(frame);
    }
    drop_sounding(place);
}

int MainWindow::pointed_frame() const {
    return shows_quick_look() ? Session::kReferencePlane : session_.current_frame();
}

void MainWindow::keep_along(const QList<QPointF>& places) {
    set_keeping(false);
    if (!session_.has_series() || plane_is_live_) return;
    const cv::Size size = session_.series().size();
    std::vector<cv::Point2d> along;
    for (const QPointF& place : places)
        along.emplace_back((place.x() + 0.5) / size.width, (place.y() + 0.5) / size.height);
    if (along.size() > 1) {
        const auto range = session_.range_along(along, pointed_frame());
        if (!range)
            return session_.tell(tr("The frames are still being looked at; try again in a moment."), true);
        session_.set_range(*range);
        return session_.tell(tr("Frames %1 to %2 have sharp what you drew across, one to spare at each end.")
                                 .arg(range->first + 1)
                                 .arg(range->last + 1),
                             false);
    }
    const int frame = session_.sharpest_frame_at(along[0].x, along[0].y, pointed_frame());
    if (frame < 0) return;
    const FrameRange range = session_.series().range;
    const bool near = std::abs(frame - range.first) <= std::abs(frame - range.last);
    session_.set_range(near ? FrameRange{frame, std::max(frame, range.last)}
                            : FrameRange{std::min(frame, range.first), frame});
    session_.set_current_frame(frame);
}

void MainWindow::ask_to_save_frame() {
    if (!session_.has_series()) return session_.tell(tr("There is no frame yet: open a series first."), true);
    const Frame& frame = session_.series().frames[std::size_t(session_.current_frame())];
    const QString proposed =
        QString::fromStdString(frame.path.stem().string()) + QStringLiteral("-single.tif");
    const QString file = QFileDialog::getSaveFileName(this, tr("Save the frame shown"), proposed,
                                                      tr("TIFF (*.tif);;JPEG (*.jpg);;PNG (*.png)"));
    if (file.isEmpty()) return;
    try {
        WriteSettings write;
        write.format = format_of_name(file.toStdString());
        write.bits = frame.info.bits > 8 ? 16 : 8;
        write.overwrite = true;  // the dialog asked
        write.made_with = "Moorhaze, single frame";
        session_.save_frame(file.toStdString(), write);
    } catch (const Error& error) {
        session_.tell(QString::fromUtf8(error.what()), true);
    }
}

void MainWindow::drop_sounding(QPointF place) {
    const int side = SoundingPanel::patch_side(picture_->height());
    source_follows_sounding_ = session_.stage() == Stage::mend;
    sounding_.drop(place, int(side * picture_->devicePixelRatioF()));
}

void MainWindow::pick_frame(int frame) {
    source_follows_sounding_ = false;
    session_.set_current_frame(frame);
    if (session_.stage() == Stage::mend) {
        mend_.set_source_frame(frame);
        set_wipe_back(false);
    }
}

void MainWindow::step_suggestion() {
    const auto list = suggestions(session_);
    if (list.empty()) return;
    for (const Suggestion& suggestion : list)
        if (suggestion.first > session_.current_frame()) return session_.set_current_frame(suggestion.first);
    session_.set_current_frame(list[0].first);
}

void MainWindow::toggle_use() {
    if (!session_.has_series()) return;
    const int frame = session_.current_frame();
    session_.set_used(frame, !session_.series().frames[std::size_t(frame)].used);
}

bool MainWindow::is_shooting() const {
    return session_.stage() == Stage::plan && desk_.state() != ShootState::off;
}

void MainWindow::limit_here(bool near) {
    if (is_shooting()) return near ? desk_.mark_near() : desk_.mark_far();
    if (!session_.has_series()) return;
    const int here = session_.current_frame();
    const FrameRange range = session_.series().range;
    session_.set_range(near ? FrameRange{here, std::max(here, range.last)}
                            : FrameRange{std::min(here, range.first), here});
}

void MainWindow::step_depth(int by) {
    if (is_shooting() && desk_.state() == ShootState::live)
        desk_.drive_by(by *
                       std::max(0.05, desk_.plan().is_possible() ? desk_.plan().steps.first_step_mm : 0.5));
    else
        session_.set_current_frame(session_.current_frame() + by);
}

void MainWindow::show_live() {
    if (session_.stage() != Stage::plan || !desk_.shows_live()) return;
    if (!plane_is_live_) {
        plane_is_live_ = true;
        set_other(nullptr, {});
        set_plane(desk_.live_picture()->size());
        picture_->fit();
    }
    picture_->set_picture(desk_.live_picture(), tr("live view"));
    show_caption();
}

void MainWindow::set_wipe_back(bool wipe) {
    Brush brush = mend_.brush();
    brush.wipe_back = wipe;
    mend_.set_brush(brush);
}

// -------------------------------------------------------------------------------------------------- events

bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
    if (watched == picture_ && event->type() == QEvent::Resize) {
        empty_->move((picture_->width() - empty_->width()) / 2, (picture_->height() - empty_->height()) / 2);
        if (sounding_.is_open()) show_sounding();
    }
    return QMainWindow::eventFilter(watched, event);
}

void MainWindow::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_V && event->modifiers() == Qt::NoModifier) {
        if (!event->isAutoRepeat()) picture_->set_flipped(true);
        return;
    }
    QMainWindow::keyPressEvent(event);
}

void MainWindow::keyReleaseEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_V && !event->isAutoRepeat()) return picture_->set_flipped(false);
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
    if (session_.has_unsaved_work()) {
        QMessageBox box(QMessageBox::Question, tr("Leave Moorhaze"),
                        tr("A result has not been exported. Leaving now drops it."), QMessageBox::NoButton,
                        this);
        box.setObjectName(QStringLiteral("leaveQuestion"));
        auto* leave = box.addButton(tr("Leave without it"), QMessageBox::DestructiveRole);
        auto* to_deliver = box.addButton(tr("Export it first"), QMessageBox::AcceptRole);
        box.addButton(tr("Stay here"), QMessageBox::RejectRole);
        box.setDefaultButton(to_deliver);
        box.exec();
        if (box.clickedButton() != leave) {
            if (box.clickedButton() == to_deliver) session_.set_stage(Stage::deliver);
            event->ignore();
            return;
        }
    }
    session_.jobs().cancel_and_wait();
    event->accept();
}

}  // namespace moorhaze::desktop
