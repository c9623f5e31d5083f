// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>

#include "core/mend/snags.h"
#include "desktop/session/latest_wish.h"
#include "desktop/session/session_base.h"

namespace moorhaze::desktop {

/// A doubtful place and what became of it.
struct WalkedSnag {
    Snag snag;
    bool ignored = false;  ///< the person looked and left it
    bool painted = false;  ///< most of its worst spot comes from strokes now
    bool is_left() const { return !ignored && !painted; }
};

/// The doubtful places of the result shown, found beside the interface when Mend is entered, and the person's
/// way through them. Strokes mark those that they cover; found anew for another result, and when asked for.
class SnagWalk : public QObject {
    Q_OBJECT
  public:
    explicit SnagWalk(SessionBase& base, QObject* parent = nullptr);

    /// Of the result shown, the strongest first; empty while they are looked for.
    const std::vector<WalkedSnag>& snags() const { return snags_; }
    int left() const;  ///< neither ignored nor painted
    /// True when the places of the result shown are known.
    bool is_known() const;
    bool is_looking() const { return wanted_.has_value(); }
    bool is_settled() const { return !is_looking(); }
    /// What keeps them from being known, in words; empty if nothing does.
    const QString& problem() const { return problem_; }
    /// The one that the person stands at.
    std::optional<int> current() const { return current_; }

    /// Why there is no next one, in words; empty if there is.
    QString why_not() const;
    /// To the next one that is left, farther down the list and then from its top.
    void next() { step(1); }
    void previous() { step(-1); }
    void go_to(int place);
    /// True when it was painted since the places were looked for.
    bool can_look_again() const;
    /// Looks for doubtful places in the picture as it is painted now.
    void look_again();
    /// The current one is looked at no more, or again.
    void ignore_current();

  signals:
    void changed();
    void visited(QRectF area, QPointF place);  ///< reference pixels: it shall be brought into view

  private:
    struct Known {
        std::vector<Snag> snags;
        SharedList<Stroke> strokes;  ///< that were there when they were looked for
    };
    void follow_result();
    void look(const ProjectResult& result, const MergeProduct& product, const SharedList<Stroke>& strokes);
    SharedList<Stroke> strokes_since(const Known& known) const;
    void show_known();
    void step(int by);

    SessionBase& base_;
    LatestWish wish_;
    std::map<ResultId, Known> known_;
    std::optional<ResultId> wanted_;  ///< being looked for
    std::vector<WalkedSnag> snags_;
    std::optional<int> current_;
    QString problem_;
};

}  // namespace moorhaze::desktop
