// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/snag_list.h"

#include <QLabel>
#include <QListWidget>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

#include "desktop/session/document/facts.h"
#include "desktop/session/work/text.h"
#include "desktop/tray/small_picture.h"
#include "desktop/tray/tray_parts.h"
#include "desktop/view/commands.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr QSize kSnagIcon(34, 20);
constexpr int kLater_ms = 250;
constexpr int kMost_px = 240;  // of the picture that a small one shows

}  // namespace

SnagList::SnagList(SessionBase& base, SnagWalk& walk, const Brushwork& brushwork, Commands& commands,
                   QWidget* parent)
    : QWidget(parent), base_(base), walk_(walk), brushwork_(brushwork) {
    words_ = new QLabel(this);
    words_->setObjectName(QStringLiteral("snags"));
    words_->setWordWrap(true);
    list_ = make_short_list(QStringLiteral("snagList"), tr("Doubtful places"), this);
    list_->setIconSize(kSnagIcon);
    later_.setSingleShot(true);
    later_.setInterval(kLater_ms);
    connect(&later_, &QTimer::timeout, this, &SnagList::refresh_pictures);
    connect(&brushwork_, &Brushwork::display_changed, &later_, qOverload<>(&QTimer::start));
    connect(&brushwork_, &Brushwork::area_changed, &later_, qOverload<>(&QTimer::start));
    connect(list_, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* item) { walk_.go_to(list_->row(item)); });
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->addWidget(words_);
    rows->addWidget(list_);
    rows->addLayout(side_by_side(commands.button(QStringLiteral("next-suggestion"), tr("Next"), this),
                                 commands.button(QStringLiteral("ignore-snag"), tr("Ignore"), this)));
    again_ = make_button(tr("Look again"), {},
                         tr("Looks for doubtful places in the picture as it is painted now; what you ignored "
                            "stays ignored"),
                         this);
    again_->setObjectName(QStringLiteral("lookAgain"));
    rows->addWidget(again_);
    connect(again_, &QPushButton::clicked, &walk_, &SnagWalk::look_again);
}

QString SnagList::in_words() const {
    if (!base_.standpoint.result()) return tr("Nothing is merged yet (Ctrl+Return).");
    if (walk_.is_looking()) return tr("Looking for doubtful places ...");
    if (!walk_.problem().isEmpty()) return walk_.problem();
    if (!walk_.is_known()) return {};
    if (walk_.current()) return text(sentence_of(walk_.snags()[std::size_t(*walk_.current())].snag));
    if (walk_.snags().empty()) return tr("No doubtful place was found.");
    if (walk_.left() == 0) return tr("All were painted or ignored.");
    return walk_.left() == 1 ? tr("One place to look at.") : tr("%1 places to look at.").arg(walk_.left());
}

void SnagList::refresh() {
    words_->setText(in_words());
    const auto& all = walk_.snags();
    while (list_->count() > int(all.size())) delete list_->takeItem(list_->count() - 1);
    while (list_->count() < int(all.size())) list_->addItem(QString());
    for (int row = 0; row < list_->count(); ++row) {
        const WalkedSnag& own = all[std::size_t(row)];
        const Snag& snag = own.snag;
        const QString where = snag.nearest < snag.farthest
                                  ? tr("%1 to %2").arg(snag.nearest).arg(snag.farthest)
                                  : tr("frame %1").arg(snag.frame);
        const QString state = own.painted ? tr(" · painted") : own.ignored ? tr(" · ignored") : QString();
        QListWidgetItem* item = list_->item(row);
        item->setText(tr("%1  %2, %3%4").arg(row + 1).arg(snag_name(snag.kind), where, state));
        item->setToolTip(text(sentence_of(snag)));
        item->setForeground(own.is_left() ? Theme::current().text : Theme::current().quiet);
    }
    later_.start();
    list_->setVisible(!all.empty());
    again_->setVisible(walk_.can_look_again());
    const QSignalBlocker quiet(list_);
    list_->setCurrentRow(walk_.current().value_or(-1));
    if (walk_.current()) list_->scrollToItem(list_->item(*walk_.current()));
}

void SnagList::refresh_pictures() {
    const auto display = brushwork_.display();
    const auto& all = walk_.snags();
    for (int row = 0; row < std::min(list_->count(), int(all.size())); ++row) {
        const Snag& snag = all[std::size_t(row)].snag;
        const QRectF near = QRectF(snag.place.x, snag.place.y, 0, 0)
                                .adjusted(-kMost_px / 2, -kMost_px / 2, kMost_px / 2, kMost_px / 2);
        QPixmap picture(kSnagIcon);
        QPainter painter(&picture);
        draw_small_picture(painter, picture.rect(), display.get(), QRectF(to_qrect(snag.area)) & near);
        list_->item(row)->setIcon(QIcon(picture));
    }
}

}  // namespace moorhaze::desktop
