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

}  // namespace

MainWindow::MainWindow() {
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
    tray_room_ = new QScrollArea(middle);
    tray_room_->setObjectName(QStringLiteral("tray"));
    tray_room_->setFixedWidth(kTrayWidth);
    tray_room_->setWidgetResizable(true);
    tray_room_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    columns->addWidget(lines_);
    columns->addWidget(picture_, 1);
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
        session_.set_current_frame(far_end ? last : first);
    });
    connect(line_, &DepthLine::range_chosen, this, [this](int first, int last) {
        session_.set_range({first, last});
    });

    connect(picture_, &PictureView::pointed, this, [this](QPointF place) { point_at(place, false); });
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
    connect(picture_, &PictureView::zoom_changed, this, &MainWindow::show_caption);
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
    auto* align = new AlignTray(session_, trays_);
    auto* merge = new MergeTray(session_, trays_);
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
    connect(cull, &CullTray::merge_asked, &session_, &Session::align_and_merge);

    connect(align, &AlignTray::align_asked, &session_, &Session::align);
    connect(align, &AlignTray::merge_asked, &session_, &Session::align_and_merge);
    connect(align, &AlignTray::curtain_asked, this, [this] { curtain_action_->toggle(); });
    connect(align, &AlignTray::frame_chosen, &session_, &Session::set_current_frame);

    connect(merge, &MergeTray::merge_asked, &session_, &Session::align_and_merge);
    connect(merge, &MergeTray::mend_asked, this, [this] { session_.set_stage(Stage::mend); });
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
        picture_->set_other(nullptr, {});
        plane_is_live_ = false;
        picture_->set_plane(QSize(session_.series().size().width, session_.series().size().height));
        picture_->fit();
        show_stage();
    });
    connect(&session_, &Session::stage_changed, this, &MainWindow::show_stage);
    connect(&session_, &Session::current_frame_changed, this, [this] {
        line_->set_current(session_.current_frame());
        show_picture();
    });
    connect(&session_, &Session::geometry_changed, this, &MainWindow::show_picture);
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

