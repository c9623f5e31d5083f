#include "desktop/tray/merge_tray.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>

namespace moorhaze::desktop {

MergeTray::MergeTray(Session& session, QWidget* parent) : Tray(tr("Merge"), parent), session_(session) {
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
    glare_ = new QCheckBox(tr("Glare guard"), this);
    glare_->setToolTip(
        tr("Holds the pyramid within the lightest and darkest that the frames have at each place: no glow "
           "around highlights"));
    for (QWidget* widget : {static_cast<QWidget*>(detail_), static_cast<QWidget*>(seam_),
                            static_cast<QWidget*>(floor_), static_cast<QWidget*>(glare_)})
        body()->addWidget(widget);
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
    body()->addWidget(results_);
    drop_ =
        add_button(tr("Drop this result"), {}, tr("Removes the chosen result and what was painted on it"));
    mend_ = set_next(tr("Mend"), tr("Alt+5"), tr("Go on with the result shown"));

    connect(method_, &QComboBox::currentIndexChanged, this,
            [this] { session_.set_method(method_->currentData().toString().toStdString()); });
    for (ValueRow* row : {detail_, seam_, floor_})
        connect(row, &ValueRow::value_changed, this, &MergeTray::settings_edited);
    connect(glare_, &QCheckBox::toggled, this, &MergeTray::settings_edited);
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
    session_.set_merge_settings(settings);
}

void MergeTray::show_settings() {
    const QSignalBlocker quiet_method(method_), quiet_glare(glare_);
    method_->setCurrentIndex(method_->findData(QString::fromStdString(session_.method())));
    about_->setText(QString::fromStdString(merge_method(session_.method()).description));
    const MergeSettings& settings = session_.merge_settings();
    detail_->set_value(settings.detail_size_px);
    seam_->set_value(settings.seam_width_px);
    floor_->set_value(settings.trust_floor);
    glare_->setChecked(settings.glare_guard);
    // A setting that the method does not use is not shown.
    detail_->setVisible(session_.method() != "pyramid");
    seam_->setVisible(session_.method() == "depth");
    floor_->setVisible(session_.method() == "depth");
    glare_->setVisible(session_.method() == "pyramid");
}

void MergeTray::show_results() {
    const QSignalBlocker quiet(results_);
    results_->clear();
    for (const Result& result : session_.results()) {
        auto* item = new QListWidgetItem(
            QStringLiteral("%1%2\n%3 · %4 s")
                .arg(result.title, result.saved ? tr(", saved") : QString(), result.settings_text)
                .arg(result.seconds, 0, 'f', 1));
        item->setData(Qt::UserRole, result.id);
        results_->addItem(item);
        if (session_.result() && result.id == session_.result()->id) results_->setCurrentItem(item);
    }
    const bool any = !session_.results().empty();
    no_results_->setVisible(!any);
    results_->setVisible(any);
    drop_->setVisible(any);
    results_->setFixedHeight(std::min(2, results_->count()) * 64 + 4);
    merge_->setEnabled(session_.has_series());
    mend_->setEnabled(any);
    set_state(any && !session_.result_is_current() ? tr("settings changed")
              : any                                ? session_.result()->title
                                                   : QString());
}

}  // namespace moorhaze::desktop
