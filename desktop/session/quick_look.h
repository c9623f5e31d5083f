#pragma once
#include <QObject>
#include <QThreadPool>
#include <memory>
#include <optional>

#include "core/merge/quick_merge.h"
#include "desktop/session/display_picture.h"
#include "desktop/session/session.h"

namespace moorhaze::desktop {

/// A quick merge of the frames in the range, from the previews that profiling left: follows the range's
/// handles. Works beside the interface; of several wishes only the last is made.
class QuickLook : public QObject {
    Q_OBJECT
  public:
    explicit QuickLook(Session& session, QObject* parent = nullptr);
    ~QuickLook() override;

    bool is_on() const { return on_; }
    void set_on(bool on);
    /// A range that is being dragged and not yet chosen.
    void show_range(FrameRange range);
    /// The last one made; null before. It may lag behind the range for a moment.
    std::shared_ptr<const DisplayPicture> picture() const { return picture_; }
    /// True when the picture shows the range as it is.
    bool is_settled() const { return !on_ || (!working_ && !wanted_); }

  signals:
    void changed();

  private:
    void want();
    void next();
    void forget();
    std::vector<int> frames() const;

    Session& session_;
    QThreadPool pool_;
    bool on_ = false, working_ = false, wanted_ = false;
    int generation_ = 0;
    std::optional<FrameRange> dragged_;
    std::shared_ptr<const DisplayPicture> picture_;
};

}  // namespace moorhaze::desktop
