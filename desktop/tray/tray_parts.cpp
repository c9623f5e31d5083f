// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/tray_parts.h"

#include <QButtonGroup>
#include <QDoubleSpinBox>
#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QSignalBlocker>
#include <QSlider>
#include <QStyle>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr int kSliderSteps = 1000;
constexpr int kSide = 20;  // px left and right of everything

QLabel* label_with_role(const QString& text, const char* role, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setProperty("role", role);
    label->setWordWrap(true);
    return label;
}

}  // namespace

QPushButton* make_button(const QString& text, const QString& key, const QString& tip, QWidget* parent) {
    auto* button = new QPushButton(text, parent);
    button->setToolTip(key.isEmpty() ? tip : QStringLiteral("%1 (%2)").arg(tip, key));
    button->setAccessibleName(text);
    if (!key.isEmpty()) {
        auto* layout = new QHBoxLayout(button);
        layout->setContentsMargins(0, 0, 10, 0);
        auto* hint = new QLabel(key, button);
        hint->setAttribute(Qt::WA_TransparentForMouseEvents);
        hint->setObjectName(QStringLiteral("keyHint"));
        hint->setFont(theme_font(11));
        // On heather, as a switch that is on, the key has the words' colour.
        auto colour_hint = [hint](bool on) {
            hint->setStyleSheet(
                QStringLiteral("font-size: %1px; color: %2;")
                    .arg(with_text(11))
                    .arg(on ? Theme::current().on_heather.name() : QStringLiteral("palette(button-text)")));
        };
        colour_hint(false);
        QObject::connect(button, &QPushButton::toggled, hint, colour_hint);
        layout->addStretch();
        layout->addWidget(hint);
    }
    return button;
}

Tray::Tray(const QString& title, QWidget* parent) : QWidget(parent) {
    outer_ = new QVBoxLayout(this);
    outer_->setContentsMargins(0, 16, 0, 16);
    outer_->setSpacing(8);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(kSide, 0, kSide, 0);
    auto* name = new QLabel(title, this);
    name->setProperty("role", "title");
    state_ = label_with_role({}, "quiet", this);
    state_->setWordWrap(false);
    state_->setAlignment(Qt::AlignRight | Qt::AlignBottom);
    head->addWidget(name);
    head->addWidget(state_, 1);
    outer_->addLayout(head);
    room_ = new QScrollArea(this);
    room_->setObjectName(QStringLiteral("tray"));
    room_->setFrameShape(QFrame::NoFrame);
    room_->setWidgetResizable(true);
    room_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inside = new QWidget(room_);
    auto* rows = new QVBoxLayout(inside);
    rows->setContentsMargins(kSide, 0, kSide, 0);
    body_ = new QVBoxLayout;
    body_->setSpacing(6);
    rows->addLayout(body_);
    rows->addStretch(1);
    room_->setWidget(inside);
    outer_->addWidget(room_, 1);
}

void Tray::let_grow(QWidget* list) {
    // The list goes before the empty rest, up to its own maximum.
    body_->setStretchFactor(list, 1000);
    body_->addStretch(1);
    static_cast<QBoxLayout*>(room_->widget()->layout())->setStretchFactor(body_, 1000);
}

void Tray::bring_into_view(QWidget* widget) {
    room_->ensureWidgetVisible(widget);
}

void Tray::scroll_to_top() {
    room_->verticalScrollBar()->setValue(0);
}

void Tray::set_state(const QString& text) {
    state_->setText(text);
}

void Tray::add_section(const QString& text) {
    body_->addSpacing(6);
    body_->addWidget(label_with_role(text, "section", this));
}

void Tray::add_hairline() {
    auto* line = new QFrame(this);
    line->setProperty("role", "hairline");
    body_->addSpacing(5);
    body_->addWidget(line);
    body_->addSpacing(1);
}

QLabel* Tray::add_quiet(const QString& text) {
    auto* label = label_with_role(text, "quiet", this);
    body_->addWidget(label);
    return label;
}

QLabel* Tray::add_line(const QString& text) {
    auto* label = new QLabel(text, this);
    label->setWordWrap(true);
    body_->addWidget(label);
    return label;
}

QPushButton* Tray::add_button(const QString& text, const QString& key, const QString& tip) {
    auto* button = make_button(text, key, tip, this);
    body_->addWidget(button);
    return button;
}

std::pair<QPushButton*, QPushButton*> Tray::add_buttons(const QString& left, const QString& left_key,
                                                        const QString& left_tip, const QString& right,
                                                        const QString& right_key, const QString& right_tip) {
    auto* one = make_button(left, left_key, left_tip, this);
    auto* other = make_button(right, right_key, right_tip, this);
    add_row(one, other);
    return {one, other};
}

void Tray::add_row(QPushButton* left, QPushButton* right) {
    body_->addLayout(side_by_side(left, right));
}

