// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/setup_page.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSignalBlocker>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

#include "desktop/session/document/facts.h"
#include "desktop/tray/tray_parts.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

struct SensorSize {
    const char* name;
    double width_mm, height_mm;
};
/// Sizes that several makers share (common practice).
constexpr SensorSize kSensors[] = {{"43.8 x 32.9 mm", 43.8, 32.9}, {"36 x 24 mm", 36, 24},
                                   {"23.5 x 15.6 mm", 23.5, 15.6}, {"22.3 x 14.9 mm", 22.3, 14.9},
                                   {"17.3 x 13 mm", 17.3, 13},     {"13.2 x 8.8 mm", 13.2, 8.8}};

QString time_text(double seconds) {
    if (seconds < 90) return QObject::tr("%1 s").arg(seconds, 0, 'f', 0);
    if (seconds < 5400) return QObject::tr("%1 min").arg(seconds / 60, 0, 'f', seconds < 600 ? 1 : 0);
    return QObject::tr("%1 h %2 min").arg(int(seconds / 3600)).arg(int(seconds / 60) % 60);
}

}  // namespace

SetupPage::SetupPage(ShootDesk& desk, SavedSetups& setups, QWidget* parent)
    : QWidget(parent), desk_(desk), setups_(setups), page_(new QVBoxLayout(this)), rows_(page_) {
    page_->setContentsMargins(0, 0, 0, 0);
    page_->setSpacing(2);
    setObjectName(QStringLiteral("setupPage"));

    outcome_ = add_text("title");
    outcome_->setObjectName(QStringLiteral("outcome"));
    more_ = add_text("quiet");
    more_->setObjectName(QStringLiteral("planFacts"));
    verdict_ = add_text("quiet");
    verdict_->setObjectName(QStringLiteral("verdict"));

    add_section(tr("Subject"));
    add_number("subject_depth_mm",
               {tr("Depth"), tr("mm"), tr("From the nearest to the farthest point that shall be sharp")},
               &ShootSetup::subject_depth_mm);
    add_number("front_margin_mm",
               {tr("Spare in front"), tr("mm"),
                tr("Begin this much before the nearest point: spare frames are cheap")},
               &ShootSetup::front_margin_mm);
    add_number("behind_margin_mm",
               {tr("Spare behind"), tr("mm"), tr("End this much behind the farthest point")},
               &ShootSetup::behind_margin_mm);
    add_number("magnification",
               {tr("Magnification"), QStringLiteral("x"),
                tr("Size on the sensor by size of the thing; 1 is life size"), 3, 0.05},
               &ShootSetup::magnification);
    auto* width =
        add_row("field_width", {tr("or field width"), tr("mm"),
                                tr("What fills the picture from left to right, at the sharp plane")});
    numbers_.push_back({width, [](const ShootSetup& s) {
                            return s.magnification > 0 ? s.sensor_width_mm / s.magnification : 0;
                        }});
    connect(width, &QDoubleSpinBox::valueChanged, this, [this](double mm) {
        if (mm > 0)
            change("magnification", [mm](ShootSetup& s) { s.magnification = s.sensor_width_mm / mm; });
    });

    add_section(tr("Camera and lens"));
    add_number("f_number", {tr("f-number"), {}, tr("As marked on the lens"), 1, 1}, &ShootSetup::f_number);
    add_number("focal_length_mm", {tr("Focal length"), tr("mm"), tr("Of the lens, as marked"), 0, 5},
               &ShootSetup::focal_length_mm);
    sensor_ = new QComboBox(this);
    sensor_->setObjectName(QStringLiteral("sensor"));
    for (const SensorSize& size : kSensors)
        sensor_->addItem(QString::fromLatin1(size.name).replace('x', QChar(0xD7)));
    sensor_->addItem(tr("other"));
    sensor_->setToolTip(tr("Size of the sensor"));
    add_widget_row(tr("Sensor"), sensor_);
    sensor_width_ = add_number("sensor_width_mm", {tr("Sensor width"), tr("mm"), tr("Of the sensor")},
                               &ShootSetup::sensor_width_mm);
    sensor_height_ = add_number("sensor_height_mm", {tr("Sensor height"), tr("mm"), tr("Of the sensor")},
                                &ShootSetup::sensor_height_mm);
    add_section(tr("Steps"));
    stepping_ = new QComboBox(this);
    stepping_->setObjectName(QStringLiteral("stepping"));
    stepping_->addItems({tr("a rail"), tr("refocusing")});
    stepping_->setToolTip(tr("A rail moves the whole camera; refocusing changes the picture's scale"));
    add_widget_row(tr("Stepped by"), stepping_);
    add_number(
        "overlap",
        {tr("Overlap"), tr("%"), tr("Share of a frame's sharp zone that the next frame has too"), 0, 5, 100},
        &ShootSetup::overlap);
    auto* frames = add_count(
        "frames", {tr("Frames"), {}, tr("As many as the overlap needs, or a number of your own"), 0, 1},
        &ShootSetup::frames);
    frames->setSpecialValueText(tr("as needed"));
    frames->setRange(0, 1e6);

    add_section(tr("What counts as sharp"), true);
    sharp_by_ = new QComboBox(this);
    sharp_by_->setObjectName(QStringLiteral("sharpBy"));
    sharp_by_->addItems({tr("by pixels"), tr("by the sensor's size"), tr("typed in mm")});
    sharp_by_->setToolTip(tr("How wide a point may be drawn and still count as sharp"));
    add_widget_row(tr("Measured"), sharp_by_);
    sharp_px_ = add_number("circle_px", {tr("Blur accepted"), tr("px"), tr("2 px: judged at 100 %"), 1, 0.5},
                           &ShootSetup::circle_px);
    sharp_mm_ = add_number("circle_mm", {tr("Blur accepted"), tr("mm"), tr("On the sensor"), 4, 0.001},
                           &ShootSetup::circle_mm);

    add_count("picture_width_px",
              {tr("Picture width"), tr("px"),
               tr("Of a frame, in pixels; with the sensor it gives the pixel pitch"), 0, 100},
              &ShootSetup::picture_width_px);
    add_number("pupil_factor",
               {tr("Pupil factor"),
                {},
                tr("Diameter of the lens' exit pupil by that of its entrance pupil; 1 if unknown"),
                2,
                0.1},
               &ShootSetup::pupil_factor);

    add_section(tr("Light, time and card"), true);
    flash_ = new QCheckBox(tr("Flash"), this);
    flash_->setObjectName(QStringLiteral("flash"));
    flash_->setToolTip(tr("The light is a flash, which has to recharge"));
    rows_->addWidget(flash_);
    auto* shutter = add_row(
        "shutter_s",
        {tr("Shutter 1/"), tr("s"), tr("Time of exposure, as a part of a second: 125 is 1/125 s"), 1, 25});
    numbers_.push_back({shutter, [](const ShootSetup& s) { return s.shutter_s > 0 ? 1 / s.shutter_s : 0; }});
    connect(shutter, &QDoubleSpinBox::valueChanged, this, [this](double part) {
        change("shutter_s", [part](ShootSetup& s) { s.shutter_s = part > 0 ? 1 / part : 0; });
    });
    add_number("flash_recharge_s",
               {tr("Flash pause"), tr("s"), tr("Between two exposures; most flashes need 3 to 5 s"), 1, 0.5},
               &ShootSetup::flash_recharge_s);
    auto* sync =
        add_row("flash_sync_s", {tr("Sync speed 1/"), tr("s"),
                                 tr("The shortest time with which the flash lights the whole frame"), 0, 25});
    numbers_.push_back(
        {sync, [](const ShootSetup& s) { return s.flash_sync_s > 0 ? 1 / s.flash_sync_s : 0; }});
    connect(sync, &QDoubleSpinBox::valueChanged, this, [this](double part) {
        change("flash_sync_s", [part](ShootSetup& s) { s.flash_sync_s = part > 0 ? 1 / part : 0; });
    });
    add_number("settle_s", {tr("Settle"), tr("s"), tr("From the end of a move to the exposure"), 1, 0.5},
               &ShootSetup::settle_s);
    add_count("views", {tr("Views"), {}, tr("Of a turntable, evenly over a full turn; 1 without one"), 0, 1},
              &ShootSetup::views);
    add_count("card_frames", {tr("Card holds"), {}, tr("Frames that fit on the card; 0 if unknown"), 0, 100},
              &ShootSetup::card_frames);

    add_section(tr("Other f-numbers for this depth"), true);
    stops_ = add_text("quiet");
    stops_->setObjectName(QStringLiteral("stops"));
    stops_->setTextFormat(Qt::RichText);
    stops_->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    stops_->setToolTip(tr("Choose one to plan with it"));
    connect(stops_, &QLabel::linkActivated, this, [this](const QString& link) {
        change("f_number", [&](ShootSetup& s) { s.f_number = link.toDouble(); });
    });

    add_section(tr("Saved setups"), true);
    saved_ = new QComboBox(this);
    saved_->setObjectName(QStringLiteral("savedSetups"));
    saved_->setEditable(true);
    saved_->setInsertPolicy(QComboBox::NoInsert);
    saved_->lineEdit()->setPlaceholderText(tr("name"));
    saved_->setToolTip(tr("Choose a saved setup, or type a name for this one"));
    saved_->setAccessibleName(tr("Saved setups"));
    rows_->addWidget(saved_);
    auto* buttons = new QHBoxLayout;
    auto* save = make_button(tr("Save"), {}, tr("Saves all numbers under this name"), this);
    save->setObjectName(QStringLiteral("saveSetup"));
    auto* remove = make_button(tr("Remove"), {}, tr("Removes the saved setup of this name"), this);
    buttons->addWidget(save, 1);
    buttons->addWidget(remove, 1);
    rows_->addLayout(buttons);
    connect(save, &QPushButton::clicked, this, [this] { setups_.save_as(saved_->currentText()); });
    connect(remove, &QPushButton::clicked, this, [this] { setups_.remove(saved_->currentText()); });
    connect(saved_, &QComboBox::textActivated, this, [this](const QString& name) { setups_.load(name); });

    connect(sensor_, &QComboBox::activated, this, [this](int index) {
        if (index < int(std::size(kSensors)))
            change("sensor", [index](ShootSetup& s) {
                s.sensor_width_mm = kSensors[index].width_mm;
                s.sensor_height_mm = kSensors[index].height_mm;
            });
        else
            for (auto* field : {sensor_width_, sensor_height_}) field->parentWidget()->show();
    });
    connect(sharp_by_, &QComboBox::activated, this, [this](int index) {
        change("sharp_by", [index](ShootSetup& s) { s.sharp_by = SharpBy(index); });
    });
    connect(stepping_, &QComboBox::activated, this, [this](int index) {
        change("stepping", [index](ShootSetup& s) { s.stepping = Stepping(index); });
    });
    connect(flash_, &QCheckBox::toggled, this,
            [this](bool on) { change("flash", [on](ShootSetup& s) { s.flash = on; }); });
    connect(&desk_, &ShootDesk::setup_changed, this, &SetupPage::refresh);
    connect(&setups_, &SavedSetups::changed, this, &SetupPage::refresh_saved);
    refresh_saved();
    refresh();
}

