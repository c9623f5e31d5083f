#include "desktop/tray/merge_tray.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QIcon>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSlider>
#include <QVBoxLayout>
#include <algorithm>
#include <tuple>

namespace moorhaze::desktop {
namespace {

constexpr int kLeastCard = 58, kMostCard = 92;  // logical px
constexpr QSize kThumbSize = {66, 48};

/// The picture itself in every state: styles tint the icons of what is chosen or can't be.
QIcon plain_icon(const QImage& image) {
    const QPixmap pixels = QPixmap::fromImage(image);
    QIcon icon;
    for (const auto mode : {QIcon::Normal, QIcon::Selected, QIcon::Active, QIcon::Disabled})
        icon.addPixmap(pixels, mode);
    return icon;
}

}  // namespace

MergeTray::MergeTray(Session& session, ResultLook& look, Trial& trial, QWidget* parent)
    : Tray(tr("Merge"), parent), session_(session), look_(look), trial_(trial) {
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
    ahead_ = add_switch(tr("Look ahead"), tr("at 50 % and more"),
                        tr("What is in view is merged with the settings as soon as they change; the result "
                           "itself stays until you merge (L)"));
    ahead_->setObjectName(QStringLiteral("ahead"));
    merge_ = add_button(tr("Merge"), tr("Ctrl+Return"),
                        tr("Merges with these settings, in the background; the results so far stay"));
    merge_->setObjectName(QStringLiteral("merge"));
    add_hairline();
    add_section(tr("Results"));
    no_results_ = add_line(tr("None yet."));
    results_ = new QListWidget(this);
    results_->setObjectName(QStringLiteral("results"));
    results_->setAccessibleName(tr("Results"));
    results_->setWordWrap(true);
    results_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    results_->setIconSize(kThumbSize);
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
    mend_ = set_next(tr("Mend"), tr("Alt+5"), tr("Go on with the result shown"));

    connect(method_, &QComboBox::currentIndexChanged, this,
            [this] { session_.set_method(method_->currentData().toString().toStdString()); });
    for (ValueRow* row : {detail_, seam_, floor_})
        connect(row, &ValueRow::value_changed, this, &MergeTray::settings_edited);
    connect(backdrop_, &QComboBox::activated, this, [this](int index) {
        MergeSettings settings = session_.merge_settings();
        settings.backdrop_frame = backdrop_->itemData(index).toInt();
        session_.set_merge_settings(settings);
    });
    connect(&session_, &Session::current_frame_changed, this, &MergeTray::show_settings);
    connect(glare_, &QCheckBox::toggled, this, &MergeTray::settings_edited);
    connect(grain_, &QCheckBox::toggled, this, &MergeTray::settings_edited);
    connect(ahead_, &QCheckBox::toggled, &trial_, &Trial::set_on);
    connect(&trial_, &Trial::changed, this, [this] {
        const QSignalBlocker quiet(ahead_);
        ahead_->setChecked(trial_.is_on());
    });
    ahead_->setChecked(trial_.is_on());
    connect(&look_, &ResultLook::grew, this, &MergeTray::show_growth);
    connect(look_choice_, &QComboBox::currentIndexChanged, this,
            [this](int index) { look_.set_look(LookAt(index)); });
    connect(&look_, &ResultLook::changed, this, [this] {
        const QSignalBlocker quiet(look_choice_);
        look_choice_->setCurrentIndex(int(look_.look()));
    });
    connect(floor_->slider(), &QSlider::sliderPressed, this, [this] { look_.set_floor_moving(true); });
    connect(floor_->slider(), &QSlider::sliderReleased, this, [this] { look_.set_floor_moving(false); });
    connect(partner_, &QComboBox::currentIndexChanged, this, &MergeTray::partner_changed);
    connect(rename_, &QPushButton::clicked, this, &MergeTray::rename);
    connect(results_, &QListWidget::itemDoubleClicked, this, &MergeTray::rename);
    connect(merge_, &QPushButton::clicked, this, &MergeTray::merge_asked);
    connect(mend_, &QPushButton::clicked, this, &MergeTray::mend_asked);
    connect(results_, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (item) emit result_chosen(item->data(Qt::UserRole).toInt());
    });
    connect(drop_, &QPushButton::clicked, this, [this] {
        if (session_.result()) emit drop_asked(session_.result()->id);
    });
    connect(&session_, &Session::settings_changed, this, &MergeTray::show_settings);
    for (auto signal : {&Session::series_changed, &Session::results_changed, &Session::result_shown,
                        &Session::selection_changed, &Session::settings_changed, &Session::saved_changed})
        connect(&session_, signal, this, &MergeTray::show_results);
    show_settings();
    show_results();
}

void MergeTray::settings_edited() {
    MergeSettings settings = session_.merge_settings();
    settings.detail_size_px = detail_->value();
    settings.seam_width_px = seam_->value();
    settings.trust_floor = floor_->value();
    settings.glare_guard = glare_->isChecked();
    settings.grain_guard = grain_->isChecked();
    session_.set_merge_settings(settings);
}

