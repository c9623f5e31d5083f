// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QRegion>

#include "core/mend/strokes.h"
#include "desktop/session/document/session_base.h"
#include "desktop/session/shown/picture_store.h"
#include "desktop/session/work/display_picture.h"
#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// The result shown with its strokes rendered over it, for the screen: as a whole when another result is
/// shown, then piece by piece where strokes come, go or grow, so that a value is made out of the one before.
/// In the interface's thread.
class MendedDisplay : public DerivedRow {
    Q_OBJECT
  public:
    MendedDisplay(SessionBase& base, PictureStore& store, QObject* parent = nullptr);

    /// Null while it is being made or there is none.
    std::shared_ptr<const DisplayPicture> picture() const { return picture_; }
    /// Of which result; none: nothing is merged.
    std::optional<ResultId> shown() const { return wanted_ ? std::optional(wanted_->result) : std::nullopt; }
    /// What the picture is made of; without pixels while they are being read.
    const MergeProduct& product() const { return product_; }
    /// The strokes that are on the screen, or will be; without the one that is being drawn.
    const SharedList<Stroke>& followed() const { return followed_; }

    DerivedState state() const override;
    QString why() const override { return why_; }
    void follow() override;
    void make_again() override;
    /// True when everything painted has been rendered, or nothing can be shown.
    bool is_settled() const override;

    /// The stroke that is being drawn, above all others.
    const std::optional<Stroke>& live() const { return live_; }
    /// @param changed_area  where it differs from before, reference pixels; empty: nowhere.
    void set_live(const std::optional<Stroke>& stroke, const QRect& changed_area);

  signals:
    void area_changed(QRect area);  ///< part of the picture, in reference pixels
    void result_changed();          ///< another result is about to be shown; what was being drawn is gone

  private:
    /// What names the result shown, whatever is painted on it.
    struct Wanted {
        ResultId result;
        DocumentId document;
        std::shared_ptr<const MergeResult> merge;  ///< null while it is being read
        bool operator==(const Wanted&) const = default;
    };
    std::optional<Wanted> wanted_now() const;
    void show_result(const std::optional<Wanted>& wanted);
    void make_whole();
    void follow_strokes();
    void fail(const std::exception& error);
    void render(const QRect& area);
    void next();
    SharedList<Stroke> done() const;

    SessionBase& base_;
    PictureStore& store_;
    std::optional<Wanted> wanted_;
    QString why_;  ///< there is none
    bool has_failed_ = false;
    MergeProduct product_;
    SharedList<Stroke> followed_;
    std::optional<Stroke> live_;
    QRegion pending_;
    std::shared_ptr<DisplayPicture> picture_;
    LatestWish whole_;   ///< a result that is shown anew
    LatestWish pieces_;  ///< of the one shown
};

}  // namespace moorhaze::desktop
