// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/shoot_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "desktop/tray/tray_parts.h"
#include "desktop/view/theme.h"
#include "rig/scenes.h"

namespace moorhaze::desktop {
namespace {

QLabel* text_label(const char* role, QVBoxLayout* rows, QWidget* parent) {
    auto* label = new QLabel(parent);
    label->setProperty("role", role);
    label->setWordWrap(true);
    rows->addWidget(label);
    return label;
}

std::pair<QPushButton*, QPushButton*> pair_of(QVBoxLayout* rows, QPushButton* left, QPushButton* right) {
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    row->addWidget(left, 1);
    row->addWidget(right, 1);
    rows->addLayout(row);
    return {left, right};
}

}  // namespace

ShootPage::ShootPage(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), desk_(session.shoot_desk), watch_(session.folder_watch) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(6);
    text_label("section", rows, this)->setText(tr("Camera"));
    source_ = new QComboBox(this);
    source_->setObjectName(QStringLiteral("shootSource"));
    for (const rig::SceneEntry& scene : rig::scene_list()) {
        source_->addItem(tr("simulated: %1").arg(QString::fromStdString(scene.name)),
                         QString::fromStdString(scene.name));
        source_->setItemData(source_->count() - 1, QString::fromStdString(scene.description),
                             Qt::ToolTipRole);
    }
    source_->addItem(tr("a watched folder..."), QString());
    source_->setToolTip(
        tr("A simulated camera, flash, rail and turntable before a scene, or a folder into which a real "
           "camera's pictures come"));
    source_->setAccessibleName(tr("Camera"));
    rows->addWidget(source_);
    quick_ = new QCheckBox(tr("Quick, not in real time"), this);
    quick_->setObjectName(QStringLiteral("quick"));
    quick_->setToolTip(tr("Simulated devices run as fast as they can, instead of in real time"));
    quick_->setChecked(desk_.is_quick());
    rows->addWidget(quick_);
    faults_ = new QCheckBox(tr("With mishaps, to practise"), this);
    faults_->setObjectName(QStringLiteral("mishaps"));
    faults_->setToolTip(tr("A misfire, a bump and a lost link at a few frames of the run"));
    rows->addWidget(faults_);
    connect_ = make_button(tr("Connect"), {}, tr("Begins live view, or watching"), this);
    connect_->setObjectName(QStringLiteral("connectDevices"));
    rows->addWidget(connect_);

    watching_ = text_label("", rows, this);
    watching_->setObjectName(QStringLiteral("watching"));

    marks_room_ = new QWidget(this);
    auto* marks = new QVBoxLayout(marks_room_);
    marks->setContentsMargins(0, 4, 0, 0);
    marks->setSpacing(6);
    text_label("section", marks, marks_room_)->setText(tr("Depth: drive and mark"));
    position_ = text_label("", marks, marks_room_);
    position_->setObjectName(QStringLiteral("position"));
    std::tie(to_near_, to_far_) = pair_of(
        marks,
        make_button(tr("Nearer"), tr("PgDn"), tr("Drives the plane of focus towards you"), marks_room_),
        make_button(tr("Farther"), tr("PgUp"), tr("Drives the plane of focus away from you"), marks_room_));
    std::tie(near_, far_) =
        pair_of(marks,
                make_button(tr("Mark near"), tr("["), tr("The nearest point that shall be sharp is here"),
                            marks_room_),
                make_button(tr("Mark far"), tr("]"), tr("The farthest point that shall be sharp is here"),
                            marks_room_));
    near_->setObjectName(QStringLiteral("markNear"));
    far_->setObjectName(QStringLiteral("markFar"));
    depth_ = text_label("quiet", marks, marks_room_);
    depth_->setObjectName(QStringLiteral("markedDepth"));
    auto* reach = new ValueRow({tr("Mark what is sharp"),
                                tr("%"),
                                tr("How readily live view marks things as sharp; 0: not at all"),
                                {},
                                0,
                                100,
                                5,
                                0,
                                false},
                               marks_room_);
    reach->set_value(100 * desk_.marks_reach());
    marks->addWidget(reach);
    rows->addWidget(marks_room_);

