// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/snag_list.h"

#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

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
constexpr int kRow_px = 34, kList_px = 5 * kRow_px + 2;  // five places at once
constexpr int kMost_px = 240;                            // of the picture that a small one shows

}  // namespace

SnagList::SnagList(SessionBase& base, SnagWalk& walk, const MendedDisplay& display, Commands& commands,
                   QWidget* parent)
    : QWidget(parent), base_(base), walk_(walk), display_(display) {
    words_ = new QLabel(this);
    words_->setObjectName(QStringLiteral("snags"));
    words_->setWordWrap(true);
    list_ = new RowList(
        QStringLiteral("snagList"), tr("Doubtful places"),
        {.picture = kSnagIcon, .row_height = kRow_px, .most_rows = 6, .most_height = kList_px}, this);
    later_.setSingleShot(true);
    later_.setInterval(kLater_ms);
    connect(&later_, &QTimer::timeout, this, [this] {
        std::vector<ListRow> rows = list_->rows().rows();
        for (std::size_t place = 0; place < std::min(rows.size(), walk_.snags().size()); ++place)
            rows[place].picture = small_picture(walk_.snags()[place].snag);
        list_->set_rows(std::move(rows));
    });
    connect(&display_, &MendedDisplay::changed, &later_, qOverload<>(&QTimer::start));
    connect(&display_, &MendedDisplay::area_changed, &later_, qOverload<>(&QTimer::start));
    connect(list_, &RowList::pressed_on, &walk_, &SnagWalk::go_to);
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
    if (walk_.snags().empty())
        return walk_.unseen() == 0
                   ? tr("No doubtful place was found.")
                   : tr("No doubtful place is seen in the size that is handed over; %1 are at 100 %.")
                         .arg(walk_.unseen());
    if (walk_.left() == 0) return tr("All were painted or ignored.");
    const int left = walk_.left(), plain = walk_.plain_left();
    if (left == 1)
        return plain == 1 ? tr("One place to look at.") : tr("One place to look at, a slight one.");
    const QString all = tr("%1 places to look at, %2.")
                            .arg(left)
                            .arg(plain == 0      ? tr("all slight")
                                 : plain == left ? tr("all plain")
                                                 : tr("%1 of them plain").arg(plain));
    return walk_.unseen() == 0
               ? all
               : all + QLatin1Char(' ') +
                     tr("%1 more are not seen in the size that is handed over.").arg(walk_.unseen());
}

void SnagList::refresh() {
    words_->setText(in_words());
    const auto& all = walk_.snags();
    std::vector<ListRow> rows;
    for (int place = 0; place < int(all.size()); ++place) {
        const WalkedSnag& own = all[std::size_t(place)];
        const Snag& snag = own.snag;
        const QString where = snag.without_dust > 0 ? tr("free of it: %1").arg(snag.without_dust)
                              : snag.nearest < snag.farthest
                                  ? tr("%1 to %2").arg(snag.nearest).arg(snag.farthest)
                                  : tr("frame %1").arg(snag.frame);
        const QString state = own.painted      ? tr(" · painted")
                              : own.ignored    ? tr(" · ignored")
                              : own.is_plain() ? QString()
                                               : tr(" · slight");
        rows.push_back({.key = QString::number(place),
                        .words = tr("%1  %2, %3%4").arg(place + 1).arg(snag_name(snag.kind), where, state),
                        .tip = text(sentence_of(snag)),
                        .picture = place < list_->count() ? list_->row(place).picture : QPixmap(),
                        .is_quiet = !own.is_left()});
    }
    list_->set_rows(std::move(rows));
    later_.start();
    again_->setVisible(walk_.can_look_again());
    list_->set_current(walk_.current().value_or(-1));
    if (walk_.current()) list_->scrollTo(list_->currentIndex());
}

QPixmap SnagList::small_picture(const Snag& snag) const {
    QPixmap picture = list_->canvas(Theme::current().surround);
    const QRectF near = QRectF(snag.place.x, snag.place.y, 0, 0)
                            .adjusted(-kMost_px / 2, -kMost_px / 2, kMost_px / 2, kMost_px / 2);
    QPainter painter(&picture);
    draw_small_picture(painter, QRect(QPoint(), kSnagIcon), display_.picture().get(),
                       QRectF(to_qrect(snag.area)) & near);
    return picture;
}

}  // namespace moorhaze::desktop
