// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/tray/small_picture.h"

#include <QPainter>

#include "desktop/view/theme.h"

namespace moorhaze::desktop {

void draw_small_picture(QPainter& painter, const QRectF& room, const DisplayPicture* display, QRectF area) {
    painter.fillRect(room, Theme::current().surround);
    if (!display || display->levels().empty() || area.isEmpty()) return;
    const QPointF middle = area.center();
    const QSizeF size = room.size().scaled(area.size(), Qt::KeepAspectRatioByExpanding);
    area = QRectF(middle - QPointF(size.width(), size.height()) / 2, size);
    // The level that has about as many pixels as the small picture.
    double scale = display->scale();
    std::size_t level = 0;
    for (; level + 1 < display->levels().size() && area.width() / (2 * scale) >= room.width(); ++level)
        scale *= 2;
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.drawImage(room, display->levels()[level],
                      QRectF((area.topLeft() - display->origin()) / scale, area.size() / scale));
}

}  // namespace moorhaze::desktop
