// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/views_page.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QDesktopServices>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QUrl>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

constexpr int kMostViews = 999;

}  // namespace

ViewsPage::ViewsPage(Session& session, Commands& commands, QWidget* parent)
    : FinishRows(session, parent), shown_(new QButtonGroup(this)) {
    add_words("quiet", tr("One crop for all views: drag the frame's edges in the picture, or all of it."));
    rows()->addLayout(
        make_switch(shown_, QStringLiteral("viewsShown"),
                    {{tr("Darkest"),
                      tr("All views over each other, the darkest of each place: where the object is in any")},
                     {tr("Lightest"), tr("The lightest of each place: where the object is in every view")},
                     {tr("Mean"), tr("The mean of all views")},
                     {tr("One"), tr("A single view, chosen with the slider")}},
                    this));
    view_ = new ValueRow(
        {tr("View"), {}, tr("Which view is seen, in the order of the turn"), {}, 1, kMostViews, 1, 0, false},
        this);
    view_->setObjectName(QStringLiteral("viewSeen"));
    rows()->addWidget(view_);
    rows()->addWidget(commands.button(QStringLiteral("crop-views"), tr("Around the object"), this));
    margin_ = new ValueRow({tr("Margin"),
                            QStringLiteral("%"),
                            tr("Room around the object, of its longer side; for the crop around it"),
                            {},
                            0,
                            50,
                            1,
                            0,
                            false},
                           this);
    margin_->setObjectName(QStringLiteral("viewsMargin"));
    rows()->addWidget(margin_);
    level_ = add_tick("viewsLevel", tr("Turns all views so that the axis of rotation is upright"),
                      &TurntableRule::level);
    even_light_ =
        add_tick("viewsLight", tr("Each view's exposure is changed so that the ground is as light in all"),
                 &TurntableRule::even_light);
    white_ground_ = add_tick("viewsGround",
                             tr("White, without shadows, where Finish of the recipe picks no other ground"),
                             &TurntableRule::white_ground);
    words_ = add_words("quiet", {});
    words_->setObjectName(QStringLiteral("viewsState"));
    remarks_ = add_words("warning", {});
    remarks_->setObjectName(QStringLiteral("viewsRemarks"));
    rows()->addSpacing(6);
    add_words("section", tr("Spin page"));
    deep_zoom_ = new QCheckBox(tr("With tiles for zooming in"), this);
    deep_zoom_->setObjectName(QStringLiteral("spinDeepZoom"));
    deep_zoom_->setToolTip(tr("The full size as well, loaded piece by piece where somebody looks close"));
    rows()->addWidget(deep_zoom_);
    auto* make = commands.button(QStringLiteral("spin-page"), tr("Make it"), this);
    make->setObjectName(QStringLiteral("makeSpinPage"));
    open_ = make_button(tr("Open it"), {}, tr("In the browser"), this);
    open_->setObjectName(QStringLiteral("openSpinPage"));
    rows()->addLayout(side_by_side(make, open_));
    spin_words_ = add_words("quiet", {});
    spin_words_->setObjectName(QStringLiteral("spinState"));

    ViewsLook& look = session_.views_look;
    connect(shown_, &QButtonGroup::idClicked, this,
            [&look](int shown) { look.show(ViewsShown(shown), look.view()); });
    connect(view_, &ValueRow::value_changed, this,
            [&look](double view) { look.show(ViewsShown::one, int(std::lround(view)) - 1); });
    connect(margin_, &ValueRow::value_changed, this, [this](double percent) {
        session_.set_recipe.change_turntable([percent](TurntableRule& rule) {
            rule.margin = percent / 100;
            rule.crop.reset();
        });
    });
    connect(deep_zoom_, &QCheckBox::clicked, this, [&look](bool on) { look.set_deep_zoom(on); });
    connect(open_, &QPushButton::clicked, this,
            [&look] { QDesktopServices::openUrl(QUrl::fromLocalFile(look.spin_page())); });
}

QCheckBox* ViewsPage::add_tick(const char* object_name, const QString& tip, bool TurntableRule::*member) {
    auto* tick = new QCheckBox(this);
    tick->setObjectName(QLatin1String(object_name));
    tick->setToolTip(tip);
    rows()->addWidget(tick);
    connect(tick, &QCheckBox::clicked, this, [this, member](bool on) {
        session_.set_recipe.change_turntable([&](TurntableRule& rule) {
            rule.*member = on;
            // Pixels of the turned picture are others.
            if (member == &TurntableRule::level) rule.crop.reset();
        });
    });
    return tick;
}

QString ViewsPage::state_in_words() const {
    const ViewsLook& look = session_.views_look;
    if (!look.problem().isEmpty()) return look.problem();
    if (!look.look()) return tr("The views are being looked at.");
    const SetRun& run = session_.set_run;
    if (run.is_running()) return run.state();
    const PixelRect crop = look.crop();
    if (crop.empty()) return tr("The frame lies outside of the views: take it around the object.");
    return tr("All %1 views keep %2 x %3 px.").arg(look.views()).arg(crop.width).arg(crop.height);
}

void ViewsPage::refresh() {
    FinishRows::refresh();
    const ViewsLook& look = session_.views_look;
    const TurntableRule* rule = session_.set_recipe.turntable();
    if (!rule) return;
    const bool idle = !session_.set_run.is_running();
    shown_->button(int(look.shown()))->setChecked(true);
    view_->set_most(std::max(1, look.views()));
    view_->set_value(look.view() + 1);
    margin_->set_value(100 * rule->margin);
    level_->setText(look.look() && rule->level
                        ? tr("Axis upright (it leaned by %1°)").arg(look.look()->tilt_deg, 0, 'f', 2)
                        : tr("Axis upright"));
    level_->setChecked(rule->level);
    QString differed;
    if (look.look()) {
        const auto [least, most] = std::minmax_element(look.look()->gains.begin(), look.look()->gains.end());
        differed = tr(" (it differed by %1 %)").arg(100 * (*most / *least - 1), 0, 'f', 1);
    }
    even_light_->setText(tr("One light%1").arg(differed));
    even_light_->setChecked(rule->even_light);
    white_ground_->setText(tr("White ground"));
    white_ground_->setChecked(rule->white_ground);
    for (QWidget* own : std::initializer_list<QWidget*>{margin_, level_, even_light_, white_ground_})
        own->setEnabled(idle);
    words_->setText(state_in_words());
    const QStringList remarks = look.remarks();
    remarks_->setText(remarks.join(QLatin1Char('\n')));
    remarks_->setVisible(!remarks.isEmpty());
    deep_zoom_->setChecked(look.has_deep_zoom());
    const QString page = look.spin_page(), why = look.why_no_spin_page();
    open_->setEnabled(!page.isEmpty());
    spin_words_->setText(!page.isEmpty() ? page : why);
}

}  // namespace moorhaze::desktop
