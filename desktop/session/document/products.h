// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QImage>
#include <QObject>
#include <list>
#include <map>
#include <mutex>

#include "core/mend/mended.h"
#include "core/merge/frame_source.h"
#include "core/merge/shelved_result.h"
#include "core/project/align_series.h"
#include "core/project/look_into.h"
#include "desktop/session/document/document.h"

namespace moorhaze::desktop {

/// Frames and how they lie in one reference plane: whatever is compared with each other is laid by the same.
struct Plane {
    Series series;
    SeriesGeometry geometry;
};
using PlanePtr = std::shared_ptr<const Plane>;

/// A finished merge.
struct MergeProduct {
    std::shared_ptr<const MergeResult> result;
    PlanePtr plane;  ///< that its frames were laid in
    QImage thumb;
    ShootingData shooting;                    ///< of its reference frame
    std::shared_ptr<const ScratchFile> file;  ///< that its planes lie in; null: they are in memory
};

/// A picture for cards and lists.
QImage thumb_of(const Picture& picture);

/// Any frame of some planes; made when they are first asked for, which decodes a frame. Thread-safe.
class FrameSources {
  public:
    explicit FrameSources(std::shared_ptr<FrameShelf> shelf) : shelf_(std::move(shelf)) {}
    /// @throws FileError when the reference frame cannot be read.
    std::shared_ptr<const FrameSource> of(const PlanePtr& plane);
    void clear();

  private:
    struct Kept {
        PlanePtr plane;
        std::shared_ptr<const FrameSource> source;
    };
    std::shared_ptr<FrameShelf> shelf_;
    std::mutex guard_;
    std::list<Kept> kept_;  ///< most recently used first
};

/// What was made from the project so far, each with the inputs it was made from: it is out of date exactly
/// when these differ from today's, and current again when they come back. In the interface's thread.
class Products : public QObject {
    Q_OBJECT
  public:
    explicit Products(Document& document, QObject* parent = nullptr);

    enum class Kind { look, geometry, merge };

    /// What is known of the frames as they are now; null when they were not looked at.
    const Looked* looked() const { return look_ ? look_->looked.get() : nullptr; }
    /// False while only what does not depend on the order is known of frames that were put in another one.
    bool is_looked() const { return look_ && look_->is_whole; }
    /// The reference frame where the person chose none; the middle one until the frames were looked at.
    FrameId suggested_reference() const;
    /// The one in force.
    FrameId reference() const { return document_.project().reference.value_or(suggested_reference()); }
    void keep_look(const LookInputs& inputs, Looked looked);
    /// The look that serves to find out about frames in another order, and the old index of each; nothing
    /// when there is none of these very frames.
    struct OtherOrder {
        std::shared_ptr<const Looked> looked;
        std::vector<int> order;
    };
    std::optional<OtherOrder> look_in_other_order() const;

    AlignInputs align_inputs() const;
    MadeFrom merge_inputs() const;

    /// How the frames lie: as aligned last, whether that is up to date or not; null when these frames in this
    /// order were never aligned.
    const PlanePtr& plane() const { return plane_; }
    bool plane_is_current() const { return plane_is_current_; }
    /// What was measured of these frames in this order; null when nothing was.
    std::shared_ptr<const Registration> registration() const;
    void keep_plane(const AlignInputs& inputs, std::shared_ptr<const Registration> registration, Plane plane);
    /// The plane that a stored result lies in: frames that were aligned need not be so again.
    void keep_plane_of(const AlignInputs& inputs, const PlanePtr& plane);
    /// The plane, or the frames as they lie.
    PlanePtr plane_or_unmoved() const;
    /// What a merge would fill now, in reference pixels; empty without a plane or anything in common.
    PixelRect kept_area() const;

    /// Null when it is not there.
    const MergeProduct* merge(ResultId result) const;
    void keep_merge(ResultId result, MergeProduct product);
    /// A result as it lies in that plane; nothing where it is not there, or the planes have no frame in
    /// common.
    std::optional<ResultSource> result_source(ResultId result, const PlanePtr& plane) const;
    /// The results that strokes on a merge in that plane come from, as far as they are there.
    ResultSources result_sources(const SharedList<Stroke>& strokes, const PlanePtr& plane) const;
    /// True when the result was made from what is decided now.
    bool is_current(const ProjectResult& result) const { return result.made_from == merge_inputs(); }

    const std::shared_ptr<FrameShelf>& frame_shelf() const { return shelf_; }
    const std::shared_ptr<FrameSources>& sources() const { return sources_; }

  signals:
    void changed(moorhaze::desktop::Products::Kind kind);

  private:
    struct KeptLook {
        LookInputs inputs;
        std::shared_ptr<const Looked> looked;
        bool is_whole = true;
    };
    struct KeptPlane {
        AlignInputs inputs;
        std::shared_ptr<const Registration> registration;
        PlanePtr plane;
    };
    void follow(const Changes& changes);
    void find_look();
    void find_plane();
    void keep(KeptPlane kept);
    void say(Kind kind);

    Document& document_;
    std::shared_ptr<FrameShelf> shelf_;
    std::shared_ptr<FrameSources> sources_;
    std::list<KeptLook> looks_;    ///< most recently used first
    std::list<KeptPlane> planes_;  ///< most recently used first
    std::optional<KeptLook> look_;
    PlanePtr plane_;
    bool plane_is_current_ = false;
    mutable std::optional<PixelRect> kept_area_;
    mutable PlanePtr unmoved_;
    std::map<ResultId, MergeProduct> merges_;
};

}  // namespace moorhaze::desktop
