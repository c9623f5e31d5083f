// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QList>
#include <QPointF>

#include "desktop/session/shown/mended_display.h"

namespace moorhaze::desktop {

/// Drawing on the result shown: a stroke is seen while it is drawn; what it becomes in the end is an edit of
/// the document. In the interface's thread.
class Brushwork : public QObject {
    Q_OBJECT
  public:
    Brushwork(SessionBase& base, PictureStore& store, MendedDisplay& display, QObject* parent = nullptr);

    /// Why a stroke cannot begin now, in words; empty if it can.
    QString why_not() const;
    /// @param pressure  0..1 of a pen.
    void begin_stroke(QPointF place, double pressure = 1);
    void continue_stroke(QPointF place, double pressure = 1);
    /// Draws in at once; what fades, takes or heals is made when it ends.
    void end_stroke();
    /// What is being drawn without being seen yet, in reference pixels.
    const QList<QPointF>& guide() const { return guide_; }
    /// Where the next copying stroke starts from; later ones keep its distance.
    void copy_from(QPointF place);
    /// The source is brought to all places of the merge that a rule holds for.
    void fill(const WhereRule& rule);

    /// The frames merged, from the one that is sharp at a place up to the one before the source.
    std::vector<FrameId> frames_between(const StrokePoint& from, FrameId source) const;

    /// Nothing that was drawn is still being made.
    bool is_settled() const { return display_.is_settled() && !making_.is_busy(); }

  signals:
    void guide_changed();

  private:
    QString why_not_shown() const;
    QString why_not_source() const;
    QString why_not_from(ResultId source) const;
    Stroke stroke_of_brush() const;
    void set_guide(const QList<QPointF>& places);
    void end_guided();
    void make_beside(const Stroke& path);
    void add_stroke(const Stroke& stroke);
    const MergeProduct& product() const { return display_.product(); }

    SessionBase& base_;
    MendedDisplay& display_;
    LatestWish making_;  ///< a stroke out of what was drawn
    QList<QPointF> guide_;
    MendTool guided_by_ = MendTool::fade;  ///< what the guide becomes
    std::optional<QPointF> copied_place_;
    std::optional<FromPlace> copied_from_;  ///< once a stroke of it began
};

}  // namespace moorhaze::desktop
