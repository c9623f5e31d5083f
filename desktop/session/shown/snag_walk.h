// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>

#include "core/mend/snags.h"
#include "desktop/session/document/mended_result.h"

namespace moorhaze::desktop {

/// A doubtful place and what became of it.
struct WalkedSnag {
    Snag snag;
    bool ignored = false;  ///< the person looked and left it
    bool painted = false;  ///< most of its worst spot comes from strokes now
    double strength = 0;   ///< at the largest size that is handed over
    bool is_left() const { return !ignored && !painted; }
    bool is_plain() const { return strength >= kPlainStrength; }
};

/// The doubtful places of the result shown, found beside the interface when Mend is entered, and the person's
/// way through them. Strokes mark those that they cover; found anew for another result, and when asked for.
class SnagWalk : public QObject {
    Q_OBJECT
  public:
    explicit SnagWalk(SessionBase& base, QObject* parent = nullptr);

    /// Of the result shown, in the order they were found in or from each to the nearest; empty while they are
    /// looked for.
    const std::vector<WalkedSnag>& snags() const { return snags_; }
    int left() const;        ///< neither ignored nor painted
    int plain_left() const;  ///< of these, those that are seen at once
    /// How many are not listed because nobody sees them in the sizes that are handed over.
    int unseen() const { return unseen_; }
    /// True when the places of the result shown are known.
    bool is_known() const { return snags_row_.value() != nullptr; }
    bool is_looking() const {
        const DerivedState state = snags_row_.state();
        return state == DerivedState::under_way || state == DerivedState::stale;
    }
    bool is_settled() const { return !is_looking(); }
    /// What keeps them from being known, in words; empty if nothing does.
    QString problem() const;
    /// Whether the list goes from each place to the nearest instead of from strong to slight.
    bool goes_by_nearness() const { return goes_by_nearness_; }
    void set_by_nearness(bool by_nearness);
    /// The one that the person stands at.
    std::optional<int> current() const { return current_; }
    /// Of the streak of dust that the person stands at: the nearest frame that has the dust elsewhere.
    std::optional<FrameId> frame_without_dust() const;

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
    using Snags = std::vector<Snag>;
    tl::expected<MendedResult, Why> inputs() const;
    SharedList<Stroke> strokes_since() const;
    double delivered_scale() const;
    void show_known();
    void list_known();
    void step(int by);

    SessionBase& base_;
    /// Strokes that a result had when somebody asked to look again; none: it is looked at as it was merged.
    std::map<ResultId, SharedList<Stroke>> looked_again_;
    Derived<MendedResult, Snags> snags_row_;
    std::optional<MendedResult> shown_of_;  ///< what the snags were found in
    std::vector<WalkedSnag> snags_;
    int unseen_ = 0;
    double listed_scale_ = 0;  ///< delivered_scale() that the list goes by
    std::optional<int> current_;
    bool goes_by_nearness_ = false;
};

}  // namespace moorhaze::desktop
