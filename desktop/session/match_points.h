#pragma once
#include <QObject>
#include <QThreadPool>
#include <optional>

#include "desktop/session/session.h"

namespace moorhaze::desktop {

/// Matching points set by hand, one half after the other: the first one stays where it was put, its partner
/// in the other frame goes to the same detail, found beside the interface. Whole pairs belong to
/// Session::placing(), so that each is a step of undo and aligns anew.
class MatchPoints : public QObject {
    Q_OBJECT
  public:
    explicit MatchPoints(Session& session, QObject* parent = nullptr);
    ~MatchPoints() override;

    struct Half {
        int frame = 0, partner = 0;  ///< indices; the other half is to be set in `partner`
        cv::Point2d at;              ///< in pixels of the frame
    };
    const std::optional<Half>& waiting() const { return waiting_; }
    /// A point in one of two frames that are being compared. With a point waiting in `partner` for this
    /// frame, the pair is complete; otherwise the point waits, in place of what waited before.
    void set(int frame, cv::Point2d at, int partner);
    void drop(int pair);  ///< of Session::placing().points
    void forget_waiting();
    bool is_settled() const { return !working_; }

  signals:
    void changed();

  private:
    void join(const Half& first, int frame, cv::Point2d at);

    Session& session_;
    QThreadPool pool_;
    std::optional<Half> waiting_;
    bool working_ = false;
};

}  // namespace moorhaze::desktop
