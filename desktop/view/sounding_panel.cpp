// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/sounding_panel.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr int kHeader = 34, kGap = 6, kMargin = 10, kTextWidth = 96;  // logical px
constexpr int kClear = 40;  // logical px around the place that stay free

}  // namespace

SoundingPanel::SoundingPanel(Sounding& sounding, QWidget* parent) : QWidget(parent), sounding_(sounding) {
    setMouseTracking(true);
    setAccessibleName(tr("Sounding"));
    connect(&sounding_, &Sounding::changed, this, [this] {
        setVisible(sounding_.is_open());
        update();
    });
    hide();
}

int SoundingPanel::patch_side(int room_height) {
    return std::clamp((room_height - kHeader - 2 * kMargin) / Sounding::kPatches - kGap, 40, 92);
}

void SoundingPanel::place_in(const QRect& room, QPointF place) {
    side_ = patch_side(room.height());
    const int tall = kHeader + std::max(1, rows()) * (side_ + kGap) + kMargin;
    const int wide = side_ + with_text(kTextWidth) + 3 * kMargin;
    if (sounding_.place() != placed_for_) {
        placed_for_ = sounding_.place();
        is_right_ = place.x() < room.left() + wide + kClear && room.width() > 2 * (wide + kClear);
    }
    setGeometry(is_right_ ? room.right() + 1 - wide : room.left(),
                room.top() + std::max(0, (room.height() - tall) / 2), wide, tall);
}

int SoundingPanel::rows() const {
    return int(sounding_.patches().size() + sounding_.results().size());
}

QRect SoundingPanel::row_rect(int row) const {
    return {kMargin, kHeader + row * (side_ + kGap), width() - 2 * kMargin, side_};
}

QRect SoundingPanel::close_rect() const {
    return {width() - 26, 8, 18, 18};
}

int SoundingPanel::row_at(QPoint place) const {
    for (int row = 0; row < rows(); ++row)
        if (row_rect(row).contains(place)) return row;
    return -1;
}

std::vector<std::pair<FrameId, int>> SoundingPanel::threads() const {
    std::vector<std::pair<FrameId, int>> threads;
    const int count = is_right_ ? 0 : int(sounding_.patches().size());
    for (int row = 0; row < count; ++row)
        threads.emplace_back(sounding_.patches()[std::size_t(count - 1 - row)].frame,
                             y() + row_rect(row).center().y());
    return threads;
}

void SoundingPanel::choose(int number) {
    const int count = int(sounding_.patches().size());
    if (number >= 1 && number <= count)
        emit frame_chosen(sounding_.patches()[std::size_t(count - number)].frame);
    if (number > count && number <= rows())
        emit result_chosen(sounding_.results()[std::size_t(number - count - 1)].result);
}

