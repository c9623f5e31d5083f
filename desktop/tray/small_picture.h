// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPixmap>

#include "desktop/session/work/display_picture.h"

namespace moorhaze::desktop {

/// The picture around an area, filling a rectangle of a list's picture; the surround where there is none.
/// @param area  in reference pixels; grown to the room's shape.
void draw_small_picture(QPainter& painter, const QRectF& room, const DisplayPicture* display, QRectF area);

}  // namespace moorhaze::desktop