QPushButton* Tray::set_next(QPushButton* button) {
    button->setProperty("role", "next");
    if (auto* hint = button->findChild<QLabel*>(QStringLiteral("keyHint")))
        hint->setStyleSheet(
            QStringLiteral("font-size: 11px; color: %1;").arg(Theme::current().on_heather.name()));
    auto* row = new QHBoxLayout;
    row->setContentsMargins(kSide, 4, kSide, 0);
    row->addWidget(button);
    outer_->addLayout(row);
    return button;
}

void Tray::refresh_when_visible(const std::function<void()>& refresh) {
    refresh_ = refresh;
    refresh_();
    is_stale_ = false;
}

void Tray::want_refresh() {
    is_stale_ = true;
    if (!isVisible() || !refresh_) return;
    is_stale_ = false;
    refresh_();
}

void Tray::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (is_stale_) want_refresh();
}

ValueRow::ValueRow(const Look& look, QWidget* parent)
    : QWidget(parent),
      look_(look),
      field_(new QDoubleSpinBox(this)),
      slider_(new QSlider(Qt::Horizontal, this)) {
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 2, 0, 0);
    outer->setSpacing(2);
    auto* head = new QHBoxLayout;
    auto* name = new QLabel(look.name, this);
    field_->setDecimals(look.decimals);
    field_->setRange(look.least, look.most);
    field_->setSingleStep(look.step);
    if (!look.unit.isEmpty()) field_->setSuffix(QStringLiteral(" ") + look.unit);
    field_->setAlignment(Qt::AlignRight);
    field_->setFixedWidth(with_text(76));
    field_->setKeyboardTracking(false);
    name->setBuddy(field_);
    head->addWidget(name, look.one_line ? 0 : 1);
    if (look.one_line) {
        name->setFixedWidth(with_text(64));
        head->addWidget(slider_, 1);
    }
    head->addWidget(field_);
    outer->addLayout(head);
    slider_->setRange(0, kSliderSteps);
    slider_->setPageStep(kSliderSteps / 10);
    slider_->setSingleStep(kSliderSteps / 50);
    if (!look.one_line) outer->addWidget(slider_);
    if (!look.word.isEmpty()) outer->addWidget(label_with_role(look.word, "quiet", this));
    for (QWidget* widget : {static_cast<QWidget*>(field_), static_cast<QWidget*>(slider_)}) {
        widget->setToolTip(look.tip);
        widget->setAccessibleName(look.name);
    }
    set_value(look.least);
    connect(field_, &QDoubleSpinBox::valueChanged, this, [this](double value) {
        const QSignalBlocker quiet(slider_);
        slider_->setValue(to_slider(value));
        emit value_changed(value);
    });
    connect(slider_, &QSlider::valueChanged, this,
            [this](int place) { field_->setValue(from_slider(place)); });
}

double ValueRow::value() const {
    return field_->value();
}

void ValueRow::set_value(double value) {
    const QSignalBlocker quiet_field(field_), quiet_slider(slider_);
    // The same once more would take away what is being typed.
    const double half_step = 0.5 * std::pow(10.0, -look_.decimals);
    if (std::abs(field_->value() - value) >= half_step) field_->setValue(value);
    slider_->setValue(to_slider(value));
}

void ValueRow::set_most(double most) {
    const QSignalBlocker quiet(field_);
    look_.most = most;
    field_->setMaximum(most);
    set_value(field_->value());
}

int ValueRow::to_slider(double value) const {
    const double part = look_.logarithmic ? std::log(std::max(value, look_.least) / look_.least) /
                                                std::log(look_.most / look_.least)
                                          : (value - look_.least) / (look_.most - look_.least);
    return int(std::lround(std::clamp(part, 0.0, 1.0) * kSliderSteps));
}

double ValueRow::from_slider(int place) const {
    const double part = double(place) / kSliderSteps;
    return look_.logarithmic ? look_.least * std::pow(look_.most / look_.least, part)
                             : look_.least + part * (look_.most - look_.least);
}

QHBoxLayout* side_by_side(QPushButton* left, QPushButton* right) {
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    row->addWidget(left, 1);
    row->addWidget(right, 1);
    return row;
}

QHBoxLayout* make_switch(QButtonGroup* group, const QString& object_name,
                         const std::vector<std::pair<QString, QString>>& names, QWidget* parent) {
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    for (std::size_t i = 0; i < names.size(); ++i) {
        auto* button = make_button(names[i].first, {}, names[i].second, parent);
        button->setCheckable(true);
        button->setProperty("role", "switch");
        button->setObjectName(object_name + QString::number(i));
        group->addButton(button, int(i));
        row->addWidget(button, 1);
    }
    return row;
}

constexpr int kShortList = 112;

RowList* make_short_list(const QString& object_name, const QString& accessible_name, QWidget* parent,
                         QSize picture) {
    return new RowList(object_name, accessible_name,
                       {.picture = picture, .most_rows = 4, .most_height = kShortList}, parent);
}

}  // namespace moorhaze::desktop
