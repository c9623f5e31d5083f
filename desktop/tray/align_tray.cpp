// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/align_tray.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "desktop/session/document/facts.h"
#include "desktop/session/work/text.h"
#include "desktop/view/commands.h"

namespace moorhaze::desktop {
namespace {

constexpr int kTroubleHeight = 96;  // logical px of an entry

}  // namespace

AlignTray::AlignTray(Session& session, Commands& commands, QWidget* parent)
    : Tray(tr("Align"), parent), session_(session), commands_(commands) {
    summary_ = add_line({});
    summary_->setObjectName(QStringLiteral("alignSummary"));
    reason_ = add_quiet({});
    body()->addWidget(command_button("align", tr("Align"), "align"));
    troubled_ =
        new RowList(QStringLiteral("notAligned"), tr("Frames that are not aligned"),
                    {.most_rows = 2, .most_height = 2 * kTroubleHeight + 4, .breaks_lines = true}, this);
    body()->addWidget(troubled_);
    build_compare();
    build_kept();
    add_hairline();
    add_section(tr("Along the depth line"));
    drift_ = add_choice(tr("Drift shown along the depth line"), QStringLiteral("drift"),
                        tr("A good series drifts smoothly; rings mark frames that lie off"),
                        {tr("No curve"), tr("Scale"), tr("Shift"), tr("Rotation"), tr("Brightness")});
    drift_->setCurrentIndex(int(session_.standpoint.drift()));
    drift_range_ = add_quiet({});
    drift_range_->setObjectName(QStringLiteral("driftRange"));
    connect(drift_, &QComboBox::currentIndexChanged, this,
            [this](int index) { session_.standpoint.set_drift(Drift(index)); });
    build_movements();
    build_points();
    set_next(command_button("merge", tr("Merge"), "mergeFromAlign"));
    connect(troubled_, &RowList::pressed_on, this,
            [this](int row) { session_.standpoint.set_place(troubled_->row(row).key.toInt()); });
    refresh_when_visible([this] { refresh(); });
    connect(&session_.document.settling(), &Settling::settled, this, &AlignTray::want_refresh);
    connect(&session_.match_points, &MatchPoints::changed, this, &AlignTray::show_points);
}

QWidget* AlignTray::points_control() const {
    return set_points_;
}

QPushButton* AlignTray::command_button(const char* id, const QString& words, const char* object_name) {
    auto* button = commands_.button(QLatin1String(id), words, this);
    button->setObjectName(QLatin1String(object_name));
    return button;
}

void AlignTray::edit_placing(const QString& what, const std::function<void(Placing&)>& change) {
    Placing placing = session_.document.project().placing;
    change(placing);
    session_.aligning.set_placing(placing, what);
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
    add_row(command_button("curtain", tr("Curtain"), "curtain"),
            command_button("blink", tr("Blink"), "blink"));
    add_row(command_button("twin", tr("Twin"), "twin"), command_button("edges", tr("Edges"), "edges"));
    as_shot_ = new QCheckBox(tr("As shot, before aligning"), this);
    as_shot_->setObjectName(QStringLiteral("asShot"));
    as_shot_->setToolTip(tr("Shows the frames where they lay when they were shot"));
    body()->addWidget(as_shot_);
    frame_ = add_quiet({});
    connect(as_shot_, &QCheckBox::clicked, this,
            [this](bool on) { session_.standpoint.compare(&Comparing::as_shot, on); });
    auto chosen = [this] {
        const int last = session_.document.series().count();
        Partner partner{Partner::Kind(std::max(0, partner_->currentIndex())), {}};
        if (partner.kind == Partner::chosen && last > 0)
            partner.frame = session_.document.id_at(std::clamp(partner_number_->value(), 1, last) - 1);
        session_.standpoint.set_partner(partner);
    };
    connect(partner_, &QComboBox::currentIndexChanged, this, chosen);
    connect(partner_number_, &QSpinBox::valueChanged, this, chosen);
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
    connect(kept_, &QComboBox::activated, this,
            [this](int index) { session_.aligning.set_kept(KeptArea(index)); });
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
    dust_ = new QCheckBox(tr("Mend dust on the sensor"), this);
    dust_->setObjectName(QStringLiteral("dust"));
    dust_->setToolTip(
        tr("Takes the shadows of dust off every frame before it is merged: they stay on the sensor while the "
           "picture moves, and a merge would show them as streaks. Rings show where"));
    body()->addWidget(dust_);
    connect(model_, &QComboBox::activated, this, [this](int index) {
        edit_placing(tr("movements"), [index](Placing& placing) { placing.model = PlaneModel(index); });
    });
    connect(unplaced_, &QComboBox::activated, this, [this](int index) {
        edit_placing(tr("frames not aligned"),
                     [index](Placing& placing) { placing.unplaced = Unplaced(index); });
    });
    connect(level_, &QCheckBox::clicked, this, [this](bool on) {
        edit_placing(on ? tr("even out brightness") : tr("brightness as it is"), [on](Placing& placing) {
            placing.levelling = on ? Levelling::automatic : Levelling::off;
        });
    });
    connect(dust_, &QCheckBox::clicked, this, [this](bool on) {
        edit_placing(on ? tr("mend dust") : tr("dust as it is"),
                     [on](Placing& placing) { placing.mend_dust = on; });
    });
}

void AlignTray::build_points() {
    add_hairline();
    add_section(tr("Matching points"));
    points_state_ = add_quiet({});
    points_state_->setObjectName(QStringLiteral("pointsState"));
    set_points_ = command_button("points", tr("Set points"), "setPoints");
    body()->addWidget(set_points_);
    pairs_ = new RowList(QStringLiteral("pairs"), tr("Matching points set by hand"), {.most_rows = 4}, this);
    body()->addWidget(pairs_);
    drop_pair_ = add_button(tr("Drop the pair"), {}, tr("The points chosen in the list no longer bind"));
    drop_pair_->setObjectName(QStringLiteral("dropPair"));
    connect(drop_pair_, &QPushButton::clicked, this,
            [this] { session_.match_points.drop(pairs_->current()); });
    connect(pairs_, &RowList::current_moved, this, [this](int row) { drop_pair_->setEnabled(row >= 0); });
}

void AlignTray::show_points() {
    const auto& set = session_.document.project().placing.points;
    if (const auto& waiting = session_.match_points.waiting())
        points_state_->setText(
            tr("Now the same detail in frame %1.").arg(session_.document.place(waiting->partner) + 1));
    else if (session_.standpoint.comparing().points)
        points_state_->setText(
            tr("Press on a detail in one of the two frames, move it under the loupe, let go."));
    else
        points_state_->setText(set.empty()
                                   ? tr("None. Two or more pairs bind two frames that were not aligned well.")
                                   : QString());
    points_state_->setVisible(!points_state_->text().isEmpty());
    std::vector<ListRow> pairs;
    for (std::size_t i = 0; i < set.size(); ++i)
        pairs.push_back({.key = QString::number(i),
                         .words = tr("%1:  frame %2 and %3")
                                      .arg(i + 1)
                                      .arg(session_.document.place(set[i].one) + 1)
                                      .arg(session_.document.place(set[i].other) + 1)});
    pairs_->set_rows(std::move(pairs));
    if (pairs_->current() < 0) pairs_->set_current(int(set.size()) - 1);
    drop_pair_->setVisible(!set.empty());
    drop_pair_->setEnabled(pairs_->current() >= 0);
}

void AlignTray::show_kept() {
    const KeptArea choice = session_.document.project().kept;
    kept_->setCurrentIndex(int(choice));
    const cv::Size size = session_.document.series().size();
    lost_->setVisible(session_.products.plane() != nullptr);
    if (!session_.products.plane()) return;
    const PixelRect kept = session_.products.kept_area();
    if (kept.empty())
        return lost_->setText(tr("The frames have nothing in common: leave out those that lie off."));
    const QString pixels = tr("%1 x %2 px").arg(kept.width).arg(kept.height);
    const double share = 100.0 * double((kept & PixelRect({}, size)).area()) / size.area();
    switch (choice) {
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

void AlignTray::show_drift_range() {
    const PlanePtr& plane = session_.products.plane();
    const Drift drift = session_.standpoint.drift();
    drift_range_->setVisible(plane && drift != Drift::none);
    if (!plane) return;
    double low = 1e9, high = -1e9, low_down = 1e9, high_down = -1e9;
    for (const FrameGeometry& frame : plane->geometry.frames) {
        if (!frame.registered) continue;
        const cv::Point2d shift = frame.shift_px(plane->series.size());
        const double value = drift == Drift::scale      ? 100 * frame.scale()
                             : drift == Drift::shift    ? shift.x
                             : drift == Drift::rotation ? frame.rotation_deg()
                                                        : std::log2(frame.gain());
        low = std::min(low, value), high = std::max(high, value);
        low_down = std::min(low_down, shift.y), high_down = std::max(high_down, shift.y);
    }
    auto range = [](const QString& text, double from, double to, int decimals) {
        return text.arg(from, 0, 'f', decimals).arg(to, 0, 'f', decimals);
    };
    switch (drift) {
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
    const Project& project = session_.document.project();
    const Series& series = session_.document.series();
    model_->setCurrentIndex(int(project.placing.model));
    unplaced_->setCurrentIndex(int(project.placing.unplaced));
    level_->setChecked(project.placing.levelling != Levelling::off);
    dust_->setChecked(project.placing.mend_dust);
    {
        const QSignalBlocker quiet_partner(partner_), quiet_number(partner_number_), quiet_drift(drift_);
        const Partner& partner = session_.standpoint.partner();
        partner_->setCurrentIndex(partner.kind);
        partner_number_->setVisible(partner.kind == Partner::chosen);
        partner_number_->setMaximum(std::max(1, series.count()));
        if (partner.kind == Partner::chosen)
            partner_number_->setValue(session_.document.place(partner.frame) + 1);
        drift_->setCurrentIndex(int(session_.standpoint.drift()));
    }
    as_shot_->setChecked(session_.standpoint.comparing().as_shot);
    show_drift_range();
    show_kept();
    show_points();
    const bool open = session_.document.has_series();
    for (QWidget* widget : std::initializer_list<QWidget*>{partner_, partner_number_})
        widget->setEnabled(open);
    std::vector<ListRow> troubled;
    const PlanePtr& plane = session_.products.plane();
    as_shot_->setEnabled(plane != nullptr);
    reason_->setVisible(plane && !plane->geometry.as_it_lies);
    if (!plane) {
        set_state({});
        troubled_->set_rows({});
        summary_->setText(open ? tr("Not aligned yet.") : tr("Open a series first (Ctrl+O)."));
        frame_->clear();
        return;
    }
    const SeriesGeometry& geometry = plane->geometry;
    set_state(session_.products.plane_is_current() ? tr("reference %1").arg(geometry.reference + 1)
                                                   : tr("out of date"));
    QString summary = geometry.as_it_lies ? tr("The frames lie over each other already: nothing is moved.")
                                          : tr("The same detail lies %1 px apart, %2 px at the worst corner.")
                                                .arg(geometry.residual_px(), 0, 'f', 2)
                                                .arg(geometry.corner_px(), 0, 'f', 2);
    if (const auto spots = geometry.dust.size())
        summary += QLatin1Char(' ') + (spots == 1 ? tr("One spot of dust is mended (ring).")
                                                  : tr("%1 spots of dust are mended (rings).").arg(spots));
    summary_->setText(summary);
    QString reason = text(geometry.model_reason);
    if (!reason.isEmpty()) reason[0] = reason[0].toUpper();
    reason_->setText(reason);
    const int place = session_.standpoint.place();
    const FrameGeometry& own = geometry.frames[std::size_t(place)];
    const cv::Point2d shift = own.shift_px(series.size());
    frame_->setText(own.registered ? tr("%1: shift %2, %3 px, rotation %4°, scale %5 %, brightness %6")
                                         .arg(frames_text(place, place))
                                         .arg(shift.x, 0, 'f', 2)
                                         .arg(shift.y, 0, 'f', 2)
                                         .arg(own.rotation_deg(), 0, 'f', 3)
                                         .arg(100 * own.scale(), 0, 'f', 3)
                                         .arg(own.gain(), 0, 'f', 3)
                                   : tr("%1: not aligned").arg(frames_text(place, place)));
    for (int i = 0; i < series.count(); ++i) {
        const FrameGeometry& frame = geometry.frames[std::size_t(i)];
        const std::string& why = frame.problem.empty() ? frame.warning : frame.problem;
        if (why.empty() || !series.frames[std::size_t(i)].used) continue;
        troubled.push_back(
            {.key = QString::number(i), .words = QStringLiteral("%1\n%2").arg(frames_text(i, i), text(why))});
    }
    troubled_->set_rows(std::move(troubled));
}

}  // namespace moorhaze::desktop
