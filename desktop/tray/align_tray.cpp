#include "desktop/tray/align_tray.h"

#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include "desktop/session/facts.h"

namespace moorhaze::desktop {

AlignTray::AlignTray(Session& session, QWidget* parent) : Tray(tr("Align"), parent), session_(session) {
    add_section(tr("All frames"));
    summary_ = add_line({});
    summary_->setObjectName(QStringLiteral("alignSummary"));
    crop_ = add_quiet({});
    align_ = add_button(
        tr("Align"), tr("Ctrl+L"),
        tr("Finds shift, rotation, scale and brightness of each frame against the reference frame"));
    add_hairline();
    add_section(tr("Frame shown, against the reference frame"));
    frame_ = add_line({});
    curtain_ = add_button(tr("Curtain over the reference"), tr("C"),
                          tr("Splits the picture: reference frame at the left, the frame shown at the right. "
                             "Hold V to swap them"));
    troubled_ = new QListWidget(this);
    troubled_->setAccessibleName(tr("Frames that are not aligned"));
    troubled_->setWordWrap(true);
    body()->addWidget(troubled_);
    merge_ = set_next(tr("Merge"), tr("Ctrl+Return"), tr("Aligns if needed and merges the sharp parts"));
    connect(align_, &QPushButton::clicked, this, &AlignTray::align_asked);
    connect(merge_, &QPushButton::clicked, this, &AlignTray::merge_asked);
    connect(curtain_, &QPushButton::clicked, this, &AlignTray::curtain_asked);
    connect(troubled_, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* item) { emit frame_chosen(item->data(Qt::UserRole).toInt()); });
    for (auto signal : {&Session::series_changed, &Session::selection_changed,
                        &Session::current_frame_changed, &Session::geometry_changed})
        connect(&session_, signal, this, &AlignTray::refresh);
    refresh();
}

void AlignTray::refresh() {
    const bool open = session_.has_series();
    for (QWidget* widget : {static_cast<QWidget*>(align_), static_cast<QWidget*>(merge_)})
        widget->setEnabled(open);
    troubled_->clear();
    troubled_->hide();
    const auto& geometry = session_.geometry();
    curtain_->setEnabled(geometry.has_value());
    if (!geometry) {
        set_state({});
        summary_->setText(open ? tr("Not aligned yet.") : tr("Open a series first (Ctrl+O)."));
        crop_->clear();
        frame_->setText(tr("not known yet"));
        return;
    }
    const cv::Size size = session_.series().size();
    set_state(session_.geometry_is_current() ? tr("reference %1").arg(geometry->reference + 1)
                                             : tr("out of date"));
    double low = 1e9, high = 0, farthest = 0;
    for (const FrameGeometry& frame : geometry->frames) {
        if (!frame.registered) continue;
        low = std::min(low, frame.scale());
        high = std::max(high, frame.scale());
        const cv::Point2d shift = frame.shift_px(size);
        farthest = std::max(farthest, std::hypot(shift.x, shift.y));
    }
    summary_->setText(tr("neighbours agree within %1 px\nscale %2 to %3 %\nfarthest shift %4 px")
                          .arg(geometry->residual_px(), 0, 'f', 2)
                          .arg(100 * low, 0, 'f', 2)
                          .arg(100 * high, 0, 'f', 2)
                          .arg(farthest, 0, 'f', 1));
    const PixelRect area = common_area(*geometry, session_.series().chosen(), size) & PixelRect({}, size);
    crop_->setText(tr("common to all frames: %1 x %2 px, %3 % of the frame")
                       .arg(area.width)
                       .arg(area.height)
                       .arg(100.0 * area.area() / size.area(), 0, 'f', 1));
    const FrameGeometry& own = geometry->frames[std::size_t(session_.current_frame())];
    const cv::Point2d shift = own.shift_px(size);
    frame_->setText(
        own.registered
            ? tr("%1\nshift %2, %3 px\nrotation %4°\nscale %5 %\nbrightness factor %6")
                  .arg(frames_text(session_.current_frame(), session_.current_frame()))
                  .arg(shift.x, 0, 'f', 2)
                  .arg(shift.y, 0, 'f', 2)
                  .arg(own.rotation_deg(), 0, 'f', 3)
                  .arg(100 * own.scale(), 0, 'f', 3)
                  .arg(own.gain, 0, 'f', 3)
            : tr("%1: not aligned").arg(frames_text(session_.current_frame(), session_.current_frame())));
    for (int i = 0; i < session_.series().count(); ++i) {
        const FrameGeometry& frame = geometry->frames[std::size_t(i)];
        if (frame.problem.empty() || !session_.series().frames[std::size_t(i)].used) continue;
        auto* item = new QListWidgetItem(
            QStringLiteral("%1\n%2").arg(frames_text(i, i), QString::fromStdString(frame.problem)));
        item->setData(Qt::UserRole, i);
        troubled_->addItem(item);
    }
    troubled_->setVisible(troubled_->count() > 0);
    troubled_->setFixedHeight(std::min(2, troubled_->count()) * 96 + 4);
}

}  // namespace moorhaze::desktop
