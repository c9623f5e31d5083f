#include "desktop/tray/align_tray.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "core/align/common_area.h"
#include "desktop/session/facts.h"

namespace moorhaze::desktop {

AlignTray::AlignTray(Session& session, QWidget* parent) : Tray(tr("Align"), parent), session_(session) {
    add_section(tr("All frames"));
    summary_ = add_line({});
    summary_->setObjectName(QStringLiteral("alignSummary"));
    crop_ = add_quiet({});
    model_ = add_choice(
        tr("What may differ between frames"), QStringLiteral("alignModel"),
        tr("Which movements are measured and taken out. What the frames don't need costs sharpness"),
        {tr("Movements as the series needs"), tr("Shift only"), tr("Shift, rotation, scale"),
         tr("With slight perspective")});
    unplaced_ =
        add_choice(tr("Frames that cannot be aligned"), QStringLiteral("unplaced"),
                   tr("What becomes of frames with too little detail in common with their neighbours"),
                   {tr("Frames not aligned: leave out"), tr("Frames not aligned: between neighbours")});
    level_ = new QCheckBox(tr("Even out brightness and colour"), this);
    level_->setObjectName(QStringLiteral("level"));
    level_->setToolTip(tr("Brings every frame to the reference frame's light; flicker would show as bands"));
    body()->addWidget(level_);
    connect(model_, &QComboBox::activated, this, [this](int index) {
        PlaceSettings placing = session_.placing();
        placing.model = PlaneModel(index);
        session_.set_placing(placing, tr("movements"));
    });
    connect(unplaced_, &QComboBox::activated, this, [this](int index) {
        PlaceSettings placing = session_.placing();
        placing.unplaced = Unplaced(index);
        session_.set_placing(placing, tr("frames not aligned"));
    });
    connect(level_, &QCheckBox::clicked, this, [this](bool on) {
        PlaceSettings placing = session_.placing();
        placing.levelling = on ? Levelling::automatic : Levelling::off;
        session_.set_placing(placing, on ? tr("even out brightness") : tr("brightness as it is"));
    });
    align_ = add_button(
        tr("Align"), tr("Ctrl+L"),
        tr("Finds shift, rotation, scale and brightness of each frame against the reference frame"));
    add_hairline();
    add_section(tr("Along the depth line"));
    drift_ = add_choice(tr("Drift shown along the depth line"), QStringLiteral("drift"),
                        tr("A good series drifts smoothly; rings mark frames that lie off"),
                        {tr("No curve"), tr("Scale"), tr("Shift"), tr("Rotation"), tr("Brightness")});
    drift_->setCurrentIndex(int(Drift::scale));
    drift_range_ = add_quiet({});
    drift_range_->setObjectName(QStringLiteral("driftRange"));
    connect(drift_, &QComboBox::currentIndexChanged, this, [this] {
        show_drift_range();
        emit drift_chosen();
    });
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

QComboBox* AlignTray::add_choice(const QString& name, const QString& object_name, const QString& tip,
                                 const QStringList& choices) {
    auto* choice = new QComboBox(this);
    choice->setObjectName(object_name);
    choice->setAccessibleName(name);
    choice->setToolTip(tip);
    choice->addItems(choices);
    // The tray's width is not the longest choice's.
    choice->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    choice->setMinimumContentsLength(16);
    body()->addWidget(choice);
    return choice;
}

Drift AlignTray::drift() const {
    return Drift(drift_->currentIndex());
}

void AlignTray::show_drift_range() {
    const auto& geometry = session_.geometry();
    drift_range_->setVisible(geometry && drift() != Drift::none);
    if (!geometry) return;
    double low = 1e9, high = -1e9, low_down = 1e9, high_down = -1e9;
    for (const FrameGeometry& frame : geometry->frames) {
        if (!frame.registered) continue;
        const cv::Point2d shift = frame.shift_px(session_.series().size());
        const double value = drift() == Drift::scale      ? 100 * frame.scale()
                             : drift() == Drift::shift    ? shift.x
                             : drift() == Drift::rotation ? frame.rotation_deg()
                                                          : std::log2(frame.gain());
        low = std::min(low, value), high = std::max(high, value);
        low_down = std::min(low_down, shift.y), high_down = std::max(high_down, shift.y);
    }
    auto range = [](const QString& text, double from, double to, int decimals) {
        return text.arg(from, 0, 'f', decimals).arg(to, 0, 'f', decimals);
    };
    switch (drift()) {
        case Drift::scale:
            return drift_range_->setText(range(tr("%1 to %2 %"), low, high, 2));
        case Drift::shift:
            return drift_range_->setText(range(tr("right %1 to %2 px, "), low, high, 1) +
                                         range(tr("dashed down %1 to %2 px"), low_down, high_down, 1));
        case Drift::rotation:
            return drift_range_->setText(range(tr("%1 to %2 degrees"), low, high, 3));
        case Drift::brightness:
            return drift_range_->setText(range(tr("%1 to %2 EV added"), low, high, 2));
        case Drift::none:
            break;
    }
}

void AlignTray::refresh() {
    const PlaceSettings& placing = session_.placing();
    model_->setCurrentIndex(int(placing.model));
    unplaced_->setCurrentIndex(int(placing.unplaced));
    level_->setChecked(placing.levelling != Levelling::off);
    show_drift_range();
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
    summary_->setText(
        geometry->as_it_lies
            ? tr("The frames lie over each other already: nothing is moved.")
            : tr("the same detail lies %1 px apart in neighbours, %2 px at the worst corner\n%3")
                  .arg(geometry->residual_px(), 0, 'f', 2)
                  .arg(geometry->corner_px(), 0, 'f', 2)
                  .arg(QString::fromStdString(geometry->model_reason)));
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
                  .arg(own.gain(), 0, 'f', 3)
            : tr("%1: not aligned").arg(frames_text(session_.current_frame(), session_.current_frame())));
    for (int i = 0; i < session_.series().count(); ++i) {
        const FrameGeometry& frame = geometry->frames[std::size_t(i)];
        const std::string& why = frame.problem.empty() ? frame.warning : frame.problem;
        if (why.empty() || !session_.series().frames[std::size_t(i)].used) continue;
        auto* item =
            new QListWidgetItem(QStringLiteral("%1\n%2").arg(frames_text(i, i), QString::fromStdString(why)));
        item->setData(Qt::UserRole, i);
        troubled_->addItem(item);
    }
    troubled_->setVisible(troubled_->count() > 0);
    troubled_->setFixedHeight(std::min(2, troubled_->count()) * 96 + 4);
}

}  // namespace moorhaze::desktop
