#include "desktop/tray/cull_tray.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QVBoxLayout>
#include <algorithm>

#include "desktop/session/facts.h"

namespace moorhaze::desktop {

CullTray::CullTray(Session& session, QWidget* parent) : Tray(tr("Cull"), parent), session_(session) {
    add_section(tr("Suggested to leave out"));
    none_ = add_line({});
    list_ = new QListWidget(this);
    list_->setObjectName(QStringLiteral("suggestions"));
    list_->setAccessibleName(tr("Suggested to leave out"));
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->setWordWrap(true);
    body()->addWidget(list_);
    std::tie(accept_, next_suggestion_) = add_buttons(
        tr("Accept all"), tr("A"), tr("Leaves out every frame that is suggested; one step of undo"),
        tr("Next"), tr("N"), tr("Shows the next suggested frame"));
    gaps_ = add_line({});
    gaps_->setProperty("role", "warning");
    add_hairline();
    add_section(tr("Depth to keep"));
    range_ = add_line({});
    range_->setObjectName(QStringLiteral("range"));
    std::tie(near_, far_) =
        add_buttons(tr("Near here"), tr("["), tr("The frame shown becomes the nearest that is merged"),
                    tr("Far here"), tr("]"), tr("The frame shown becomes the farthest that is merged"));
    add_quiet(tr("Click a place in the picture: the frame that is sharpest there is shown."));
    add_hairline();
    add_section(tr("Frame shown"));
    this_frame_ = add_line({});
    toggle_ =
        add_button(tr("Leave out"), tr("X"), tr("Leaves the frame shown out of the merge, or takes it back"));
    toggle_->setObjectName(QStringLiteral("toggleUse"));
    marks_ = new QCheckBox(tr("Mark what is sharp (M)"), this);
    marks_->setObjectName(QStringLiteral("sharpMarks"));
    marks_->setToolTip(tr("Paints over what is sharp in the frame shown"));
    body()->addWidget(marks_);
    connect(marks_, &QCheckBox::toggled, this, &CullTray::marks_asked);
    auto* row = new QHBoxLayout;
    auto* name = new QLabel(tr("Reference frame"), this);
    reference_ = new QSpinBox(this);
    reference_->setObjectName(QStringLiteral("reference"));
    reference_->setFixedWidth(56);
    reference_->setAlignment(Qt::AlignRight);
    reference_->setKeyboardTracking(false);
    reference_->setToolTip(
        tr("The frame that stays as it is; all others are laid over it (R: the frame shown)"));
    reference_->setAccessibleName(tr("Reference frame"));
    name->setBuddy(reference_);
    row->addWidget(name, 1);
    row->addWidget(reference_);
    body()->addSpacing(6);
    body()->addLayout(row);
    suggested_ = add_quiet({});
    merge_ = set_next(tr("Align and merge"), tr("Ctrl+Return"),
                      tr("Lays the frames over each other and merges the sharp parts"));
    merge_->setObjectName(QStringLiteral("alignAndMerge"));

    connect(accept_, &QPushButton::clicked, this, &CullTray::accept_asked);
    connect(next_suggestion_, &QPushButton::clicked, this, &CullTray::next_suggestion_asked);
    connect(near_, &QPushButton::clicked, this, &CullTray::near_here_asked);
    connect(far_, &QPushButton::clicked, this, &CullTray::far_here_asked);
    connect(toggle_, &QPushButton::clicked, this, &CullTray::toggle_use_asked);
    connect(merge_, &QPushButton::clicked, this, &CullTray::merge_asked);
    connect(reference_, &QSpinBox::valueChanged, this,
            [this](int number) { emit reference_chosen(number - 1); });
    connect(list_, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* item) { emit frame_chosen(item->data(Qt::UserRole).toInt()); });
    for (auto signal : {&Session::series_changed, &Session::profiles_changed, &Session::selection_changed,
                        &Session::current_frame_changed})
        connect(&session_, signal, this, &CullTray::refresh);
    refresh();
}

void CullTray::show_marks(bool on) {
    const QSignalBlocker quiet(marks_);
    marks_->setChecked(on);
}

void CullTray::refresh() {
    const bool open = session_.has_series();
    const Series& series = session_.series();
    set_state(open ? tr("%1 frames, near to far").arg(series.count()) : QString());
    list_->clear();
    const auto found = suggestions(session_);
    bool any_left = false;
    for (const Suggestion& suggestion : found) {
        auto* item =
            new QListWidgetItem(QStringLiteral("%1%2\n%3")
                                    .arg(frames_text(suggestion.first, suggestion.last),
                                         suggestion.done ? tr(", left out") : QString(), suggestion.reason));
        item->setData(Qt::UserRole, suggestion.first);
        item->setToolTip(suggestion.reason);
        list_->addItem(item);
        any_left = any_left || !suggestion.done;
    }
    list_->setVisible(!found.empty());
    list_->setFixedHeight(std::min(3, int(found.size())) * 52 + 4);
    none_->setVisible(found.empty());
    none_->setText(!open                     ? tr("Open a series first (Ctrl+O).")
                   : !session_.is_profiled() ? tr("The frames are being looked at.")
                                             : tr("Nothing: every frame has something sharp."));
    accept_->setEnabled(any_left);
    next_suggestion_->setEnabled(!found.empty());
    QStringList gaps;
    for (const FocusGap& gap : session_.profile().gaps) gaps << gap_text(gap);
    gaps_->setText(gaps.mid(0, 3).join('\n'));
    gaps_->setVisible(!gaps.isEmpty());
    for (QWidget* widget :
         {static_cast<QWidget*>(near_), static_cast<QWidget*>(far_), static_cast<QWidget*>(toggle_),
          static_cast<QWidget*>(merge_), static_cast<QWidget*>(reference_)})
        widget->setEnabled(open);
    if (!open) {
        range_->setText(tr("no series"));
        this_frame_->clear();
        suggested_->clear();
        return;
    }
    range_->setText(tr("frames %1 to %2, %3 in use")
                        .arg(series.range.first + 1)
                        .arg(series.range.last + 1)
                        .arg(series.chosen().size()));
    const int current = session_.current_frame();
    const bool used = series.frames[std::size_t(current)].used;
    QString text = tr("%1%2").arg(frames_text(current, current), used ? QString() : tr(", left out"));
    if (session_.is_profiled())
        text += tr(": sharpest in %1 % of the picture")
                    .arg(100 * session_.profile().share[std::size_t(current)], 0, 'f', 1);
    this_frame_->setText(text);
    toggle_->setText(used ? tr("Leave out") : tr("Take back"));
    toggle_->setAccessibleName(toggle_->text());
    const QSignalBlocker quiet(reference_);
    reference_->setRange(1, series.count());
    reference_->setValue(session_.reference() + 1);
    suggested_->setText(session_.is_profiled() ? tr("suggested: frame %1, most of the subject is sharp there")
                                                     .arg(session_.profile().suggested_reference + 1)
                                               : QString());
}

}  // namespace moorhaze::desktop
