// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

#include "desktop/session/session.h"
#include "desktop/session/shown/shown.h"

class QTimer;

namespace moorhaze::desktop {

class PictureView;
class SoundingPanel;
class FinishHands;

/// The middle of the window: the picture, what it is compared with, the sounding over it, and what to do
/// first where there is no picture. Shows what shown_of() says, as far as it is ready.
class PictureArea : public QWidget {
    Q_OBJECT
  public:
    PictureArea(Session& session, QWidget* parent);

    PictureView& picture() { return *picture_; }
    PictureView& twin() { return *twin_; }
    SoundingPanel& panel() { return *panel_; }
    /// Shown where there is no picture; owned by this.
    void set_empty_state(QWidget* box);

    const Shown& shown() const { return shown_; }
    /// True when everything that is to be shown is there.
    bool is_settled() const;
    int patch_px() const;  ///< side of a sounding's patches for the room there is
    /// The place in a frame's own pixels that lies at a place of the picture.
    cv::Point2d in_frame(FrameId frame, QPointF place) const;

  public slots:
    void show_all();

  signals:
    void pointed(QPointF place);  ///< clicked
    void sounded(QPointF place);  ///< a sounding is asked for there
    void line_drawn(QList<QPointF> places);
    void point_set(FrameId frame, FrameId partner, QPointF place);
    void tone_pointed(std::optional<double> tone);  ///< in Finish; none: the pointer is elsewhere

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    bool paints_sharpening() const;
    void follow(const Settled& what);
    void connect_views();
    /// A place of what is shown, in reference pixels: in Finish the picture may be turned.
    QPointF in_reference(QPointF place) const;
    void show_main();
    void show_other();
    void show_plane();
    void show_kept();    ///< what is lost, in Align
    void show_crop();    ///< what is kept, in Finish
    void show_finish();  ///< what is in view as it is finished now
    void show_points();  ///< matching points, in Align
    void show_dust();    ///< rings around it, in Align
    void show_comparing();
    void show_preview();  ///< what is in view with the settings as they are, in Merge
    void show_spot();     ///< the doubtful place that the person stands at, in Mend
    void show_sounding();
    void show_caption();
    bool cannot_be_made(const ShownPicture& picture) const;
    QString label_of(const ShownPicture& picture) const;
    std::shared_ptr<const DisplayPicture> ready(const ShownPicture& picture) const;

    Session& session_;
    PictureView *picture_, *twin_;
    QWidget* twin_edge_;
    SoundingPanel* panel_;
    FinishHands* hands_;
    MendTool tool_before_eraser_ = MendTool::draw_in;
    QWidget* empty_ = nullptr;
    QTimer* blink_;
    Shown shown_;
    QSize plane_;
    std::optional<QPointF> hovered_;
};

}  // namespace moorhaze::desktop
