// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <list>
#include <memory>
#include <variant>

#include "desktop/session/document/mended_result.h"
#include "desktop/session/work/display_picture.h"
#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// A frame as shot, or laid in a plane.
struct FrameView {
    FrameId frame;
    PlanePtr plane;                     ///< null: as shot
    bool marked = false;                ///< what is sharp painted over; frames as shot only
    std::optional<FrameId> edges_with;  ///< its edges and those of this frame tinted over each other
    bool operator==(const FrameView&) const = default;
};

using StoredView = std::variant<FrameView, ResultView>;

/// Pictures made ready for the screen beside the interface, the most wanted first; keeps the most recently
/// shown within a budget of memory.
class PictureStore : public QObject {
    Q_OBJECT
  public:
    explicit PictureStore(SessionBase& base, QObject* parent = nullptr);

    /// The picture if it is ready, else null.
    std::shared_ptr<const DisplayPicture> find(const StoredView& view);
    /// True when it was tried and cannot be made.
    bool is_broken(const StoredView& view) const {
        return std::find(broken_.begin(), broken_.end(), view) != broken_.end();
    }
    /// What is wanted now, most wanted first; replaces earlier wishes. `ready` follows each.
    void want(const std::vector<StoredView>& views);
    /// True when a wish is still to be made.
    bool is_busy() const { return wish_.is_busy(); }
    /// Decodes a frame that will be needed soon.
    void prepare(FrameId frame);

    /// A picture of a result leaves the store to be painted on, or comes back. Null when it is not there.
    std::shared_ptr<DisplayPicture> take(const ResultView& view);
    void put(const ResultView& view, std::shared_ptr<DisplayPicture> picture);

    /// What the pictures may take together; the one made last stays whatever it takes.
    void set_budget(std::size_t bytes) { budget_bytes_ = bytes; }
    std::size_t bytes() const;

  signals:
    void forgot();  ///< what was shown must be asked for again
    void ready();

  private:
    struct Kept {
        StoredView view;
        std::shared_ptr<DisplayPicture> picture;
    };
    void follow(const Changes& changes);
    void forget(const std::function<bool(const StoredView&)>& which);
    void keep(const StoredView& view, std::shared_ptr<DisplayPicture> picture);
    bool can_be_made(const StoredView& view) const;
    void next();

    SessionBase& base_;
    std::size_t budget_bytes_ = std::size_t(1400) << 20;
    LatestWish wish_, preparation_;
    std::list<Kept> kept_;  ///< most recently used first
    std::vector<StoredView> wanted_;
    std::vector<StoredView> broken_;  ///< not tried again and again
    std::optional<StoredView> under_way_;
};

}  // namespace moorhaze::desktop
