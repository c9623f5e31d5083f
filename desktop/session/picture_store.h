#pragma once
#include <QObject>
#include <QThreadPool>
#include <list>
#include <memory>

#include "desktop/session/display_picture.h"
#include "desktop/session/session.h"

namespace moorhaze::desktop {

/// A frame as shot, or laid over the reference frame.
struct FrameView {
    int frame = 0;
    bool aligned = false;
    bool marked = false;  ///< what is sharp painted over; frames as shot only
    int edges_with = -1;  ///< its edges and those of this frame tinted over each other; -1: plain
    bool operator==(const FrameView&) const = default;
};

/// Frames made ready for the screen beside the interface, the most wanted first; keeps the most recently
/// shown.
class PictureStore : public QObject {
    Q_OBJECT
  public:
    explicit PictureStore(Session& session, QObject* parent = nullptr);
    ~PictureStore() override;

    /// The picture if it is ready, else null.
    std::shared_ptr<const DisplayPicture> find(FrameView view);
    /// What is wanted now, most wanted first; replaces earlier wishes. `ready` tells each.
    void want(const std::vector<FrameView>& views);
    /// Frames of the series laid as the session's geometry says; null before a series is open.
    std::shared_ptr<const FrameSource> source() const { return source_; }

    /// How much of what is nearly sharp is marked too, 0..1.
    void set_marks_reach(double reach);

  signals:
    void forgot();  ///< what was shown must be asked for again
    void ready(int frame, bool aligned);
    void failed(QString why);

  private:
    struct Kept {
        FrameView view;
        std::shared_ptr<const DisplayPicture> picture;
        std::size_t bytes;
    };
    void forget_all();
    void forget_aligned();
    void next();

    Session& session_;
    QThreadPool pool_;
    std::list<Kept> kept_;  ///< most recently used first
    std::vector<FrameView> wanted_;
    std::vector<FrameView> broken_;
    std::shared_ptr<const FrameSource> source_;
    bool working_ = false;
    double marks_reach_ = 0.4;
    int generation_ = 0;
};

}  // namespace moorhaze::desktop
