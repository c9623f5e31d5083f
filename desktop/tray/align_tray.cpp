#include "desktop/tray/align_tray.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "desktop/session/facts.h"

namespace moorhaze::desktop {
namespace {

constexpr int kRowHeight = 36, kTroubleHeight = 96;  // logical px of an entry

}  // namespace

AlignTray::AlignTray(Session& session, MatchPoints& points, QWidget* parent)
    : Tray(tr("Align"), parent), session_(session), points_(points) {
    summary_ = add_line({});
    summary_->setObjectName(QStringLiteral("alignSummary"));
    reason_ = add_quiet({});
    align_ = add_button(
        tr("Align"), tr("Ctrl+L"),
        tr("Finds shift, rotation, scale and brightness of each frame against the reference frame"));
    troubled_ = new QListWidget(this);
    troubled_->setAccessibleName(tr("Frames that are not aligned"));
    troubled_->setWordWrap(true);
    body()->addWidget(troubled_);
    build_compare();
    build_kept();
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
    build_movements();
    build_points();
    merge_ = set_next(tr("Merge"), tr("Ctrl+Return"), tr("Aligns if needed and merges the sharp parts"));
    connect(align_, &QPushButton::clicked, this, &AlignTray::align_asked);
    connect(merge_, &QPushButton::clicked, this, &AlignTray::merge_asked);
    connect(troubled_, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* item) { emit frame_chosen(item->data(Qt::UserRole).toInt()); });
    for (auto signal : {&Session::series_changed, &Session::selection_changed, &Session::settings_changed,
                        &Session::current_frame_changed, &Session::geometry_changed})
        connect(&session_, signal, this, &AlignTray::refresh);
    connect(&points_, &MatchPoints::changed, this, &AlignTray::show_points);
    refresh();
}

QPushButton* AlignTray::checkable(QPushButton* button, const char* name) {
    button->setCheckable(true);
    button->setObjectName(QLatin1String(name));
    return button;
}

void AlignTray::build_compare() {
    add_hairline();
    add_section(tr("Compare the frame shown"));
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    partner_ = add_choice(tr("Compared with"), QStringLiteral("partner"),
                          tr("The other frame of curtain, blink, twin and edges"),
                          {tr("with the reference"), tr("with the next nearer"), tr("with the next farther"),
                           tr("with frame")});
    body()->removeWidget(partner_);
    partner_number_ = new QSpinBox(this);
    partner_number_->setObjectName(QStringLiteral("partnerNumber"));
    partner_number_->setAccessibleName(tr("Number of the frame compared with"));
    partner_number_->setToolTip(tr("Number of the frame compared with"));
    partner_number_->setMinimum(1);
    row->addWidget(partner_, 1);
    row->addWidget(partner_number_);
    body()->addLayout(row);
    const auto [curtain, blink] = add_buttons(
        tr("Curtain"), tr("C"), tr("The other frame left of a line that can be dragged"), tr("Blink"),
        tr("Y"),
        tr("Shows both in turn, twice a second; what jumps does not lie on itself. Hold V to swap by hand"));
    curtain_ = checkable(curtain, "curtain");
    blink_ = checkable(blink, "blink");
    const auto [twin, edges] = add_buttons(
        tr("Twin"), tr("T"), tr("Both side by side, at the same place and zoom"), tr("Edges"), tr("G"),
        tr("Tints the edges: violet the frame shown, green the other, white where they coincide"));
    twin_ = checkable(twin, "twin");
    edges_ = checkable(edges, "edges");
    as_shot_ = new QCheckBox(tr("As shot, before aligning"), this);
    as_shot_->setObjectName(QStringLiteral("asShot"));
    as_shot_->setToolTip(tr("Shows the frames where they lay when they were shot"));
    body()->addWidget(as_shot_);
    frame_ = add_quiet({});
    connect(curtain_, &QPushButton::clicked, this, &AlignTray::curtain_asked);
    connect(blink_, &QPushButton::clicked, this, &AlignTray::blink_asked);
    connect(twin_, &QPushButton::clicked, this, &AlignTray::twin_asked);
    connect(edges_, &QPushButton::clicked, this, &AlignTray::edges_asked);
    connect(as_shot_, &QCheckBox::clicked, this, &AlignTray::as_shot_asked);
    connect(partner_, &QComboBox::currentIndexChanged, this, [this](int kind) {
        partner_number_->setVisible(kind == numbered);
        emit partner_changed();
    });
    connect(partner_number_, &QSpinBox::valueChanged, this, &AlignTray::partner_changed);
    partner_number_->hide();
}

void AlignTray::build_kept() {
    add_hairline();
    add_section(tr("What is kept"));
    kept_ =
        add_choice(tr("Area of the result"), QStringLiteral("kept"),
                   tr("How much of the reference frame's plane the result shows; the rest lies under a veil"),
                   {tr("Common to all frames"), tr("As the reference frame"), tr("Everything")});
    lost_ = add_quiet({});
    lost_->setObjectName(QStringLiteral("lost"));
    connect(kept_, &QComboBox::activated, this, [this](int index) { session_.set_kept(KeptArea(index)); });
}

void AlignTray::build_movements() {
    add_hairline();
    add_section(tr("What is taken out"));
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
}

