// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/sets/turntable.h"
#include "desktop/session/sets/set_run.h"
#include "desktop/session/work/derived.h"
#include "desktop/session/work/display_picture.h"

namespace moorhaze::desktop {

/// A turntable's merged views over each other, levelled and in one light, on which one crop is chosen for
/// all; looked at beside the interface while Finish shows their page. And the spin page of the finished ones.
class ViewsLook : public QObject {
    Q_OBJECT
  public:
    ViewsLook(SessionBase& base, SetRecipe& recipe, SetRun& run, QObject* parent = nullptr);

    /// Whether the set is a turntable with merged views.
    bool is_there() const;
    /// Why nothing can be seen; empty: it can, or is being looked at.
    QString problem() const { return look_.why(); }
    /// Null until the views were looked at.
    const TurntableLook* look() const { return look_.value() ? look_.value()->get() : nullptr; }
    int views() const { return look() ? int(look()->views.size()) : 0; }
    QStringList remarks() const;

    ViewsShown shown() const { return shown_; }
    /// From 0; the last one where there are fewer.
    int view() const { return look() ? std::min(view_, views() - 1) : view_; }
    /// @param view  which one, for ViewsShown::one.
    void show(ViewsShown shown, int view);
    std::shared_ptr<const DisplayPicture> picture() const {
        return drawn_.value() ? *drawn_.value() : nullptr;
    }
    /// Nothing of it is still being made.
    bool is_settled() const { return look_.is_settled() && drawn_.is_settled(); }

    /// What all views keep, in the pixels of the levelled ones; empty where nothing can be.
    PixelRect crop() const;
    PixelRect area() const;  ///< that they fill
    /// @param crop  none: around the object.
    void set_crop(const std::optional<PixelRect>& crop);

    /// Why no spin page can be made; empty: it can.
    QString why_no_spin_page() const;
    void make_spin_page();
    /// Tiles of the full size, for zooming in.
    bool has_deep_zoom() const { return deep_zoom_; }
    void set_deep_zoom(bool on) { deep_zoom_ = on; }
    /// Its `index.html`; empty: there is none.
    QString spin_page() const;

  signals:
    void changed();

  private:
    struct LookInputs {
        std::vector<std::filesystem::path> files;
        std::vector<std::string> made_of;  ///< what they were made of
        std::optional<cv::Point2d> ground_at;
        double ground_reach = 0;
        bool operator==(const LookInputs&) const = default;
    };
    struct DrawnInputs {
        std::shared_ptr<const TurntableLook> look;
        ViewsShown shown = ViewsShown::darkest;
        int view = 0;
        bool level = true, even_light = true;
        bool operator==(const DrawnInputs&) const = default;
    };
    bool is_wanted() const;
    tl::expected<LookInputs, Why> look_inputs() const;
    tl::expected<DrawnInputs, Why> drawn_inputs() const;
    QString spin_folder() const;

    SessionBase& base_;
    SetRecipe& recipe_;
    SetRun& run_;
    ViewsShown shown_ = ViewsShown::darkest;
    int view_ = 0;
    bool deep_zoom_ = true;
    Derived<LookInputs, std::shared_ptr<const TurntableLook>> look_;
    Derived<DrawnInputs, std::shared_ptr<const DisplayPicture>> drawn_;
};

}  // namespace moorhaze::desktop
