// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QRect>
#include <QTimer>

#include "core/finish/finished.h"
#include "desktop/session/display_picture.h"
#include "desktop/session/latest_wish.h"
#include "desktop/session/session_base.h"

namespace moorhaze::desktop {

/// What is known of a place of the finished picture.
struct FinishedPlace {
    double tone = 0;  ///< of its luminance, 0..1
    cv::Vec3d lab;    ///< CIE L*a*b*
};

/// The result shown, finished, for the screen while the person is in Finish. A change is seen at once where
/// they look, at the zoom they look at; when nothing changed for a moment the whole is made at full size.
/// Places are those of the turned picture (see framing.h).
class FinishLook : public QObject {
    Q_OBJECT
  public:
    explicit FinishLook(SessionBase& base, QObject* parent = nullptr);

    /// What is seen of the turned picture, in its pixels, and how large.
    void set_view(const QRect& seen, double zoom);

    /// All of it; null while it is made for the first time, and where nothing is done to the picture: then it
    /// is as it was mended.
    std::shared_ptr<const DisplayPicture> picture() const;
    /// Over it what is in view as it is now; null when the picture itself is up to date.
    std::shared_ptr<const DisplayPicture> patch() const;
    /// The picture turned as it is, with nothing else done; null where it is not turned.
    std::shared_ptr<const DisplayPicture> before() const;
    bool is_turned() const;

    /// Of what is kept; none until it was made.
    const std::optional<ToneHistogram>& histogram() const { return histogram_; }
    /// The finished picture at a place; nothing outside of it, or while it is not known.
    std::optional<FinishedPlace> at(QPointF place) const;
    /// What is finished; null until it is there.
    const std::shared_ptr<const FinishSubject>& subject() const { return subject_; }
    /// True when what is shown is what was decided, at full size.
    bool is_settled() const;

    static constexpr int kRestMs = 250;  ///< without a change before the whole is made

  signals:
    void changed();
    void subject_ready();

  private:
    struct Of {
        ResultId result;
        SharedList<Stroke> strokes;
        bool operator==(const Of&) const = default;
    };
    bool is_wanted() const;
    const Finish& finish() const { return base_.document.project().finish; }
    void follow_result();
    void forget();
    void finish_changed();
    void make_patch();
    void make_whole();
    void fail(const std::exception& error);
    int patch_level() const;

    SessionBase& base_;
    LatestWish subject_wish_, patch_wish_{LatestWish::Replaced::comes_to_its_end}, whole_wish_;
    QTimer rest_;
    QRect seen_;
    double zoom_ = 1;
    std::optional<Of> of_, under_way_;
    std::shared_ptr<const FinishSubject> subject_;
    std::shared_ptr<const DisplayPicture> whole_, patch_, before_;
    std::optional<Finish> whole_with_, refused_;
    std::optional<Framing> before_with_;
    std::optional<ToneHistogram> histogram_;
};

}  // namespace moorhaze::desktop
