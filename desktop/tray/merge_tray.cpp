// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/merge_tray.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPixmapCache>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSlider>
#include <QVBoxLayout>
#include <algorithm>
#include <tuple>

#include "core/project/words.h"
#include "desktop/session/work/text.h"
#include "desktop/view/commands.h"

namespace moorhaze::desktop {
namespace {

constexpr const char* kGrowing = "growing";  // the card of the merge under way
constexpr QSize kThumbSize = {66, 48};

/// The same pixmap for the same picture, so that a card that stayed is not drawn anew.
QPixmap pixmap_of(const QImage& image) {
    const QString key = QStringLiteral("merge thumb %1").arg(image.cacheKey());
    QPixmap pixmap;
    if (!QPixmapCache::find(key, &pixmap)) {
        pixmap = QPixmap::fromImage(image);
        QPixmapCache::insert(key, pixmap);
    }
    return pixmap;
}

}  // namespace

MergeTray::MergeTray(Session& session, Commands& commands, QWidget* parent)
    : Tray(tr("Merge"), parent), session_(session) {
    add_section(tr("Method"));
    method_ = new QComboBox(this);
    method_->setObjectName(QStringLiteral("method"));
    method_->setAccessibleName(tr("Method"));
    method_->setToolTip(tr("How the sharp parts are put together"));
    for (const MergeMethod& method : merge_methods())
        method_->addItem(QString::fromStdString(method.title), QString::fromStdString(method.name));
    body()->addWidget(method_);
    about_ = add_quiet({});
    detail_ = new ValueRow(
        {tr("Detail size"), tr("px"), tr("Neighbourhood in which sharpness is judged, in pixels"),
         tr("small for fine detail, larger against noise"), 1, 40, 1, 0, true},
        this);
    seam_ = new ValueRow({tr("Seam width"), tr("px"), tr("Softness of the seams between frames, in pixels"),
                          tr("larger where seams show, smaller for hairs"), 0, 40, 1, 0, false},
                         this);
    floor_ = new ValueRow(
        {tr("Trust floor"),
         {},
         tr("Places whose sharpness stands out less than this take the depth around them, 0 to 1"),
         tr("raise it until the backdrop is calm"),
         0,
         1,
         0.05,
         2,
         false},
        this);
    backdrop_ = new QComboBox(this);
    backdrop_->setObjectName(QStringLiteral("backdrop"));
    backdrop_->setAccessibleName(tr("Backdrop"));
    backdrop_->setToolTip(
        tr("What fills places below the trust floor. A single frame, often the farthest, where "
           "the backdrop shall be smooth"));
    backdrop_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    backdrop_->setMinimumContentsLength(16);
    for (QWidget* widget : {static_cast<QWidget*>(detail_), static_cast<QWidget*>(seam_),
                            static_cast<QWidget*>(floor_), static_cast<QWidget*>(backdrop_)})
        body()->addWidget(widget);
    backdrop_word_ = add_quiet(tr("one frame keeps a smooth ground calm"));
    glare_ = add_switch(
        tr("Glare guard"), tr("off if lights look flat"),
        tr("Holds the merge within the lightest and darkest that the frames have at each place: no glow "
           "around highlights"));
    grain_ =
        add_switch(tr("Grain guard"), tr("off for faint texture"),
                   tr("Detail that does not stand out of the noise is averaged over the frames of its depth, "
                      "or in a pyramid held to one frame's strength: smooth places stay calm. Off: faint "
                      "texture is kept"));
    grain_->setObjectName(QStringLiteral("grain"));
    unveil_ = add_switch(tr("Unveil"), tr("takes longer"),
                         tr("Takes the blur of near things off what lies behind them, where the frames say "
                            "that it is right: rims "
                            "around a near edge go. Not looked ahead; parts that moved stay as they are"));
    unveil_->setObjectName(QStringLiteral("unveil"));
    ahead_ = add_switch(tr("Look ahead"), tr("at 50 % and more"),
                        tr("What is in view is merged with the settings as soon as they change; the result "
                           "itself stays until you merge (L)"));
    ahead_->setObjectName(QStringLiteral("ahead"));
    auto* merge = commands.button(QStringLiteral("merge"), tr("Merge"), this);
    merge->setObjectName(QStringLiteral("merge"));
    body()->addWidget(merge);
    add_hairline();
    add_section(tr("Results"));
    no_results_ = add_line(tr("None yet."));
    results_ = new RowList(QStringLiteral("results"), tr("Results"),
                           {.picture = kThumbSize, .most_rows = 3, .breaks_lines = true}, this);
    body()->addWidget(results_);
    std::tie(rename_, drop_) =
        add_buttons(tr("Rename"), {}, tr("Gives the chosen result another name"), tr("Drop"), {},
                    tr("Removes the chosen result and what was painted on it"));
    rename_->setObjectName(QStringLiteral("rename"));
    drop_->setObjectName(QStringLiteral("drop"));
    add_hairline();
    add_section(tr("Look at"));
    auto add_choice = [this](const char* name, const QString& accessible, const QString& tip) {
        auto* choice = new QComboBox(this);
        choice->setObjectName(QLatin1String(name));
        choice->setAccessibleName(accessible);
        choice->setToolTip(tip);
        choice->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        choice->setMinimumContentsLength(16);
        body()->addWidget(choice);
        return choice;
    };
    look_choice_ = add_choice("look", tr("What of the result is shown"),
                              tr("What is known of the result, laid over the picture"));
    look_choice_->addItems(
        {tr("The picture"), tr("Below the trust floor"), tr("Depth"), tr("Which frame"), tr("What made it")});
    partner_ = add_choice("resultPartner", tr("Compared with"),
                          tr("The other picture of curtain (C), blink (Y), twin (T) and flip (V held)"));
    set_next(commands.button(QStringLiteral("stage-5"), tr("Mend"), this));

    connect(method_, &QComboBox::currentIndexChanged, this, [this] {
        edit(tr("method"), [this](MergeChoice& choice) {
            choice.method = method_->currentData().toString().toStdString();
        });
    });
    auto edit_by = [this](ValueRow* row, const QString& field, double MergeSettings::*setting) {
        connect(row, &ValueRow::value_changed, this, [this, field, setting](double value) {
            edit(field, [&](MergeChoice& choice) { choice.settings.*setting = value; });
        });
    };
    edit_by(detail_, tr("detail size"), &MergeSettings::detail_size_px);
    edit_by(seam_, tr("seam width"), &MergeSettings::seam_width_px);
    edit_by(floor_, tr("trust floor"), &MergeSettings::trust_floor);
    connect(backdrop_, &QComboBox::activated, this, [this](int index) {
        const int number = backdrop_->itemData(index).toInt();
        edit(tr("backdrop"), [&](MergeChoice& choice) {
            choice.backdrop = number > 0 ? std::optional(session_.document.id_at(number - 1)) : std::nullopt;
        });
    });
    connect(glare_, &QCheckBox::clicked, this, [this](bool on) {
        edit(tr("glare guard"), [on](MergeChoice& choice) { choice.settings.glare_guard = on; });
    });
    connect(grain_, &QCheckBox::clicked, this, [this](bool on) {
        edit(tr("grain guard"), [on](MergeChoice& choice) { choice.settings.grain_guard = on; });
    });
    connect(unveil_, &QCheckBox::clicked, this, [this](bool on) {
        edit(tr("unveiling"), [on](MergeChoice& choice) { choice.settings.unveil = on; });
    });
    connect(ahead_, &QCheckBox::clicked, &session_.standpoint, &Standpoint::set_look_ahead);
    connect(&session_.result_look, &ResultLook::grew, this, &MergeTray::show_growth);
    connect(look_choice_, &QComboBox::currentIndexChanged, this,
            [this](int index) { session_.standpoint.set_look(LookAt(index)); });
    connect(floor_->slider(), &QSlider::sliderPressed, this,
            [this] { session_.result_look.set_floor_moving(true); });
    connect(floor_->slider(), &QSlider::sliderReleased, this,
            [this] { session_.result_look.set_floor_moving(false); });
    connect(partner_, &QComboBox::currentIndexChanged, this, [this] {
        const int id = partner_->currentData().toInt();
        session_.standpoint.set_compared_result(id > 0 ? std::optional(ResultId{id}) : std::nullopt);
    });
    connect(rename_, &QPushButton::clicked, this, [this] {
        if (const ProjectResult* shown = session_.standpoint.result()) rename(shown->id);
    });
    connect(results_, &RowList::taken, this, [this](int row) { rename(result_at(row)); });
    connect(results_, &RowList::current_moved, this, [this](int row) {
        if (row >= 0) session_.standpoint.set_result(result_at(row));
    });
    connect(drop_, &QPushButton::clicked, this, [this] {
        if (const ProjectResult* shown = session_.standpoint.result()) emit drop_asked(shown->id);
    });
    refresh_when_visible([this] {
        show_settings();
        show_results();
    });
    connect(&session_.document.settling(), &Settling::settled, this, &MergeTray::want_refresh);
}

void MergeTray::edit(const QString& field, const std::function<void(MergeChoice&)>& change) {
    MergeChoice choice = session_.merging.choice();
    change(choice);
    session_.merging.set_choice(choice, field);
}

void MergeTray::show_settings() {
    const QSignalBlocker quiet_method(method_), quiet_look(look_choice_);
    const MergeChoice& choice = session_.merging.choice();
    const MergeMethod& method = merge_method(choice.method);
    method_->setCurrentIndex(method_->findData(text(choice.method)));
    about_->setText(text(method.description));
    const MergeSettings& settings = choice.settings;
    detail_->set_value(settings.detail_size_px);
    seam_->set_value(settings.seam_width_px);
    floor_->set_value(settings.trust_floor);
    glare_->setChecked(settings.glare_guard);
    unveil_->setChecked(settings.unveil);
    grain_->setChecked(settings.grain_guard);
    ahead_->setChecked(session_.standpoint.look_ahead());
    look_choice_->setCurrentIndex(int(session_.standpoint.look()));
    backdrop_->clear();
    backdrop_->addItem(tr("Backdrop: depth around"), 0);
    const int chosen = choice.backdrop ? session_.document.place(*choice.backdrop) + 1 : 0;
    if (chosen > 0) backdrop_->addItem(tr("Backdrop: frame %1").arg(chosen), chosen);
    if (const int shown = session_.standpoint.place() + 1; session_.document.has_series() && shown != chosen)
        backdrop_->addItem(tr("Backdrop: frame %1, shown now").arg(shown), shown);
    backdrop_->setCurrentIndex(chosen > 0 ? 1 : 0);
    // A setting that the method does not use is not shown.
    detail_->setVisible(method.uses.detail_size);
    seam_->setVisible(method.uses.seam_width);
    floor_->setVisible(method.uses.trust_floor);
    backdrop_->setVisible(method.uses.backdrop);
    backdrop_word_->setVisible(method.uses.backdrop);
    glare_->parentWidget()->setVisible(method.uses.glare_guard);
    unveil_->parentWidget()->setVisible(method.uses.unveil);
    grain_->parentWidget()->setVisible(method.uses.grain_guard);
}

QCheckBox* MergeTray::add_switch(const QString& text, const QString& word, const QString& tip) {
    auto* row = new QWidget(this);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    auto* box = new QCheckBox(text, row);
    box->setToolTip(tip);
    auto* when = new QLabel(word, row);
    when->setProperty("role", "quiet");
    line->addWidget(box);
    line->addWidget(when, 1, Qt::AlignRight);
    body()->addWidget(row);
    return box;
}

ResultId MergeTray::result_at(int row) const {
    return {results_->row(row).key.toInt()};
}

void MergeTray::show_growth() {
    show_cards();
}

void MergeTray::rename(ResultId id) {
    const ProjectResult* result = find_result(session_.document.project(), id);
    if (!result) return;
    bool taken = false;
    const QString title = QInputDialog::getText(this, tr("Rename the result"), tr("Name"), QLineEdit::Normal,
                                                text(result->title), &taken);
    if (taken) session_.merging.rename(id, title);
}

void MergeTray::show_partners() {
    const QSignalBlocker quiet(partner_);
    const ProjectResult* shown = session_.standpoint.result();
    partner_->clear();
    partner_->addItem(tr("Compared with the frame shown"), 0);
    for (const ProjectResult& result : session_.document.project().results)
        if (!shown || result.id != shown->id)
            partner_->addItem(tr("Compared with %1").arg(text(result.title)), result.id.value);
    const auto compared = session_.standpoint.compared_result();
    partner_->setCurrentIndex(compared ? std::max(0, partner_->findData(compared->value)) : 0);
}

ListRow MergeTray::card_of(const ProjectResult& result) {
    const bool is_outside = !result.made_from.brought_in.empty();
    const QString seconds = tr(" · %1 s").arg(result.seconds, 0, 'f', 1);
    // A result that was stored is listed before its picture has been read.
    const MergeProduct* product = session_.products.merge(result.id);
    ListRow card{
        .key = QString::number(result.id.value),
        .words = QStringLiteral("%1%2%3\n%4")
                     .arg(text(result.title),
                          is_outside          ? QString()
                          : result.is_saved() ? tr(", saved")
                          : result.ahead      ? tr(", ahead")
                                              : QString(),
                          is_outside ? QString() : seconds, text(settings_in_words(result.made_from))),
        .tip = result.ahead ? tr("Merged ahead; the next one takes its place unless it is renamed, "
                                 "mended, saved or asked for (Ctrl+Return)")
                            : tr("Click shows it, double-click renames it")};
    if (product) card.picture = pixmap_of(product->thumb);
    return card;
}

void MergeTray::show_cards() {
    std::vector<ListRow> cards;
    for (const ProjectResult& result : session_.document.project().results) cards.push_back(card_of(result));
    const auto growing = session_.result_look.growing();
    if (growing && session_.merging.growth())
        cards.push_back({.key = QLatin1String(kGrowing),
                         .words = tr("%1\ndepth found so far").arg(session_.merging.growth()->title),
                         .picture = QPixmap::fromImage(growing->levels().front().scaled(
                             kThumbSize * 2, Qt::KeepAspectRatio, Qt::SmoothTransformation)),
                         .is_choosable = false});
    no_results_->setVisible(cards.empty());
    const bool grows = !cards.empty() && !cards.back().is_choosable;
    results_->set_rows(std::move(cards));
    if (grows) results_->scrollToBottom();
}

void MergeTray::show_results() {
    show_partners();
    const Project& project = session_.document.project();
    const ProjectResult* shown = session_.standpoint.result();
    look_choice_->setEnabled(shown);
    partner_->setEnabled(shown);
    show_cards();
    results_->set_current(
        shown ? project.results.find([&](const ProjectResult& own) { return own.id == shown->id; }) : -1);
    const bool any = !project.results.empty();
    drop_->setVisible(any);
    rename_->setVisible(any);
    set_state(any && !session_.merging.is_current() ? tr("settings changed")
              : shown                               ? text(shown->title)
                                                    : QString());
}

}  // namespace moorhaze::desktop
