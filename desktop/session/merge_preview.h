// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QRect>
#include <QTimer>
#include <memory>
#include <optional>

#include "core/merge/preview_frames.h"
#include "desktop/session/display_picture.h"
#include "desktop/session/latest_wish.h"
#include "desktop/session/merging.h"

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
    bool may_read() const;
    bool has_to_read() const;
    QRect area_wanted() const;
    void follow(const Changes& changes);
    void forget();
    void settings_changed();
    void rest();  ///< begins to read, when the view has rested
    void next();
    void merge_whole();
    void set_aside_whole();
    void read();
    /// First what is quick around the middle, then all that is in view.
    void merge(const QRect& part);
    QRect quick_part() const;
    const MergeChoice& wanted() const { return base_.document.project().merge; }

    SessionBase& base_;
    Merging& merging_;
    LatestWish wish_;
    QTimer rest_timer_, whole_timer_;
    enum class Work { none, reading, merging } work_ = Work::none;
    QRect seen_;
    std::shared_ptr<const PreviewFrames> frames_;
    std::shared_ptr<const DisplayPicture> made_;
    std::optional<MergeChoice> made_with_;
    std::optional<MergeChoice> refused_;     ///< what failed is not tried again and again
    std::optional<MergeChoice> whole_with_;  ///< what the whole was begun with
};

}  // namespace moorhaze::desktop
