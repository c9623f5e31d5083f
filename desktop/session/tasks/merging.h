// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/tasks/aligning.h"

namespace moorhaze::desktop {

/// A merge under way, as far as it is known where things are sharp.
struct Growth {
    QString title;     ///< of the method
    cv::Mat1f places;  ///< small: frame numbers from 1, 0 where nothing is known yet
    PixelRect area;    ///< that it shows, in reference pixels
};

/// Merges, and what becomes of results.
class Merging : public QObject {
    Q_OBJECT
  public:
    Merging(SessionBase& base, Aligning& aligning, QObject* parent = nullptr);

    const MergeChoice& choice() const { return base_.document.project().merge; }
    /// Method or settings; changes that follow each other within the same field are one step of undo.
    void set_choice(const MergeChoice& choice, const QString& field);
    /// What a merge may take; 0: as much as it needs. It changes how long it takes, not the result.
    int memory_mb() const { return memory_mb_; }
    void set_memory_mb(int megabytes) { memory_mb_ = megabytes; }

    /// Aligns first if the frames have not been aligned as they are, then merges what is decided when its
    /// turn comes. Asked for while another merge runs it follows that one.
    void merge();
    /// Merges though nobody asked for it yet: in the background, stopped as soon as anything else is to be
    /// done. Nothing if other work runs, or nothing would be new.
    void merge_ahead();
    void stop_merge_ahead() { base_.jobs.make_way(); }
    /// The merge under way; null when none is, or nothing is known of it yet.
    const std::shared_ptr<const Growth>& growth() const { return growth_; }

    /// Each one step of undo; an empty title is not taken.
    void rename(ResultId result, const QString& title);
    void drop(ResultId result);

    /// True while a merge that a person asked for runs or waits for the frames to be aligned.
    bool is_asked_for() const {
        return waiting_ || (under_way_ && base_.jobs.busy() && !base_.jobs.is_yielding());
    }
    /// True when the result shown was made from what is decided now.
    bool is_current() const {
        const ProjectResult* shown = base_.standpoint.result();
        return shown && base_.products.is_current(*shown);
    }
    /// The last merge whose statistics holds for the frames as they are now; null if there is none.
    std::shared_ptr<const MergeResult> with_statistics() const;

  signals:
    void grew();  ///< growth() is another, or gone

  private:
    void go_on();
    void run(const MadeFrom& from, bool ahead);
    void take(const MadeFrom& from, const MergeProduct& product, double seconds, bool unasked);
    MergeContext growing(const MergeMethod& method, PixelRect area);

    SessionBase& base_;
    Aligning& aligning_;
    int memory_mb_ = 0;
    std::shared_ptr<const Growth> growth_;
    std::optional<MadeFrom> under_way_;
    Ticket ticket_;  ///< of the merge whose growing is shown
    Mailbox mailbox_;
    bool waiting_ = false;  ///< a merge that was asked for has not begun
};

}  // namespace moorhaze::desktop
