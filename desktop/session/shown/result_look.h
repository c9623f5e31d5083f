// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QColor>
#include <QObject>
#include <array>
#include <memory>

#include "desktop/session/document/mended_result.h"
#include "desktop/session/tasks/merging.h"
#include "desktop/session/work/display_picture.h"

namespace moorhaze::desktop {

/// The result shown with what is known of it laid over, at half size: quick enough to follow the trust floor
/// while it is moved. What is looked at is Standpoint::look().
class ResultLook : public QObject {
    Q_OBJECT
  public:
    /// @param colours  of depth, near to far.
    ResultLook(SessionBase& base, const Merging& merging, const std::array<QColor, 256>& colours,
               QObject* parent = nullptr);

    /// Shows the veil for as long as the floor is moved, whatever else is looked at.
    void set_floor_moving(bool moving);
    /// True when the result shown knows how far to trust its places.
    bool has_trust() const;
    /// What is to be shown instead of the plain picture; null when that is the picture itself.
    /// In Merge what is looked at, in Mend what was painted.
    std::shared_ptr<const DisplayPicture> shown() const;
    /// The depth that the merge under way has found so far, in the depth colours; null when there is none.
    std::shared_ptr<const DisplayPicture> growing() const {
        return growing_.value() ? *growing_.value() : nullptr;
    }
    /// True when nothing is to be laid over the picture.
    bool is_plain() const { return wanted_look() == LookAt::picture; }
    bool is_settled() const { return base_row_.is_settled() && row_.is_settled(); }

  signals:
    void changed();
    void grew();

  private:
    LookAt wanted_look() const;
    const MergeProduct* product() const;  ///< of the result shown

    using Base = std::shared_ptr<const cv::Mat4b>;  ///< the result as it was merged, at half size
    using Made = std::shared_ptr<const DisplayPicture>;
    struct BaseInputs {
        DocumentId document;
        ResultId result;
        std::shared_ptr<const MergeResult> merge;
        bool operator==(const BaseInputs&) const = default;
    };
    struct Inputs {
        BaseInputs of;
        Base under;
        PlanePtr plane;
        LookAt look = LookAt::picture;
        double floor = 0;            ///< where it is looked at
        SharedList<Stroke> strokes;  ///< where they are looked at
        bool operator==(const Inputs&) const = default;
    };
    struct GrowthInputs {
        std::shared_ptr<const Growth> growth;
        int frames = 0;  ///< of the series
        bool operator==(const GrowthInputs&) const = default;
    };
    tl::expected<BaseInputs, Why> base_inputs() const;
    tl::expected<Inputs, Why> inputs() const;
    bool is_there(const BaseInputs& in) const;
    static Made make(const Inputs& in, const std::array<QColor, 256>& colours, const Job& job);

    SessionBase& base_;
    const Merging& merging_;
    std::array<QColor, 256> colours_;
    bool floor_moving_ = false;
    Derived<BaseInputs, Base> base_row_;
    Derived<Inputs, Made> row_;
    Derived<GrowthInputs, Made> growing_;
};

}  // namespace moorhaze::desktop
