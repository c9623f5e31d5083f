// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>

#include "desktop/session/document/session_base.h"
#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// Matching points set by hand, one half after the other: the first one stays where it was put, its partner
/// in the other frame goes to the same detail, found beside the interface. Whole pairs belong to the placing,
/// so that each is a step of undo and places the frames anew.
class MatchPoints : public QObject {
    Q_OBJECT
  public:
    explicit MatchPoints(SessionBase& base, QObject* parent = nullptr);

    struct Half {
        FrameId frame, partner;  ///< the other half is to be set in `partner`
        cv::Point2d at;          ///< in pixels of the frame
    };
    const std::optional<Half>& waiting() const { return waiting_; }
    /// A point in one of two frames that are being compared. With a point waiting in `partner` for this
    /// frame, the pair is complete; otherwise the point waits, in place of what waited before.
    void set(FrameId frame, cv::Point2d at, FrameId partner);
    void drop(int pair);  ///< of the placing's points
    void forget_waiting();
    bool is_settled() const { return !wish_.is_busy(); }

  signals:
    void changed();

  private:
    void join(const Half& first, FrameId frame, cv::Point2d at);

    SessionBase& base_;
    LatestWish wish_;
    std::optional<Half> waiting_;
};

}  // namespace moorhaze::desktop
