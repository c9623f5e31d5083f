#pragma once
#include <QImage>
#include <QObject>
#include <QPointF>
#include <QThreadPool>
#include <vector>

#include "desktop/session/session.h"

namespace moorhaze::desktop {

/// A plumb line dropped through the series at a pointed place: the same small patch from the frames around
/// the sharpest, with how sharp each is there. Patches arrive one after the other.
class Sounding : public QObject {
    Q_OBJECT
  public:
    struct Patch {
        int frame = 0;
        QImage image;          ///< empty until it is there
        float sharpness = -1;  ///< measured in the patch; below 0 until it is there
    };
    static constexpr int kPatches = 7;

    explicit Sounding(Session& session, QObject* parent = nullptr);
    ~Sounding() override;

    /// @param place     in reference pixels.
    /// @param patch_px  side of a patch in picture pixels.
    void drop(QPointF place, int patch_px);
    void close();

    bool is_open() const { return open_; }
    QPointF place() const { return place_; }
    int patch_px() const { return patch_px_; }
    /// Nearest frame first.
    const std::vector<Patch>& patches() const { return patches_; }
    /// Index of the sharpest frame here: measured once all patches are there, before that by the profile; -1
    /// if unknown.
    int sharpest_frame() const;
    /// Index of the frame that supplied the place in the result shown; -1 if none.
    int frame_in_use() const;

  signals:
    void changed();

  private:
    void load_next();
    bool follow_sharpest();

    Session& session_;
    QThreadPool pool_;
    bool open_ = false;
    QPointF place_;
    int patch_px_ = 0, serial_ = 0, shifts_left_ = 0;
    int expected_ = -1;  ///< sharpest by the profile
    std::vector<Patch> patches_;
    std::shared_ptr<const FrameSource> source_;
};

}  // namespace moorhaze::desktop