void SetupPage::add_section(const QString& name, bool folded) {
    auto* heading = new QToolButton(this);
    heading->setProperty("role", "section");
    heading->setText(name);
    heading->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    heading->setCheckable(true);
    heading->setChecked(!folded);
    heading->setArrowType(folded ? Qt::RightArrow : Qt::DownArrow);
    heading->setToolTip(tr("Folds these fields away or back"));
    page_->addSpacing(2);
    page_->addWidget(heading);
    auto* room = new QWidget(this);
    room->setVisible(!folded);
    rows_ = new QVBoxLayout(room);
    rows_->setContentsMargins(0, 0, 0, 0);
    rows_->setSpacing(2);
    page_->addWidget(room);
    connect(heading, &QToolButton::toggled, room, [heading, room](bool open) {
        heading->setArrowType(open ? Qt::DownArrow : Qt::RightArrow);
        room->setVisible(open);
    });
    section_ = heading;
}

QLabel* SetupPage::add_text(const char* role) {
    auto* label = new QLabel(this);
    label->setProperty("role", role);
    label->setWordWrap(true);
    rows_->addWidget(label);
    return label;
}

void SetupPage::add_widget_row(const QString& name, QWidget* widget) {
    auto* row = new QHBoxLayout;
    auto* label = new QLabel(name, this);
    label->setBuddy(widget);
    widget->setAccessibleName(name);
    widget->setFixedWidth(with_text(132));
    row->addWidget(label, 1);
    row->addWidget(widget);
    rows_->addLayout(row);
}

