// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QImage>
#include <QPointF>
#include <vector>

#include "core/merge/sharp_frames.h"
#include "desktop/session/document/session_base.h"
#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// A plumb line dropped through the series at a pointed place: the same small patch from the frames around
/// the sharpest, with how sharp each is there. Patches arrive one after the other. Laid in the same plane as
/// what is shown.
class Sounding : public QObject {
    Q_OBJECT
  public:
    struct Patch {
        FrameId frame;
        int number = 0;    ///< of the frame today, from 1
        int index = 0;     ///< in the plane's series
        QImage image;      ///< empty until it is there
        float share = -1;  ///< 0..1 of what is seen there is sharpest in it; below 0 until all is measured
        std::shared_ptr<const LinearFrame> part;  ///< what it is judged by
        bool was_tried = false;
    };
    /// The same place of another result, which could be painted from.
    struct ResultPatch {
        ResultId result;
        QString title;
        QImage image;  ///< empty until it is there
    };
    static constexpr int kPatches = 7;        ///< of frames and results together
    static constexpr int kResultPatches = 2;  ///< at most

    explicit Sounding(SessionBase& base, QObject* parent = nullptr);

    /// @param place     in reference pixels of the plane.
    /// @param patch_px  side of a patch in picture pixels.
    void drop(QPointF place, int patch_px, PlanePtr plane);
    void close();

    bool is_open() const { return plane_ != nullptr; }
    const PlanePtr& plane() const { return plane_; }
    QPointF place() const { return place_; }
    int patch_px() const { return patch_px_; }
    /// Nearest frame first.
    const std::vector<Patch>& patches() const { return patches_; }
    /// In Mend: the newest other results, as far as they are at hand.
    const std::vector<ResultPatch>& results() const { return results_; }
    /// The sharpest frame here: measured once all patches are there, before that by the merge's depth or the
    /// profile; none where no frame is sharp.
    std::optional<FrameId> sharpest_frame() const;
    /// Where two depths meet: the frame of the other one; measured.
    std::optional<FrameId> other_sharp_frame() const;
    /// True when it was measured that nothing is sharp here.
    bool is_nothing_sharp() const { return judged_ && judged_->empty(); }
    /// The frame that supplied the place in the result shown.
    std::optional<FrameId> frame_in_use() const;
    bool is_settled() const { return !wish_.is_busy(); }

  signals:
    void changed();

  private:
    void load_next();
    void load_results();
    PixelRect patch_area() const;
    std::vector<ResultPatch> other_results() const;
    bool follow_sharpest();
    std::optional<FrameId> sharpest_by_profile() const;
    std::optional<FrameId> sharpest_by_merge() const;
    double reach_px() const;
    void judge();
    Patch patch_of(int index) const;

    SessionBase& base_;
    LatestWish wish_;
    PlanePtr plane_;  ///< null while it is closed
    QPointF place_;
    int patch_px_ = 0, shifts_left_ = 0;
    std::optional<FrameId> expected_;             ///< sharpest by what was known before
    std::optional<std::vector<FrameId>> judged_;  ///< sharpest by the patches, the surest first
    std::vector<Patch> patches_;
    std::vector<ResultPatch> results_;
};

}  // namespace moorhaze::desktop