void MainWindow::open_paths(const QStringList& paths) {
    if (session_.has_unsaved_work()) {
        QMessageBox box(QMessageBox::Question, tr("Open another series"),
                        tr("A result has not been exported. Opening another series drops it."),
                        QMessageBox::NoButton, this);
        auto* go_on = box.addButton(tr("Open anyway"), QMessageBox::DestructiveRole);
        box.setDefaultButton(box.addButton(tr("Stay here"), QMessageBox::RejectRole));
        box.exec();
        if (box.clickedButton() != go_on) return;
    }
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

void MainWindow::point_at(QPointF place, bool sound) {
    if (!session_.has_series() || plane_is_live_) return;
    if (!sound && session_.stage() <= Stage::cull) {
        const cv::Size size = session_.series().size();
        const int frame =
            session_.sharpest_frame_at((place.x() + 0.5) / size.width, (place.y() + 0.5) / size.height);
        if (frame >= 0) session_.set_current_frame(frame);
    }
    drop_sounding(place);
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
        picture_->set_other(nullptr, {});
        picture_->set_plane(desk_.live_picture()->size());
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

// ---------------------------------------------------------------------------------------------------- show

bool MainWindow::shows_result() const {
    return session_.stage() >= Stage::merge && session_.result() != nullptr;
}

FrameView MainWindow::frame_view() const {
    const bool aligned = session_.stage() >= Stage::align && session_.geometry().has_value();
    return {session_.current_frame(), aligned, marks_action_->isChecked() && session_.stage() <= Stage::cull};
}

void MainWindow::show_stage() {
    const Stage stage = session_.stage();
    trays_->setCurrentIndex(int(stage));
    // A tray takes the height it needs itself, not that of the tallest.
    for (int i = 0; i < trays_->count(); ++i)
        trays_->widget(i)->setSizePolicy(QSizePolicy::Preferred,
                                         i == int(stage) ? QSizePolicy::Preferred : QSizePolicy::Ignored);
    trays_->adjustSize();
    tray_room_->verticalScrollBar()->setValue(0);
    path_->set_here(stage);
    lines_->setCurrentIndex(stage == Stage::plan && plan_->page() != PlanTray::bring_in ? 1 : 0);
    show_brush();
    show_line();
    show_path();
    show_picture();
}

void MainWindow::show_picture() {
    empty_->setVisible(!session_.has_series() && !is_shooting() && !desk_.is_watching());
    if (session_.stage() == Stage::plan && desk_.shows_live()) return show_live();
    if (plane_is_live_) {
        plane_is_live_ = false;
        picture_->set_picture(nullptr, {});
        picture_->set_plane(QSize(session_.series().size().width, session_.series().size().height));
        picture_->fit();
    }
    if (!session_.has_series()) return show_caption();
    const FrameView frame = frame_view();
    const bool has_geometry = session_.geometry().has_value();
    const int reference = has_geometry ? session_.geometry()->reference : session_.reference();
    std::vector<FrameView> wishes{frame};
    if (session_.stage() == Stage::align && has_geometry) wishes.push_back({reference, true, false});
    if (!shows_result())
        for (const int step : {1, -1, 2, -2})
            wishes.push_back({frame.frame + step, frame.aligned, frame.marked});
    store_.want(wishes);

    const auto own = store_.find(frame);
    const QString frame_label = tr("frame %1").arg(frame.frame + 1);
    if (shows_result()) {
        if (mend_.display()) picture_->set_picture(mend_.display(), session_.result()->title);
        picture_->set_other(own, frame_label);
    } else {
        // Until the wanted frame is ready the one before stays: flipping through does not flash.
        if (own) picture_->set_picture(own, frame_label);
        picture_->set_other(session_.stage() == Stage::align && has_geometry
                                ? store_.find({reference, true, false})
                                : nullptr,
                            tr("reference frame %1").arg(reference + 1));
    }
    show_caption();
}

void MainWindow::show_line() {
    std::vector<DepthTick> ticks;
    const SeriesProfile& profile = session_.profile();
    for (int i = 0; i < session_.series().count(); ++i) {
        DepthTick tick;
        tick.used = session_.series().frames[std::size_t(i)].used;
        if (session_.is_profiled()) {
            tick.share = profile.share[std::size_t(i)];
            for (const FrameFlag& flag : profile.flags[std::size_t(i)])
                tick.warning += (tick.warning.isEmpty() ? "" : "; ") + QString::fromStdString(flag.reason);
        }
        ticks.push_back(tick);
    }
    line_->set_ticks(std::move(ticks));
    std::vector<int> gaps;
    for (const FocusGap& gap : profile.gaps) gaps.push_back(gap.after);
    line_->set_gaps(std::move(gaps));
    line_->set_range(session_.series().range.first, session_.series().range.last);
    line_->set_reference(session_.has_series() ? session_.reference() : -1);
    line_->set_current(session_.current_frame());
}

void MainWindow::show_path() {
    const bool open = session_.has_series();
    const bool under_way =
        desk_.to_shoot() > 0 && desk_.state() != ShootState::live && desk_.state() != ShootState::done;
    path_->set_waymark(Stage::plan, {under_way ? tr("%1 of %2 shot").arg(desk_.shot()).arg(desk_.to_shoot())
                                     : open    ? tr("%1 frames").arg(session_.series().count())
                                               : QString(),
                                     open && !under_way, !desk_.troubles().empty()});
    path_->set_waymark(
        Stage::cull,
        {open ? tr("%1 of %2").arg(session_.series().chosen().size()).arg(session_.series().count())
              : QString(),
         open && session_.is_profiled(), !session_.profile().gaps.empty()});
    const bool aligned = session_.geometry().has_value(), aligned_now = session_.geometry_is_current();
    path_->set_waymark(Stage::align,
                       {!aligned       ? QString()
                        : !aligned_now ? tr("out of date")
                                       : tr("%1 px").arg(session_.geometry()->residual_px(), 0, 'f', 2),
                        aligned_now, aligned && !aligned_now});
    const Result* result = session_.result();
    path_->set_waymark(Stage::merge,
                       {!result                        ? QString()
                        : session_.result_is_current() ? result->title
                                                       : tr("out of date"),
                        result && session_.result_is_current(), result && !session_.result_is_current()});
    path_->set_waymark(
        Stage::mend,
        {!result || result->strokes.empty() ? QString() : strokes_text(int(result->strokes.size())),
         result && !result->strokes.empty(), false});
    path_->set_waymark(Stage::deliver, {!result         ? QString()
                                        : result->saved ? tr("saved")
                                                        : tr("not saved"),
                                        result && result->saved, false});
}

void MainWindow::show_sounding() {
    const bool open = sounding_.is_open();
    panel_->place_in(picture_->rect());
    panel_->setVisible(open);
    panel_->raise();
    for (QAction* action : digit_actions_) action->setEnabled(open);
    std::vector<std::pair<int, int>> threads;
    if (open)
        for (const auto& [frame, y] : panel_->threads()) threads.emplace_back(frame, y);
    line_->set_threads(std::move(threads), open ? sounding_.sharpest_frame() : -1);
    picture_->set_sounding_place(open ? std::optional(sounding_.place()) : std::nullopt);
    if (open && source_follows_sounding_ && session_.stage() == Stage::mend &&
        sounding_.sharpest_frame() >= 0) {
        mend_.set_source_frame(sounding_.sharpest_frame());
        session_.set_current_frame(sounding_.sharpest_frame());
    }
}

void MainWindow::show_brush() {
    const bool on = session_.stage() == Stage::mend && session_.result();
    picture_->set_brush(on ? std::optional(mend_.brush().radius_px) : std::nullopt);
}

void MainWindow::show_caption() {
    if (plane_is_live_)
        return picture_->set_caption(tr("live view · plane of focus at %1 mm · f/%2")
                                         .arg(desk_.position_mm(), 0, 'f', 2)
                                         .arg(desk_.setup().f_number));
    if (!session_.has_series()) return picture_->set_caption({});
    const QString zoom = picture_->is_fit() ? tr("fit %1 %").arg(100 * picture_->zoom(), 0, 'f', 0)
                                            : tr("%1 %").arg(100 * picture_->zoom(), 0, 'f', 0);
    QString text;
    if (shows_result()) {
        text = session_.result()->title;
        const auto& merge = *session_.result()->merge;
        const cv::Point at(int(std::lround(hovered_.x())) - merge.area.x,
                           int(std::lround(hovered_.y())) - merge.area.y);
        if (is_hovering_ && cv::Rect({}, merge.area.size()).contains(at))
            text = merge.source(at) > 0 ? tr("%1, %2 from frame %3")
                                              .arg(std::lround(hovered_.x()))
                                              .arg(std::lround(hovered_.y()))
                                              .arg(merge.source(at))
                                        : tr("%1, %2 covered by no frame")
                                              .arg(std::lround(hovered_.x()))
                                              .arg(std::lround(hovered_.y()));
    } else {
        text = frame_caption(session_.series(), session_.current_frame());
        if (!store_.find(frame_view())) text += tr(" · loading");
    }
    picture_->set_caption(QStringLiteral("%1 · %2").arg(text, zoom));
}

void MainWindow::set_sharp_marks(bool on) {
    marks_action_->setChecked(on);
}

bool MainWindow::is_settled() {
    if (session_.jobs().busy()) return false;
    const ShootState shooting = desk_.state();
    if (shooting == ShootState::connecting || shooting == ShootState::running ||
        shooting == ShootState::pausing)
        return false;
    if (plane_is_live_) return desk_.live_picture() != nullptr && !desk_.is_driving();
    if (desk_.is_busy() || desk_.state() == ShootState::live) return false;
    if (!session_.has_series()) return true;
    if (shows_result() ? !mend_.is_settled() : !store_.find(frame_view())) return false;
    if (picture_->curtain() && !store_.find(frame_view())) return false;
    for (const auto& patch : sounding_.patches())
        if (patch.sharpness < 0) return false;
    return true;
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
