// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QPointF>

#include "core/picture/picture.h"
#include "desktop/session/session.h"

namespace moorhaze::desktop {

class PictureView;

/// What a hand does on the picture in Finish, by the tray's page: takes hold of the crop's edges, of one
/// picture or of all views, draws a level line, drags a colour, picks a grey or the ground. Places are those
/// of the turned picture.
class FinishHands : public QObject {
    Q_OBJECT
  public:
    FinishHands(Session& session, PictureView& view, QObject* parent);

    /// Whether the left button is for this rather than for panning.
    bool is_needed() const;

    void press(QPointF place, Qt::KeyboardModifiers modifiers);
    void move(QPointF place, Qt::KeyboardModifiers modifiers);
    void release();

    /// What of the crop a place takes hold of: -1, 0 or 1 for its left and top edge, none, its right and
    /// bottom.
    struct Grip {
        int across = 0, down = 0;
        bool inside = false;
    };
    /// @param reach  how near an edge has to be, px.
    static std::optional<Grip> grip_of(PixelRect crop, QPointF place, double reach);
    /// The crop after its grip was moved; never out of `within`, never turned inside out.
    /// @param shape  width by height that is kept; 0: any.
    static PixelRect moved(PixelRect crop, Grip grip, QPoint by, PixelRect within, double shape);

  private:
    void show_colour(QPointF place);

    Session& session_;
    PictureView& view_;
    enum class Doing { none, crop, level, colour } doing_ = Doing::none;
    QPointF pressed_;
    Grip grip_;
    PixelRect before_;
    int drags_ = 0;
};

}  // namespace moorhaze::desktop
