#pragma once
#include <QColor>
#include <QObject>
#include <QThreadPool>
#include <array>
#include <memory>

#include "desktop/session/display_picture.h"
#include "desktop/session/session.h"

namespace moorhaze::desktop {

/// What of a result is shown.
enum class LookAt {
    picture,
    below_floor,  ///< places less trusted than the trust floor under a veil
    depth,        ///< the depth map in the depth colours, over the picture
    source,       ///< which frame each place came from, in the depth colours, over the picture
    made_by,      ///< depth map, pyramid, backdrop, a part that moved: each with a tint and a pattern
};

/// The result shown with what is known of it laid over, at half size: quick enough to follow the trust floor
/// while it is moved. Works beside the interface; of several wishes only the last is made.
class ResultLook : public QObject {
    Q_OBJECT
  public:
    /// @param colours  of depth, near to far.
    ResultLook(Session& session, const std::array<QColor, 256>& colours, QObject* parent = nullptr);
    ~ResultLook() override;

    LookAt look() const { return look_; }
    void set_look(LookAt look);
    /// Shows the veil for as long as the floor is moved, whatever else is looked at.
    void set_floor_moving(bool moving);
    /// True when the result shown knows how far to trust its places.
    bool has_trust() const;
    /// What is to be shown instead of the plain picture; null when that is the picture itself.
    std::shared_ptr<const DisplayPicture> shown() const;
    /// The depth that the merge under way has found so far, in the depth colours; null when there is none.
    std::shared_ptr<const DisplayPicture> growing() const { return growing_; }
    /// True when nothing is to be laid over the picture.
    bool is_plain() const { return wanted_look() == LookAt::picture; }
    bool is_settled() const { return !working_ && !wanted_; }

  signals:
    void changed();
    void grew();

  private:
    LookAt wanted_look() const;
    void want();
    void next();

    Session& session_;
    std::array<QColor, 256> colours_;
    QThreadPool pool_;
    LookAt look_ = LookAt::picture;
    bool floor_moving_ = false, working_ = false, wanted_ = false;
    int made_of_ = 0;  ///< result
    LookAt made_as_ = LookAt::picture;
    std::shared_ptr<const DisplayPicture> made_;
    std::shared_ptr<const DisplayPicture> growing_;
    cv::Mat4b base_;  ///< the result at half size, kept for the next look
    int base_of_ = 0;
};

}  // namespace moorhaze::desktop