    run_room_ = new QWidget(this);
    auto* run = new QVBoxLayout(run_room_);
    run->setContentsMargins(0, 4, 0, 0);
    run->setSpacing(6);
    text_label("section", run, run_room_)->setText(tr("Frames go to"));
    auto* folder_row = new QHBoxLayout;
    folder_ = new QLineEdit(run_room_);
    folder_->setObjectName(QStringLiteral("shootFolder"));
    folder_->setToolTip(tr("A new folder; a turntable set has one folder a view in it"));
    folder_->setAccessibleName(tr("Folder for the frames"));
    auto* browse = make_button(tr("..."), {}, tr("Choose a folder"), run_room_);
    browse->setFixedWidth(with_text(36));
    folder_row->addWidget(folder_, 1);
    folder_row->addWidget(browse);
    run->addLayout(folder_row);
    progress_ = text_label("", run, run_room_);
    progress_->setObjectName(QStringLiteral("shootProgress"));
    std::tie(stop_, live_) =
        pair_of(run,
                make_button(tr("Enough"), {},
                            tr("The far point has been reached: ends the run, keeps all frames"), run_room_),
                make_button(tr("Live view"), {}, tr("Back to live view, for another run"), run_room_));
    stop_->setObjectName(QStringLiteral("stopEarly"));
    live_->setObjectName(QStringLiteral("backToLive"));
    troubles_ = new RowList(QStringLiteral("troubles"), tr("Frames with mishaps"),
                            {.most_rows = 3, .breaks_lines = true}, run_room_);
    run->addWidget(troubles_);
    again_ =
        make_button(tr("Shoot again"), {}, tr("Shoots the chosen frame once more, at its place"), run_room_);
    again_->setObjectName(QStringLiteral("shootAgain"));
    run->addWidget(again_);
    why_ = text_label("quiet", run, run_room_);
    why_->setObjectName(QStringLiteral("whyNot"));
    rows->addWidget(run_room_);

    connect(connect_, &QPushButton::clicked, this, [this] {
        if (watch_.is_on()) return watch_.stop();
        if (desk_.state() != ShootState::off) return desk_.disconnect_devices();
        next_step();
    });
    connect(to_near_, &QPushButton::clicked, this, [this] { desk_.drive_by(-1); });
    connect(to_far_, &QPushButton::clicked, this, [this] { desk_.drive_by(1); });
    for (auto* button : {to_near_, to_far_}) button->setAutoRepeat(true);
    connect(near_, &QPushButton::clicked, &desk_, &ShootDesk::mark_near);
    connect(far_, &QPushButton::clicked, &desk_, &ShootDesk::mark_far);
    connect(reach, &ValueRow::value_changed, &desk_,
            [this](double value) { desk_.set_marks_reach(value / 100); });
    connect(quick_, &QCheckBox::toggled, &desk_, &ShootDesk::set_quick);
    connect(stop_, &QPushButton::clicked, &desk_, &ShootDesk::stop_early);
    connect(live_, &QPushButton::clicked, &desk_, &ShootDesk::back_to_live);
    connect(folder_, &QLineEdit::textEdited, this, [this] { folder_typed_ = true; });
    connect(browse, &QPushButton::clicked, this, [this] {
        const QString chosen = QFileDialog::getExistingDirectory(this, tr("Folder for the frames"));
        if (chosen.isEmpty()) return;
        folder_->setText(chosen);
        folder_typed_ = true;
    });
    connect(troubles_, &RowList::pressed_on, this,
            [this](int row) { emit frame_chosen(desk_.run().troubles()[std::size_t(row)].station); });
    connect(again_, &QPushButton::clicked, this, [this] {
        const int row = troubles_->current();
        if (row >= 0 && row < int(desk_.run().troubles().size()))
            desk_.shoot_again(desk_.run().troubles()[std::size_t(row)]);
    });
    connect(troubles_, &RowList::current_moved, this, &ShootPage::show_again);
    for (auto signal : {&ShootDesk::state_changed, &ShootDesk::progress_changed, &ShootDesk::setup_changed})
        connect(&desk_, signal, this, &ShootPage::refresh);
    connect(&watch_, &FolderWatch::changed, this, &ShootPage::refresh);
    refresh();
}

QString ShootPage::next_step_text() const {
    switch (desk_.state()) {
        case ShootState::off:
            return watch_.is_on() ? tr("Stop watching") : tr("Connect");
        case ShootState::connecting:
            return tr("Connecting");
        case ShootState::live:
            return tr("Shoot %1 frames")
                .arg(desk_.plan().is_possible() ? int(desk_.plan().steps.frames.size()) * desk_.setup().views
                                                : 0);
        case ShootState::running:
        case ShootState::pausing:
            return tr("Pause");
        case ShootState::paused:
        case ShootState::interrupted:
            return tr("Go on");
        case ShootState::done:
            return tr("Cull");
    }
    return {};
}

bool ShootPage::can_step() const {
    switch (desk_.state()) {
        case ShootState::live:
            return desk_.why_not().isEmpty();
        case ShootState::connecting:
        case ShootState::pausing:
            return false;
        default:
            return true;
    }
}

void ShootPage::next_step() {
    switch (desk_.state()) {
        case ShootState::off: {
            if (watch_.is_on()) return watch_.stop();
            const QString scene = source_->currentData().toString();
            if (scene.isEmpty()) {
                const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder to watch"));
                if (!folder.isEmpty() && may_begin_()) {
                    desk_.disconnect_devices();
                    watch_.start(folder);
                }
                return;
            }
            rig::BenchSettings bench = desk_.bench_defaults();
            bench.scene = scene.toStdString();
            if (faults_->isChecked()) bench.faults = ShootDesk::practice_mishaps();
            watch_.stop();
            return desk_.connect_devices(bench);
        }
        case ShootState::live:
            if (may_begin_()) desk_.start(folder_->text());
            return;
        case ShootState::running:
            return desk_.pause();
        case ShootState::paused:
        case ShootState::interrupted:
            return desk_.go_on();
        case ShootState::connecting:
        case ShootState::pausing:
        case ShootState::done:
            return;
    }
}