QDoubleSpinBox* SetupPage::add_row(const char* name, const NumberLook& look) {
    auto* room = new QWidget(this);
    auto* outer = new QVBoxLayout(room);
    outer->setContentsMargins(0, 0, 0, 0);
    outer->setSpacing(1);
    auto* row = new QHBoxLayout;
    auto* label = new QLabel(look.name, room);
    auto* field = new QDoubleSpinBox(room);
    field->setObjectName(QString::fromLatin1(name));
    // Wider than what can be: what cannot is explained, not silently changed.
    field->setRange(-1e6, 1e6);
    field->setDecimals(look.decimals);
    field->setSingleStep(look.step);
    if (!look.unit.isEmpty()) field->setSuffix(QStringLiteral(" ") + look.unit);
    field->setAlignment(Qt::AlignRight);
    field->setFixedWidth(with_text(96));
    field->setToolTip(look.tip);
    field->setAccessibleName(look.name);
    label->setBuddy(field);
    label->setToolTip(look.tip);
    row->addWidget(label, 1);
    row->addWidget(field);
    outer->addLayout(row);
    auto* problem = new QLabel(room);
    problem->setObjectName(QStringLiteral("problem-%1").arg(QLatin1String(name)));
    problem->setWordWrap(true);
    problem->hide();
    outer->addWidget(problem);
    problems_[name] = {problem, section_};
    rows_->addWidget(room);
    return field;
}

