// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>

#include "desktop/session/display_picture.h"
#include "desktop/session/latest_wish.h"
#include "desktop/session/session_base.h"

namespace moorhaze::desktop {

/// A quick merge of the frames in the range, from the previews that looking left: follows the range's handles
/// while Standpoint::quick_look() is on.
class QuickLook : public QObject {
    Q_OBJECT
  public:
    explicit QuickLook(SessionBase& base, QObject* parent = nullptr);

    /// A range that is being dragged and not yet chosen.
    void show_range(FrameRange range);
    /// The last one made; null before. It may lag behind the range for a moment.
    std::shared_ptr<const DisplayPicture> picture() const { return picture_; }
    /// True when the picture shows the range as it is.
    bool is_settled() const { return !wish_.is_busy(); }

  signals:
    void changed();

  private:
    void want();

    SessionBase& base_;
    LatestWish wish_{LatestWish::Replaced::comes_to_its_end};
    std::optional<FrameRange> dragged_;
    std::shared_ptr<const DisplayPicture> picture_;
};

}  // namespace moorhaze::desktop