void MergeTray::show_settings() {
    const QSignalBlocker quiet_method(method_), quiet_glare(glare_), quiet_grain(grain_);
    method_->setCurrentIndex(method_->findData(QString::fromStdString(session_.method())));
    about_->setText(QString::fromStdString(merge_method(session_.method()).description));
    const MergeSettings& settings = session_.merge_settings();
    detail_->set_value(settings.detail_size_px);
    seam_->set_value(settings.seam_width_px);
    floor_->set_value(settings.trust_floor);
    glare_->setChecked(settings.glare_guard);
    grain_->setChecked(settings.grain_guard);
    // A setting that the method does not use is not shown.
    detail_->setVisible(session_.method() != "pyramid");
    backdrop_->clear();
    backdrop_->addItem(tr("Backdrop: depth around"), 0);
    if (settings.backdrop_frame > 0)
        backdrop_->addItem(tr("Backdrop: frame %1").arg(settings.backdrop_frame), settings.backdrop_frame);
    if (const int shown = session_.current_frame() + 1;
        session_.has_series() && shown != settings.backdrop_frame)
        backdrop_->addItem(tr("Backdrop: frame %1, shown now").arg(shown), shown);
    backdrop_->setCurrentIndex(settings.backdrop_frame > 0 ? 1 : 0);
    const bool woven = session_.method() == "woven", depth = session_.method() == "depth";
    seam_->setVisible(woven || depth);
    floor_->setVisible(woven || depth);
    backdrop_->setVisible(woven || depth);
    backdrop_word_->setVisible(woven || depth);
    glare_->parentWidget()->setVisible(woven || session_.method() == "pyramid");
    grain_->parentWidget()->setVisible(woven || session_.method() == "pyramid");
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

void MergeTray::show_growth() {
    const auto growing = look_.growing();
    if (growing && growing_) {
        growing_->setIcon(plain_icon(
            growing->levels().front().scaled(kThumbSize * 2, Qt::KeepAspectRatio, Qt::SmoothTransformation)));
        return;
    }
    if (bool(growing) != bool(growing_)) show_results();
    if (growing && growing_) show_growth();
}

int MergeTray::compared_with() const {
    return partner_->currentData().toInt();
}

void MergeTray::rename() {
    const Result* result = session_.result();
    if (!result) return;
    const int id = result->id;
    bool taken = false;
    const QString title = QInputDialog::getText(this, tr("Rename the result"), tr("Name"), QLineEdit::Normal,
                                                result->title, &taken);
    if (taken) session_.rename_result(id, title);
}

void MergeTray::show_partners() {
    const QSignalBlocker quiet(partner_);
    const int chosen = compared_with();
    partner_->clear();
    partner_->addItem(tr("Compared with the frame shown"), 0);
    for (const Result& result : session_.results())
        if (!session_.result() || result.id != session_.result()->id)
            partner_->addItem(tr("Compared with %1").arg(result.title), result.id);
    const int found = partner_->findData(chosen);
    partner_->setCurrentIndex(std::max(0, found));
}

void MergeTray::show_results() {
    const QSignalBlocker quiet(results_);
    show_partners();
    look_choice_->setEnabled(session_.result());
    partner_->setEnabled(session_.result());
    results_->clear();
    growing_ = nullptr;
    for (const Result& result : session_.results()) {
        auto* item = new QListWidgetItem(QStringLiteral("%1%2 · %3 s\n%4")
                                             .arg(result.title, result.saved   ? tr(", saved")
                                                                : result.ahead ? tr(", ahead")
                                                                               : QString())
                                             .arg(result.seconds, 0, 'f', 1)
                                             .arg(result.settings_text));
        item->setData(Qt::UserRole, result.id);
        item->setIcon(plain_icon(result.thumb));
        item->setToolTip(result.ahead ? tr("Merged ahead; the next one takes its place unless it is renamed, "
                                           "mended, saved or asked for (Ctrl+Return)")
                                      : tr("Click shows it, double-click renames it"));
        results_->addItem(item);
        if (session_.result() && result.id == session_.result()->id) results_->setCurrentItem(item);
    }
    const bool any = !session_.results().empty();
    if (look_.growing() && session_.growth()) {
        growing_ = new QListWidgetItem(tr("%1\ndepth found so far").arg(session_.growth()->title));
        growing_->setFlags(Qt::NoItemFlags);
        results_->addItem(growing_);
        results_->scrollToItem(growing_);
    }
    no_results_->setVisible(!any && !growing_);
    results_->setVisible(any || growing_);
    drop_->setVisible(any);
    rename_->setVisible(any);
    int height = 2 * results_->frameWidth();
    for (int row = 0; row < std::min(3, results_->count()); ++row)
        height += std::clamp(results_->sizeHintForRow(row) + 8, kLeastCard, kMostCard);
    results_->setFixedHeight(height);
    merge_->setEnabled(session_.has_series());
    mend_->setEnabled(any);
    set_state(any && !session_.result_is_current() ? tr("settings changed")
              : any                                ? session_.result()->title
                                                   : QString());
}

}  // namespace moorhaze::desktop