void AlignTray::build_points() {
    add_hairline();
    add_section(tr("Matching points"));
    points_state_ = add_quiet({});
    points_state_->setObjectName(QStringLiteral("pointsState"));
    set_points_ = checkable(
        add_button(tr("Set points"), tr("P"),
                   tr("For a stubborn pair: show the same detail in both frames, at two or more places")),
        "setPoints");
    pairs_ = new QListWidget(this);
    pairs_->setObjectName(QStringLiteral("pairs"));
    pairs_->setAccessibleName(tr("Matching points set by hand"));
    body()->addWidget(pairs_);
    drop_pair_ = add_button(tr("Drop the pair"), {}, tr("The points chosen in the list no longer bind"));
    drop_pair_->setObjectName(QStringLiteral("dropPair"));
    connect(set_points_, &QPushButton::clicked, this, &AlignTray::points_asked);
    connect(drop_pair_, &QPushButton::clicked, this, [this] { points_.drop(pairs_->currentRow()); });
    connect(pairs_, &QListWidget::currentRowChanged, this,
            [this](int row) { drop_pair_->setEnabled(row >= 0); });
}

QWidget* AlignTray::points_control() const {
    return set_points_;
}

int AlignTray::partner() const {
    const int shown = session_.current_frame(), last = session_.series().count() - 1;
    const auto& geometry = session_.geometry();
    switch (partner_->currentIndex()) {
        case nearer:
            return std::max(0, shown - 1);
        case farther:
            return std::min(last, shown + 1);
        case numbered:
            return std::clamp(partner_number_->value() - 1, 0, std::max(0, last));
        default:
            return geometry ? geometry->reference : session_.reference();
    }
}

void AlignTray::show_comparing(const Comparing& now) {
    curtain_->setChecked(now.curtain);
    blink_->setChecked(now.blink);
    twin_->setChecked(now.twin);
    edges_->setChecked(now.edges);
    as_shot_->setChecked(now.as_shot);
    set_points_->setChecked(now.points);
    show_points();
}

void AlignTray::show_points() {
    const auto& set = session_.placing().points;
    if (const auto& waiting = points_.waiting())
        points_state_->setText(tr("Now the same detail in frame %1.").arg(waiting->partner + 1));
    else if (set_points_->isChecked())
        points_state_->setText(
            tr("Press on a detail in one of the two frames, move it under the loupe, let go."));
    else
        points_state_->setText(set.empty()
                                   ? tr("None. Two or more pairs bind two frames that were not aligned well.")
                                   : QString());
    points_state_->setVisible(!points_state_->text().isEmpty());
    const int row = pairs_->currentRow();
    pairs_->clear();
    for (std::size_t i = 0; i < set.size(); ++i)
        pairs_->addItem(tr("%1:  frame %2 and %3").arg(i + 1).arg(set[i].one + 1).arg(set[i].other + 1));
    pairs_->setCurrentRow(std::min(row < 0 ? int(set.size()) - 1 : row, int(set.size()) - 1));
    pairs_->setVisible(!set.empty());
    pairs_->setFixedHeight(std::min(4, pairs_->count()) * kRowHeight + 6);
    drop_pair_->setVisible(!set.empty());
    drop_pair_->setEnabled(pairs_->currentRow() >= 0);
}

void AlignTray::show_kept() {
    kept_->setCurrentIndex(int(session_.kept()));
    const cv::Size size = session_.series().size();
    lost_->setVisible(session_.geometry().has_value());
    if (!session_.geometry()) return;
    const PixelRect kept = session_.kept_area();
    if (kept.empty())
        return lost_->setText(tr("The frames have nothing in common: leave out those that lie off."));
    const QString pixels = tr("%1 x %2 px").arg(kept.width).arg(kept.height);
    const double share = 100.0 * double((kept & PixelRect({}, size)).area()) / size.area();
    switch (session_.kept()) {
        case KeptArea::common:
            return lost_->setText(
                tr("%1, %2 % of the frame is lost").arg(pixels).arg(100 - share, 0, 'f', 1));
        case KeptArea::reference:
            return lost_->setText(tr("%1, nothing is lost; the rim comes from fewer frames").arg(pixels));
        case KeptArea::everything:
            return lost_->setText(tr("%1; places that no frame covers are transparent").arg(pixels));
    }
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
    {
        const QSignalBlocker quiet(partner_number_);
        partner_number_->setMaximum(std::max(1, session_.series().count()));
    }
    show_drift_range();
    show_kept();
    show_points();
    const bool open = session_.has_series();
    for (QWidget* widget : std::initializer_list<QWidget*>{align_, merge_, curtain_, blink_, twin_, edges_,
                                                           partner_, partner_number_, set_points_})
        widget->setEnabled(open);
    troubled_->clear();
    troubled_->hide();
    const auto& geometry = session_.geometry();
    as_shot_->setEnabled(geometry.has_value());
    reason_->setVisible(geometry && !geometry->as_it_lies);
    if (!geometry) {
        set_state({});
        summary_->setText(open ? tr("Not aligned yet.") : tr("Open a series first (Ctrl+O)."));
        frame_->clear();
        return;
    }
    const cv::Size size = session_.series().size();
    set_state(session_.geometry_is_current() ? tr("reference %1").arg(geometry->reference + 1)
                                             : tr("out of date"));
    summary_->setText(geometry->as_it_lies
                          ? tr("The frames lie over each other already: nothing is moved.")
                          : tr("The same detail lies %1 px apart, %2 px at the worst corner.")
                                .arg(geometry->residual_px(), 0, 'f', 2)
                                .arg(geometry->corner_px(), 0, 'f', 2));
    QString reason = QString::fromStdString(geometry->model_reason);
    if (!reason.isEmpty()) reason[0] = reason[0].toUpper();
    reason_->setText(reason);
    const FrameGeometry& own = geometry->frames[std::size_t(session_.current_frame())];
    const cv::Point2d shift = own.shift_px(size);
    frame_->setText(
        own.registered
            ? tr("%1: shift %2, %3 px, rotation %4°, scale %5 %, brightness %6")
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
    troubled_->setFixedHeight(std::min(2, troubled_->count()) * kTroubleHeight + 4);
}

}  // namespace moorhaze::desktop