/// Frames of an earlier view lie at places of the turntable that it has left.
void ShootPage::show_again() {
    const int row = troubles_->current();
    const auto& troubles = desk_.run().troubles();
    const bool is_here =
        row >= 0 && row < int(troubles.size()) && troubles[std::size_t(row)].view == desk_.run().view();
    again_->setEnabled(is_here);
    again_->setToolTip(row < 0   ? tr("Choose a frame of the list first")
                       : is_here ? tr("Shoots the chosen frame once more, at its place")
                                 : tr("It belongs to an earlier view: the turntable has left its place"));
}

void ShootPage::refresh() {
    const ShootState state = desk_.state();
    const bool off = state == ShootState::off, live = state == ShootState::live;
    if (!off)
        if (const int index = source_->findData(desk_.scene()); index >= 0) source_->setCurrentIndex(index);
    source_->setEnabled(off && !watch_.is_on());
    faults_->setEnabled(off);
    faults_->setVisible(off || state == ShootState::connecting);
    connect_->setText(watch_.is_on() ? tr("Stop watching") : off ? tr("Connect") : tr("Disconnect"));
    connect_->setAccessibleName(connect_->text());
    connect_->setEnabled(state != ShootState::connecting);
    watching_->setVisible(watch_.is_on());
    watching_->setText(
        tr("Watching %1. Each picture joins the series as soon as it is completely written; %2 so far.")
            .arg(watch_.folder())
            .arg(session_.document.series().count()));
    marks_room_->setVisible(live);
    run_room_->setVisible(!off && state != ShootState::connecting);
    position_->setText(
        tr("Plane of focus at %1 mm%2")
            .arg(desk_.position_mm(), 0, 'f', 2)
            .arg(desk_.live_frames_per_second() > 0
                     ? tr(", %1 pictures a second").arg(desk_.live_frames_per_second(), 0, 'f', 1)
                     : QString()));
    const auto near = desk_.near_mark_mm(), far = desk_.far_mark_mm();
    auto shown = [](const std::optional<double>& mark) {
        return mark ? tr("%1 mm").arg(*mark, 0, 'f', 2) : tr("not marked");
    };
    depth_->setText(
        near && far
            ? tr("near %1, far %2: %3 mm deep").arg(shown(near), shown(far)).arg(*far - *near, 0, 'f', 2)
            : tr("near %1, far %2").arg(shown(near), shown(far)));
    folder_->setEnabled(live);
    if (!live && state != ShootState::off && state != ShootState::connecting) {
        folder_->setText(desk_.folder());
        folder_typed_ = false;
    } else if (live && !folder_typed_) {
        folder_->setText(desk_.free_folder());
    }
    progress_->setVisible(desk_.run().to_shoot() > 0);
    QString progress = desk_.run().views() > 1
                           ? tr("%1 of %2 frames, view %3 of %4")
                                 .arg(desk_.run().shot())
                                 .arg(desk_.run().to_shoot())
                                 .arg(desk_.run().view() + 1)
                                 .arg(desk_.run().views())
                           : tr("%1 of %2 frames").arg(desk_.run().shot()).arg(desk_.run().to_shoot());
    if (desk_.run().seconds_left() > 0 && state == ShootState::running)
        progress += tr(", %1 s left").arg(desk_.run().seconds_left(), 0, 'f', 0);
    if (state == ShootState::paused) progress += tr(", paused");
    if (state == ShootState::pausing) progress += tr(", pausing after this frame");
    if (state == ShootState::interrupted) progress += tr(", interrupted");
    progress_->setText(progress);
    const bool under_way = state == ShootState::running || state == ShootState::pausing ||
                           state == ShootState::paused || state == ShootState::interrupted;
    stop_->setEnabled(under_way && desk_.run().shot() > 0);
    live_->setEnabled(state == ShootState::done || state == ShootState::paused ||
                      state == ShootState::interrupted);
    stop_->setVisible(!live);
    live_->setVisible(!live);
    std::vector<ListRow> troubles;
    for (const ShootTrouble& trouble : desk_.run().troubles())
        troubles.push_back(
            {.key = QString::number(troubles.size()),
             .words = (desk_.run().views() > 1 ? tr("View %1, frame %2\n%3").arg(trouble.view + 1)
                                               : tr("Frame %1\n%2"))
                          .arg(trouble.station + 1)
                          .arg(trouble.what)});
    const bool any = !troubles.empty();
    troubles_->set_rows(std::move(troubles));
    if (any && troubles_->current() < 0) troubles_->set_current(0);
    again_->setVisible(any);
    show_again();
    const QString why = live ? desk_.why_not() : QString();
    why_->setText(why);
    why_->setVisible(!why.isEmpty());
    emit changed();
}

}  // namespace moorhaze::desktop
