// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QList>
#include <QPointF>
#include <QRegion>

#include "core/mend/strokes.h"
#include "desktop/session/document/session_base.h"
#include "desktop/session/shown/picture_store.h"
#include "desktop/session/work/display_picture.h"
#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// The result shown with its strokes rendered over it, for the screen. A stroke is rendered while it is
/// drawn, piece by piece beside the interface; what it becomes in the end is an edit of the document.
class Brushwork : public QObject {
    Q_OBJECT
  public:
    Brushwork(SessionBase& base, PictureStore& store, QObject* parent = nullptr);

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

    // Strokes of the result shown, by their places in its list.
    void set_stroke_off(int stroke, bool off);
    /// Painted again with the brush and the source as they are now, along the same path.
    void paint_stroke_as_brush(int stroke);
    void delete_stroke(int stroke);
    /// The other result whose strokes may be taken over: the newest one that has any.
    const ProjectResult* others_strokes() const;
    /// Paints them here, too, beneath none of the strokes that are there; nothing is taken from the other.
    void take_over_strokes();

    /// The mended result for the screen; null while it is being made or there is none.
    std::shared_ptr<const DisplayPicture> display() const { return display_; }
    /// True when everything painted has been rendered, or nothing is to be shown.
    bool is_settled() const;

  signals:
    void display_changed();         ///< another picture
    void area_changed(QRect area);  ///< part of the picture, in reference pixels
    void guide_changed();

  private:
    QString why_not_shown() const;
    QString why_not_source() const;
    QString why_not_from(ResultId source) const;
    Stroke stroke_of_brush() const;
    void set_guide(const QList<QPointF>& places);
    void end_guided();
    std::vector<FrameId> frames_between(const StrokePoint& from, FrameId source) const;
    void make_beside(const Stroke& path);
    void add_stroke(const Stroke& stroke);
    void change_stroke(const QString& what, int stroke, const std::function<void(Stroke&)>& change);
    void show_result();
    void follow_strokes();
    void render(const QRect& area);
    void next();
    SharedList<Stroke> strokes() const;

    SessionBase& base_;
    PictureStore& store_;
    LatestWish whole_;   ///< a result that is shown anew
    LatestWish pieces_;  ///< of the one shown
    LatestWish making_;  ///< a stroke out of what was drawn
    QList<QPointF> guide_;
    MendTool guided_by_ = MendTool::fade;  ///< what the guide becomes
    std::optional<QPointF> copied_place_;
    std::optional<FromPlace> copied_from_;  ///< once a stroke of it began
    std::optional<ResultId> shown_;
    DocumentId shown_of_;  ///< the document that it is a result of
    MergeProduct product_;
    SharedList<Stroke> followed_;  ///< the strokes that are on the screen, or will be
    std::optional<Stroke> live_;
    QRegion pending_;
    std::shared_ptr<DisplayPicture> display_;
};

}  // namespace moorhaze::desktop
