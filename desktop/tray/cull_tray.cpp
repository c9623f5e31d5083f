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
#include <initializer_list>

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
    order_ = add_line({});
    order_->setProperty("role", "warning");
    order_->setObjectName(QStringLiteral("order"));
    put_in_order_ =
        add_button(tr("Put in order"), tr("O"),
                   tr("Lays the frames from near to far, as their sharpness tells; one step of undo"));
    put_in_order_->setObjectName(QStringLiteral("putInOrder"));
    mixed_ = add_line({});
    mixed_->setProperty("role", "warning");
    mixed_->setObjectName(QStringLiteral("mixed"));
    add_hairline();
    add_section(tr("Depth to keep"));
    range_ = add_line({});
    range_->setObjectName(QStringLiteral("range"));
    std::tie(near_, far_) =
        add_buttons(tr("Near here"), tr("["), tr("The frame shown becomes the nearest that is merged"),
                    tr("Far here"), tr("]"), tr("The frame shown becomes the farthest that is merged"));
    std::tie(keep_, quick_) = add_buttons(
        tr("Draw across"), tr("K"),
        tr("Draw a line in the picture across what shall be sharp: the range follows, with a frame to spare "
           "at "
           "each end. A click moves the nearer limit to the frame that is sharpest there"),
        tr("Quick merge"), tr("Q"), tr("Shows what the range will look like; follows the handles"));
    keep_->setObjectName(QStringLiteral("keep"));
    quick_->setObjectName(QStringLiteral("quickLook"));
    for (QPushButton* button : {keep_, quick_}) button->setCheckable(true);
    hint_ = add_quiet(tr("Click a place in the picture: the frame that is sharpest there is shown."));
    add_hairline();
    add_section(tr("Frame shown"));
    this_frame_ = add_line({});
    std::tie(toggle_, save_) =
        add_buttons(tr("Leave out"), tr("X"), tr("Leaves the frame shown out of the merge, or takes it back"),
                    tr("Save it"), {}, tr("Saves the frame shown alone as a picture (Ctrl+Shift+S)"));
    toggle_->setObjectName(QStringLiteral("toggleUse"));
    save_->setObjectName(QStringLiteral("saveFrame"));
    marks_ = new QCheckBox(tr("Mark what is sharp (M)"), this);
    marks_->setObjectName(QStringLiteral("sharpMarks"));
    marks_->setToolTip(tr("Paints over what is sharp in the frame shown"));
    body()->addWidget(marks_);
    connect(marks_, &QCheckBox::toggled, this, &CullTray::marks_asked);
    reach_ = new ValueRow({tr("Reach of the marks"),
                           tr("%"),
                           tr("How much of what is nearly sharp is marked too"),
                           {},
                           0,
                           100,
                           5,
                           0,
                           false},
                          this);
    reach_->setObjectName(QStringLiteral("marksReach"));
    reach_->set_value(40);
    reach_->setVisible(false);
    body()->addWidget(reach_);
    connect(reach_, &ValueRow::value_changed, this,
            [this](double percent) { emit reach_chosen(percent / 100); });
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
    connect(keep_, &QPushButton::clicked, this, &CullTray::keep_asked);
    connect(quick_, &QPushButton::clicked, this, &CullTray::quick_look_asked);
    connect(put_in_order_, &QPushButton::clicked, this, &CullTray::order_asked);
    connect(save_, &QPushButton::clicked, this, &CullTray::save_asked);
    connect(toggle_, &QPushButton::clicked, this, &CullTray::toggle_use_asked);
    connect(merge_, &QPushButton::clicked, this, &CullTray::merge_asked);
    connect(reference_, &QSpinBox::valueChanged, this,
            [this](int number) { emit reference_chosen(number - 1); });
    connect(list_, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* item) { emit frame_chosen(item->data(Qt::UserRole).toInt()); });
    for (auto signal : {&Session::series_changed, &Session::profiles_changed, &Session::selection_changed,
                        &Session::current_frame_changed, &Session::quick_merge_changed})
        connect(&session_, signal, this, &CullTray::refresh);
    refresh();
}

void CullTray::show_marks(bool on) {
    const QSignalBlocker quiet(marks_);
    marks_->setChecked(on);
    reach_->setVisible(on);
}

void CullTray::show_quick_look(bool on) {
    quick_->setChecked(on);
}

void CullTray::show_keeping(bool on) {
    keep_->setChecked(on);
}

void CullTray::refresh() {
    const bool open = session_.has_series();
    const Series& series = session_.series();
    set_state(!open                             ? QString()
              : session_.order().needs_repair() ? tr("%1 frames").arg(series.count())
                                                : tr("%1 frames, near to far").arg(series.count()));
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
    none_->setVisible(found.empty());
    none_->setText(!open                     ? tr("Open a series first (Ctrl+O).")
                   : !session_.is_profiled() ? tr("The frames are being looked at.")
                                             : tr("Nothing."));
    accept_->setEnabled(any_left);
    next_suggestion_->setEnabled(!found.empty());
    QStringList gaps;
    for (const FocusGap& gap : session_.profile().gaps) gaps << gap_text(gap);
    gaps_->setText(gaps.mid(0, 3).join('\n'));
    gaps_->setVisible(!gaps.isEmpty());
    const OrderReport& order = session_.order();
    order_->setText(order_text(order));
    order_->setVisible(!order_->text().isEmpty());
    put_in_order_->setVisible(order.needs_repair());
    mixed_->setText(session_.mixed().mid(0, 2).join('\n'));
    mixed_->setVisible(!session_.mixed().isEmpty());
    // Where there is much to tell, the usual next step stays in sight.
    const bool warned = !gaps.isEmpty() || !order_->text().isEmpty() || !session_.mixed().isEmpty();
    list_->setFixedHeight(std::min(warned ? 2 : 3, int(found.size())) * 66 + 4);  // three lines each
    hint_->setVisible(!warned && found.empty());
    for (QWidget* widget : std::initializer_list<QWidget*>{near_, far_, toggle_, save_, merge_, reference_})
        widget->setEnabled(open);
    for (QWidget* widget : {keep_, quick_}) widget->setEnabled(session_.quick_merge() != nullptr);
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
        text += tr(": sharpest in %1 %").arg(100 * session_.profile().share[std::size_t(current)], 0, 'f', 1);
    this_frame_->setText(text);
    toggle_->setText(used ? tr("Leave out") : tr("Take back"));
    toggle_->setAccessibleName(toggle_->text());
    const QSignalBlocker quiet(reference_);
    reference_->setRange(1, series.count());
    reference_->setValue(session_.reference() + 1);
    suggested_->setText(session_.is_profiled() ? tr("suggested: %1, with most of the subject sharp")
                                                     .arg(session_.profile().suggested_reference + 1)
                                               : QString());
}

}  // namespace moorhaze::desktop
