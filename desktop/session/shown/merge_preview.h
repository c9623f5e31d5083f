// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QRect>
#include <QTimer>
#include <memory>
#include <optional>

#include "core/merge/preview_frames.h"
#include "desktop/session/tasks/merging.h"
#include "desktop/session/work/display_picture.h"

namespace moorhaze::desktop {

/// The part of the picture in view merged with the settings as they are now, before anybody waits for all of
/// it (Standpoint::look_ahead()). While the view rests, what the frames show there is read ahead, so that a
/// change of settings is seen within about a second. When nothing was moved for a while the whole is merged,
/// too (Standpoint::whole_ahead()).
class MergePreview : public QObject {
    Q_OBJECT
  public:
    MergePreview(SessionBase& base, Merging& merging, QObject* parent = nullptr);

    /// What is seen of the reference plane, in its pixels; empty where nothing is to be previewed.
    void set_view(const QRect& seen);

    /// What is in view as it would be merged; null when the result shown was made with these settings, or
    /// while it is being made for the first time.
    std::shared_ptr<const DisplayPicture> picture() const;
    /// What is going on, in words; empty when nothing is.
    QString state() const;
    /// True when nothing is being read or merged, nor about to be.
    bool is_settled() const;

    /// Pixels of a preview at most.
    static constexpr int kMostPixels = 900'000;

  signals:
    void changed();

  private:
    struct ReadInputs {
        DocumentId document;
        PlanePtr plane;
        std::vector<int> frames;
        PixelRect area, whole;
        bool operator==(const ReadInputs&) const = default;
    };
    struct MergeInputs {
        DocumentId document;
        PlanePtr plane;
        std::shared_ptr<const PreviewFrames> frames;
        MergeChoice choice;
        MergeSettings settings;
        std::shared_ptr<const MergeResult> known;  ///< whose statistics holds; null: none
        PixelRect part;
        bool operator==(const MergeInputs&) const = default;
    };
    using Read = std::shared_ptr<const PreviewFrames>;
    using Made = std::shared_ptr<const DisplayPicture>;
    QString why_not() const;
    tl::expected<ReadInputs, Why> read_inputs() const;
    tl::expected<MergeInputs, Why> merge_inputs() const;
    QRect area_wanted() const;
    PixelRect quick_part(PixelRect area) const;
    void rest() { rest_timer_.start(); }
    void rested();
    void follow(const Settled& what);
    void consider_whole();
    void merge_whole();
    void set_aside_whole();

    SessionBase& base_;
    Merging& merging_;
    QTimer rest_timer_, whole_timer_;
    QRect seen_;
    PixelRect area_;                         ///< that is read: where the view has rested; empty: nowhere yet
    std::optional<MergeChoice> whole_with_;  ///< what the whole was begun with
    Derived<ReadInputs, Read> frames_;
    Derived<MergeInputs, Made> made_;
};

}  // namespace moorhaze::desktop
