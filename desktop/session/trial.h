#pragma once
#include <QObject>
#include <QRect>
#include <QThreadPool>
#include <QTimer>
#include <memory>
#include <optional>
#include <stop_token>

#include "core/merge/trial_frames.h"
#include "desktop/session/display_picture.h"
#include "desktop/session/session.h"

namespace moorhaze::desktop {

/// The part of the picture in view merged with the settings as they are now, before anybody waits for all of
/// it. While the view rests, what the frames show there is read ahead, so that a change of settings is seen
/// within about a second. Works beside the interface; of several wishes only the last is made.
class Trial : public QObject {
    Q_OBJECT
  public:
    explicit Trial(Session& session, QObject* parent = nullptr);
    ~Trial() override;

    bool is_on() const { return on_; }
    void set_on(bool on);
    /// Whether the whole is merged in the background when what is in view has been tried and no setting was
    /// moved for a while.
    bool is_whole_ahead() const { return whole_; }
    void set_whole_ahead(bool on);

    /// What is seen of the reference plane, in its pixels; empty where nothing is to be tried.
    void set_view(const QRect& seen);

    /// What is in view as it would be merged; null when the result shown was made with these settings, or
    /// while it is being made for the first time.
    std::shared_ptr<const DisplayPicture> picture() const;
    /// What is going on, in words; empty when nothing is.
    QString state() const;
    /// True when nothing is being read or merged, nor about to be.
    bool is_settled() const;

    /// Pixels of a trial at most.
    static constexpr int kMostPixels = 900'000;

  signals:
    void changed();

  private:
    bool may_read() const;
    bool has_to_read() const;
    QRect area_wanted() const;
    void forget();
    void settings_changed();
    void rest();  ///< begins to read, when the view has rested
    void next();
    void switch_to(bool& own, bool on);
    void merge_whole();
    void set_aside_whole();
    void read();
    /// First what is quick around the middle, then all that is in view.
    void merge(const QRect& part);
    QRect quick_part() const;

    Session& session_;
    QThreadPool pool_;
    QTimer rest_timer_, whole_timer_;
    bool on_ = true, whole_ = true;
    enum class Work { none, reading, merging } work_ = Work::none;
    QRect seen_;
    int generation_ = 0;  ///< of frames and geometry
    std::stop_source stop_;
    std::shared_ptr<const TrialFrames> frames_;
    std::shared_ptr<const DisplayPicture> made_;
    struct With {
        std::string method;
        MergeSettings settings;
        bool operator==(const With&) const = default;
    };
    With wanted() const { return {session_.method(), session_.merge_settings()}; }
    With made_with_;
    std::optional<With> refused_;     ///< what failed is not tried again and again
    std::optional<With> whole_with_;  ///< what the whole was begun with
};

}  // namespace moorhaze::desktop