void SoundingPanel::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    QColor ground = theme.well;
    ground.setAlpha(242);
    painter.fillRect(rect(), ground);
    painter.setFont(theme_font(11));
    painter.setPen(theme.quiet);
    painter.drawText(QRect(kMargin, 8, width() - 40, 20), Qt::AlignVCenter,
                     sounding_.is_nothing_sharp() ? tr("no frame is sharp here")
                                                  : tr("sounding at %1, %2")
                                                        .arg(std::lround(sounding_.place().x()))
                                                        .arg(std::lround(sounding_.place().y())));
    painter.drawPixmap(close_rect().topLeft() + QPoint(2, 2),
                       theme_pixmap(QStringLiteral("x"), theme.quiet, 14, devicePixelRatioF()));
    const auto& patches = sounding_.patches();
    const int count = int(patches.size());
    float most = 1e-9f;
    for (const auto& patch : patches) most = std::max(most, patch.share);
    const auto sharpest = sounding_.sharpest_frame(), other = sounding_.other_sharp_frame(),
               in_use = sounding_.frame_in_use();
    for (int row = 0; row < count; ++row) {
        const auto& patch = patches[std::size_t(count - 1 - row)];
        const QRect box = row_rect(row), picture(box.topLeft(), QSize(side_, side_));
        paint_picture(painter, picture, patch.image);
        const bool best = patch.frame == sharpest || patch.frame == other;
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(best || row == hovered_row_ ? theme.heather_light : theme.line, best ? 2 : 1));
        painter.drawRect(picture.adjusted(0, 0, -1, -1));
        const int left = picture.right() + 1 + kMargin;
        const int wide = box.right() - left;
        const int middle = box.center().y();
        painter.setFont(theme_font(13, best));
        painter.setPen(theme.text);
        painter.drawText(QRect(left, middle - 21, wide, 20), Qt::AlignVCenter | Qt::AlignLeft,
                         QString::number(patch.number));
        painter.setFont(theme_font(11));
        painter.setPen(theme.quiet);
        // Where two depths meet, both are marked: Tab changes between them.
        const auto place_of = [this](std::optional<FrameId> frame) {
            for (const auto& own : sounding_.patches())
                if (own.frame == frame) return own.index;
            return -1;
        };
        QString word;
        if (best && other)
            word = (place_of(patch.frame) < place_of(patch.frame == other ? sharpest : other))
                       ? tr("near, sharp")
                       : tr("far, sharp");
        else if (best)
            word = tr("sharpest");
        if (patch.frame == in_use) word = word.isEmpty() ? tr("in use") : word + tr(", used");
        painter.drawText(QRect(left, middle + 8, wide, 16), Qt::AlignVCenter | Qt::AlignLeft, word);
        painter.drawText(QRect(left, middle - 21, wide, 20), Qt::AlignVCenter | Qt::AlignRight,
                         tr("key %1").arg(row + 1));
        const double share = patch.share >= 0 ? patch.share / most : 0;
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme.raised);
        painter.drawRoundedRect(QRectF(left, middle + 1, wide, 5), 2, 2);
        painter.setBrush(best ? theme.heather_light : theme.quiet);
        if (share > 0)
            painter.drawRoundedRect(QRectF(left, middle + 1, std::max(3.0, wide * share), 5), 2, 2);
    }
    for (int i = 0; i < int(sounding_.results().size()); ++i)
        paint_result(painter, count + i, sounding_.results()[std::size_t(i)]);
}

void SoundingPanel::paint_picture(QPainter& painter, const QRect& picture, const QImage& image) const {
    painter.fillRect(picture, Theme::current().surround);
    if (image.isNull()) return;
    painter.setRenderHint(QPainter::SmoothPixmapTransform, false);
    painter.drawImage(picture, image);
}

void SoundingPanel::paint_result(QPainter& painter, int row, const Sounding::ResultPatch& patch) const {
    const Theme& theme = Theme::current();
    const QRect box = row_rect(row), picture(box.topLeft(), QSize(side_, side_));
    paint_picture(painter, picture, patch.image);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(row == hovered_row_ ? theme.heather_light : theme.line, 1));
    painter.drawRect(picture.adjusted(0, 0, -1, -1));
    const int left = picture.right() + 1 + kMargin, wide = box.right() - left, middle = box.center().y();
    painter.setFont(theme_font(13));
    painter.setPen(theme.text);
    const QString title = painter.fontMetrics().elidedText(patch.title, Qt::ElideRight, wide);
    painter.drawText(QRect(left, middle - 10, wide, 20), Qt::AlignVCenter | Qt::AlignLeft, title);
    painter.setFont(theme_font(11));
    painter.setPen(theme.quiet);
    painter.drawText(QRect(left, middle - 28, wide, 18), Qt::AlignVCenter | Qt::AlignRight,
                     tr("key %1").arg(row + 1));
    painter.drawText(QRect(left, middle + 12, wide, 16), Qt::AlignVCenter | Qt::AlignLeft,
                     tr("another result"));
}

void SoundingPanel::mousePressEvent(QMouseEvent* event) {
    if (close_rect().adjusted(-4, -4, 4, 4).contains(event->pos())) {
        emit closed();
        return;
    }
    if (const int row = row_at(event->pos()); row >= 0) choose(row + 1);
}

void SoundingPanel::mouseMoveEvent(QMouseEvent* event) {
    hovered_row_ = row_at(event->pos());
    setCursor(hovered_row_ >= 0 || close_rect().contains(event->pos()) ? Qt::PointingHandCursor
                                                                       : Qt::ArrowCursor);
    update();
}

void SoundingPanel::leaveEvent(QEvent*) {
    hovered_row_ = -1;
    update();
}

}  // namespace moorhaze::desktop
