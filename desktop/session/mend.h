#pragma once
#include <QObject>
#include <QPointF>
#include <QThreadPool>
#include <map>

#include "desktop/session/display_picture.h"
#include "desktop/session/session.h"

namespace moorhaze::desktop {

/// The brush as the person set it.
struct Brush {
    double radius_px = 17, softness = 0.6, flow = 0.4;
    bool wipe_back = false;
};

/// The result shown with its strokes rendered over it, as a picture for the screen and as one to be saved. A
/// stroke is rendered while it is drawn; the rendering runs beside the interface.
class Mend : public QObject {
    Q_OBJECT
  public:
    explicit Mend(Session& session, QObject* parent = nullptr);
    ~Mend() override;

    const Brush& brush() const { return brush_; }
    void set_brush(const Brush& brush);
    /// Index of the frame to draw in from; -1 when none was picked.
    int source_frame() const { return source_frame_; }
    void set_source_frame(int frame);

    /// Why a stroke cannot begin now, in words; empty if it can.
    QString why_not() const;
    void begin_stroke(QPointF place);
    void continue_stroke(QPointF place);
    void end_stroke();
    bool is_drawing() const { return drawing_; }

    /// The mended result for the screen; null while it is being made or there is none.
    std::shared_ptr<const DisplayPicture> display() const { return display_; }
    int display_result() const { return display_of_; }
    /// Another result as it was shown last; null if it was not shown yet or was dropped.
    std::shared_ptr<const DisplayPicture> display_of(int result) const;
    /// The mended result at 16 bit, for saving; empty while it is being made. `area` of the reference plane.
    Picture picture() const;
    /// True when everything painted has been rendered.
    bool is_settled() const { return !rendering_ && pending_.isEmpty() && display_ != nullptr; }

  signals:
    void brush_changed();
    void display_changed();         ///< another picture
    void area_changed(QRect area);  ///< part of the picture, in reference pixels
    void failed(QString why);

  private:
    void show_result();
    void render(const QRect& area);
    void next();

    Session& session_;
    QThreadPool pool_;
    Brush brush_;
    int source_frame_ = -1;
    bool drawing_ = false, rendering_ = false;
    Stroke live_;
    QRect pending_;
    int serial_ = 0, display_of_ = 0;
    std::shared_ptr<DisplayPicture> display_;
    std::map<int, std::shared_ptr<const DisplayPicture>> earlier_;
    std::shared_ptr<const FrameSource> source_;
    std::shared_ptr<const MergeResult> merge_;
    cv::Mat mended_;
};

}  // namespace moorhaze::desktop
