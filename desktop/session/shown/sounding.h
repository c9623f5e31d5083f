// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QImage>
#include <QPointF>
#include <optional>
#include <vector>

#include "desktop/session/document/session_base.h"
#include "desktop/session/shown/heard.h"
#include "desktop/session/work/derived.h"

namespace moorhaze::desktop {

/// A plumb line dropped through the series at a pointed place: the same small patch from the frames around
/// the sharpest, with how sharp each is there. Patches arrive one after the other. Laid in the same plane as
/// what is shown.
class Sounding : public QObject {
    Q_OBJECT
  public:
    using Patch = HeardPatch;
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

    bool is_open() const { return asked_.has_value(); }
    PlanePtr plane() const { return asked_ ? asked_->plane : nullptr; }
    QPointF place() const { return asked_ ? asked_->place : QPointF(); }
    int patch_px() const { return asked_ ? asked_->patch_px : 0; }
    /// Nearest frame first.
    const std::vector<Patch>& patches() const { return heard().patches; }
    /// In Mend: the newest other results, as far as they are at hand.
    const std::vector<ResultPatch>& results() const;
    /// The sharpest frame here: measured once all patches are there, before that by the merge's depth or the
    /// previews; none where no frame is sharp.
    std::optional<FrameId> sharpest_frame() const;
    /// Where two depths meet: the frame of the other one; measured.
    std::optional<FrameId> other_sharp_frame() const;
    /// True when it was measured that nothing is sharp here.
    bool is_nothing_sharp() const { return heard().judged && heard().judged->empty(); }
    /// The frame that supplied the place in the result shown.
    std::optional<FrameId> frame_in_use() const;
    bool is_settled() const { return heard_.is_settled() && results_.is_settled(); }

  signals:
    void changed();

  private:
    /// Which other results are shown at the same place.
    struct AskedResults {
        SoundedPlace at;
        std::vector<ResultPatch> patches;   ///< without pictures yet
        std::vector<ResultSource> sources;  ///< as many
        bool operator==(const AskedResults& other) const;
    };
    tl::expected<SoundedPlace, Why> inputs() const;
    tl::expected<AskedResults, Why> result_inputs() const;
    std::optional<FrameId> sharpest_by_looking(const Plane& plane, QPointF place) const;
    std::optional<FrameId> sharpest_by_merge(const PlanePtr& plane, QPointF place) const;
    const Heard& heard() const;

    SessionBase& base_;
    std::optional<SoundedPlace> asked_;  ///< none while it is closed
    Heard silence_;                      ///< what stands there until something was heard
    Derived<SoundedPlace, Heard> heard_;
    Derived<AskedResults, std::vector<ResultPatch>> results_;
};

}  // namespace moorhaze::desktop