QDoubleSpinBox* SetupPage::add_number(const char* name, const NumberLook& look, double ShootSetup::*member) {
    auto* field = add_row(name, look);
    const double factor = look.factor;
    numbers_.push_back({field, [member, factor](const ShootSetup& s) { return s.*member * factor; }});
    connect(field, &QDoubleSpinBox::valueChanged, this, [this, name, member, factor](double value) {
        change(name, [=](ShootSetup& s) { s.*member = value / factor; });
    });
    return field;
}

QDoubleSpinBox* SetupPage::add_count(const char* name, const NumberLook& look, int ShootSetup::*member) {
    auto* field = add_row(name, look);
    numbers_.push_back({field, [member](const ShootSetup& s) { return double(s.*member); }});
    connect(field, &QDoubleSpinBox::valueChanged, this, [this, name, member](double value) {
        change(name, [=](ShootSetup& s) { s.*member = int(std::lround(value)); });
    });
    return field;
}

void SetupPage::change(const char* field, const std::function<void(ShootSetup&)>& edit) {
    ShootSetup setup = desk_.setup();
    edit(setup);
    desk_.set_setup(setup, QString::fromLatin1(field).replace('_', ' '));
}

void SetupPage::refresh() {
    const ShootSetup& setup = desk_.setup();
    const ShootPlan& plan = desk_.plan();
    for (const Shown& number : numbers_) {
        if (number.field->hasFocus()) {
            // What is being typed is left as it is unless it means something else.
            if (std::abs(number.field->value() - number.value(setup)) <
                1e-3 * (1 + std::abs(number.field->value())))
                continue;
        }
        const QSignalBlocker quiet(number.field);
        number.field->setValue(number.value(setup));
    }
    int sensor = int(std::size(kSensors));
    for (int i = 0; i < int(std::size(kSensors)); ++i)
        if (std::abs(setup.sensor_width_mm - kSensors[i].width_mm) < 0.05 &&
            std::abs(setup.sensor_height_mm - kSensors[i].height_mm) < 0.2)
            sensor = i;
    sensor_->setCurrentIndex(sensor);
    for (auto* field : {sensor_width_, sensor_height_})
        field->parentWidget()->setVisible(sensor == int(std::size(kSensors)));
    sharp_by_->setCurrentIndex(int(setup.sharp_by));
    sharp_px_->parentWidget()->setVisible(setup.sharp_by == SharpBy::pixels);
    sharp_mm_->parentWidget()->setVisible(setup.sharp_by == SharpBy::typed);
    stepping_->setCurrentIndex(int(setup.stepping));
    {
        const QSignalBlocker quiet(flash_);
        flash_->setChecked(setup.flash);
    }

    for (auto& [field, problem] : problems_) problem.label->hide();
    for (const SetupProblem& problem : plan.problems)
        if (const auto found = problems_.find(problem.field); found != problems_.end()) {
            const QColor colour = problem.blocks ? Theme::current().rowan : Theme::current().gorse;
            found->second.label->setStyleSheet(
                QStringLiteral("font-size: 11px; color: %1;").arg(colour.name()));
            found->second.label->setText(QStringLiteral("%1 %2").arg(
                problem.blocks ? QChar(0x25C6) : QChar(0x25B3), QString::fromStdString(problem.what)));
            found->second.label->show();
            if (problem.blocks) found->second.section->setChecked(true);
        }
    if (!plan.is_possible()) {
        outcome_->setText(tr("This cannot be shot yet"));
        more_->setText(tr("See the field that is marked below."));
        verdict_->clear();
        stops_->clear();
        return;
    }
    const StepPlan& steps = plan.steps;
    const int count = int(steps.frames.size());
    outcome_->setText(
        count == 1 ? tr("1 frame, %1").arg(time_text(plan.seconds))
        : setup.views > 1
            ? tr("%1 views of %2 frames, %3").arg(setup.views).arg(count).arg(time_text(plan.seconds))
            : tr("%1 frames, %2").arg(count).arg(time_text(plan.seconds)));
    QStringList facts;
    if (count > 1)
        facts << (setup.stepping == Stepping::rail ? tr("Step %1 mm, overlap %2 %.")
                                                         .arg(steps.first_step_mm, 0, 'f', 3)
                                                         .arg(100 * steps.overlap, 0, 'f', 0)
                                                   : tr("Steps %1 to %2 mm, overlap %3 %.")
                                                         .arg(steps.first_step_mm, 0, 'f', 3)
                                                         .arg(steps.last_step_mm, 0, 'f', 3)
                                                         .arg(100 * steps.overlap, 0, 'f', 0));
    facts << tr("Sharp zone %1 mm, %2 mm from the lens.")
                 .arg(plan.zone.total_mm(), 0, 'g', 3)
                 .arg(plan.working_mm, 0, 'f', 0);
    if (count > 1)
        facts << tr("Scale drifts %1 %: leave %2 mm at each side.")
                     .arg(100 * steps.scale_change, 0, 'f', 1)
                     .arg(plan.room_mm, 0, 'f', 1);
    if (setup.subject_depth_mm > 0)
        facts << tr("One frame alone: best f/%1, %2 px of blur.")
                     .arg(plan.single.f_number, 0, 'f', 0)
                     .arg(plan.single.blur_mm / plan.pixel_pitch_mm, 0, 'f', 0);
    more_->setText(facts.join('\n'));
    verdict_->setText(QString::fromStdString(diffraction_verdict(setup, plan)));
    QString table = QStringLiteral("<table width='100%' cellspacing='0'>");
    for (const TradeOff& stop : trade_offs(setup))
        table += QStringLiteral(
                     "<tr><td><a style='color:%5' href='%1'>f/%1</a></td><td align='right'>%2</td>"
                     "<td align='right'>%3</td><td align='right'>%4</td></tr>")
                     .arg(stop.f_number)
                     .arg(stop.frames == 1 ? tr("1 frame") : tr("%1 frames").arg(stop.frames),
                          time_text(stop.seconds), tr("%1 px blur").arg(stop.blur_px, 0, 'f', 1),
                          Theme::current().heather_light.name());
    stops_->setText(table + QStringLiteral("</table>"));
}

void SetupPage::refresh_saved() {
    const QString typed = saved_->currentText();
    const QSignalBlocker quiet(saved_);
    saved_->clear();
    saved_->addItems(setups_.names());
    saved_->setEditText(typed);
}

}  // namespace moorhaze::desktop
