// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>

#include "desktop/session/document/session_base.h"
#include "desktop/session/work/display_picture.h"

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
    std::shared_ptr<const DisplayPicture> picture() const { return made_.value() ? *made_.value() : nullptr; }
    /// True when the picture shows the range as it is.
    bool is_settled() const { return made_.is_settled(); }

  signals:
    void changed();

  private:
    using Made = std::shared_ptr<const DisplayPicture>;
    struct Inputs {
        DocumentId document;
        std::shared_ptr<const QuickMerge> merge;
        std::vector<int> frames;  ///< their places
        cv::Size plane;
        bool operator==(const Inputs&) const = default;
    };
    tl::expected<Inputs, Why> inputs() const;

    SessionBase& base_;
    std::optional<FrameRange> dragged_;  ///< and not chosen yet
    Derived<Inputs, Made> made_;
};

}  // namespace moorhaze::desktop
