// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QList>
#include <QPointF>

#include "desktop/session/shown/shown.h"
#include "desktop/session/shown/sounding.h"
#include "desktop/session/tasks/culling.h"

namespace moorhaze::desktop {

/// What pointing at the picture does in each stage. Places are in reference pixels of what is shown.
class Pointing : public QObject {
    Q_OBJECT
  public:
    Pointing(SessionBase& base, Culling& culling, Sounding& sounding, QObject* parent = nullptr);

    /// A click, or a right click when `sound` is set: the frame that is sharpest there, and the sounding.
    /// @param patch_px  side of the sounding's patches.
    void point_at(QPointF place, bool sound, const Shown& shown, int patch_px);
    /// A frame was picked from the sounding: it is shown, and in Mend drawn in from.
    void pick(FrameId frame);
    /// Another result was picked from the sounding: it is drawn in from.
    /// Where two depths meet at the place sounded: the frame of the other one becomes the source.
    void pick_other();
    QString why_no_other() const;  ///< in a sentence; empty: there is one
    void pick_result(ResultId result);
    /// The next frame farther (1) or nearer (-1); in Mend it becomes the source, too.
    void step(int by);
    /// A line drawn across what shall be sharp; one place where it was only clicked.
    void keep_along(const QList<QPointF>& places, const Shown& shown);

    void next_suggestion();
    void near_limit_here() { limit_here(true); }
    void far_limit_here() { limit_here(false); }

  private:
    void limit_here(bool near);
    void say_none_is_sharp();
    void follow_sounding();
    QPointF share_of(QPointF place) const;  ///< 0..1 across and down

    SessionBase& base_;
    Culling& culling_;
    Sounding& sounding_;
    std::optional<FrameId> followed_;  ///< what following made the source last
    bool source_follows_ = false;      ///< until a frame is picked, the sharpest one is drawn in from
};

}  // namespace moorhaze::desktop
