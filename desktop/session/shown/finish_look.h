// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QRect>
#include <QTimer>

#include "core/finish/finished.h"
#include "desktop/session/document/mended_result.h"
#include "desktop/session/document/shown_finish.h"
#include "desktop/session/work/display_picture.h"

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

    /// Of what is kept; null until it was made.
    std::optional<ToneHistogram> histogram() const;
    /// The finished picture at a place; nothing outside of it, or while it is not known.
    std::optional<FinishedPlace> at(QPointF place) const;
    /// What is finished, with what was found out about it so far; null until it is there.
    std::shared_ptr<const FinishSubject> subject() const;
    /// True when what is shown is what was decided, at full size.
    bool is_settled() const;

    static constexpr int kRestMs = 250;  ///< without a change before the whole is made

  signals:
    void changed();
    void subject_ready();

  private:
    using Subject = std::shared_ptr<const FinishSubject>;
    using Display = std::shared_ptr<const DisplayPicture>;
    /// What is found out about a subject once: its lens corrected, its ground looked for.
    struct PreparedInputs {
        Subject subject;
        Lens lens;
        std::optional<cv::Point2d> ground_picked;  ///< where the ground is wanted
        double ground_reach = 0;
        cv::Size frame;
        DocumentId document;
        ResultId result;
        Subject from;  ///< the same with some of it found out already; what comes of it is the same
        bool operator==(const PreparedInputs& other) const;
    };
    struct WholeInputs {
        DocumentId document;
        ResultId result;
        Subject subject;
        Finish finish;
        bool operator==(const WholeInputs&) const = default;
    };
    struct PatchInputs {
        WholeInputs of;
        int level = 0;
        PixelRect part;
        bool operator==(const PatchInputs&) const = default;
    };
    struct BeforeInputs {
        DocumentId document;
        ResultId result;
        Subject subject;
        Framing framing;
        bool operator==(const BeforeInputs&) const = default;
    };
    struct Made {
        Display picture;
        ToneHistogram histogram;
    };
    Finish finish() const { return shown_finish(base_).finish; }
    tl::expected<MendedResult, Why> subject_inputs() const;
    tl::expected<PreparedInputs, Why> prepared_inputs() const;
    tl::expected<WholeInputs, Why> now() const;  ///< what the whole would be made from
    tl::expected<PatchInputs, Why> patch_inputs() const;
    tl::expected<WholeInputs, Why> whole_inputs() const;
    tl::expected<BeforeInputs, Why> before_inputs() const;
    bool is_whole_now() const;
    void count_rest();
    void rest();
    int patch_level() const;

    SessionBase& base_;
    QTimer rest_;
    QRect seen_;
    double zoom_ = 1;
    std::optional<WholeInputs> rested_;     ///< what stood unchanged for a moment
    std::optional<WholeInputs> last_seen_;  ///< what the rest is counted from
    Derived<MendedResult, Subject> subject_;
    Derived<PreparedInputs, Subject> prepared_;
    Derived<PatchInputs, Made> patch_;
    Derived<WholeInputs, Made> whole_;
    Derived<BeforeInputs, Display> before_;
};

}  // namespace moorhaze::desktop
