// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QColor>
#include <QObject>
#include <array>
#include <memory>

#include "desktop/session/display_picture.h"
#include "desktop/session/latest_wish.h"
#include "desktop/session/merging.h"

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
    std::shared_ptr<const DisplayPicture> growing() const { return growing_; }
    /// True when nothing is to be laid over the picture.
    bool is_plain() const { return wanted_look() == LookAt::picture; }
    bool is_settled() const { return !wish_.is_busy(); }

  signals:
    void changed();
    void grew();

  private:
    LookAt wanted_look() const;
    const MergeProduct* product() const;  ///< of the result shown
    void want();

    SessionBase& base_;
    const Merging& merging_;
    std::array<QColor, 256> colours_;
    LatestWish wish_{LatestWish::Replaced::comes_to_its_end};
    bool floor_moving_ = false;
    std::optional<ResultId> made_of_;
    LookAt made_as_ = LookAt::picture;
    std::shared_ptr<const DisplayPicture> made_;
    std::shared_ptr<const DisplayPicture> growing_;
    cv::Mat4b base_picture_;  ///< the result at half size, kept for the next look
    std::optional<ResultId> base_of_;
};

}  // namespace moorhaze::desktop
