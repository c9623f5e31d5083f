// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QList>
#include <QPolygonF>
#include <QString>
#include <memory>
#include <optional>

#include "desktop/session/work/display_picture.h"
#include "desktop/view/picture_framing.h"

class QPainter;

namespace moorhaze::desktop {

/// A numbered place in the picture, in reference pixels.
struct PictureMark {
    QPointF place;
    QString label;
    bool waiting = false;  ///< its partner is still to be set
};

/// A place with a ring around it, in reference pixels.
struct PictureRing {
    QPointF middle;
    double radius_px = 0;
};

/// A picture with its name, as it is written on it.
struct LabelledPicture {
    std::shared_ptr<const DisplayPicture> picture;
    QString label;
};

/// Everything that a picture view shows; places in reference pixels unless said otherwise.
struct PictureScene {
    LabelledPicture main;
    LabelledPicture other;  ///< compared with it, behind the curtain or instead of it
    LabelledPicture patch;  ///< a part of the picture as it might be, over `main` only
    bool patch_framed = true;
    bool curtain = false, flipped = false;
    double curtain_place = 0.5;  ///< 0..1 of the view's width
    QString caption;
    QList<PictureMark> marks;
    QList<PictureRing> rings;
    /// What of the plane is kept, from pixel edge to pixel edge: the rest lies under a veil. `outlines` are
    /// drawn as thin lines.
    std::optional<QRectF> kept;
    QList<QPolygonF> outlines;
    QString kept_label;
    /// Whose frame it is: what aligning leaves, or a crop, which can be taken hold of by squares.
    enum class Kept { area, crop, gripped_crop } kept_as = Kept::area;
    std::optional<QLineF> pointer_line;  ///< a drag, with what it does in words
    QString pointer_label;
    std::optional<QRectF> spot;  ///< an area to look at, from pixel edge to pixel edge
    QString spot_label;
    std::optional<QPointF> sounding_place;
    QList<QPointF> line;   ///< being drawn
    QList<QPointF> guide;  ///< a stroke that is rendered when it ends
    double guide_radius_px = 0;
    std::optional<QPointF> keyboard_mark;
    std::optional<QPointF> brush_place;  ///< where its outline is drawn
    double brush_radius_px = 0;
    std::optional<QPointF> loupe;  ///< a place of the view
};

/// Paints the scene over `dirty`, logical pixels of the view.
void paint_picture_scene(QPainter& painter, const QRect& dirty, const PictureScene& scene,
                         const PictureFraming& framing);

}  // namespace moorhaze::desktop
