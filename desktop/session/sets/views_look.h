// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/sets/turntable.h"
#include "desktop/session/sets/set_run.h"
#include "desktop/session/work/display_picture.h"
#include "desktop/session/work/latest_wish.h"

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
    const QString& problem() const { return problem_; }
    /// Null until the views were looked at.
    const TurntableLook* look() const { return look_.get(); }
    int views() const { return look_ ? int(look_->views.size()) : 0; }
    QStringList remarks() const;

    ViewsShown shown() const { return shown_; }
    int view() const { return view_; }  ///< from 0
    /// @param view  which one, for ViewsShown::one.
    void show(ViewsShown shown, int view);
    std::shared_ptr<const DisplayPicture> picture() const { return picture_; }
    /// Nothing of it is still being made.
    bool is_settled() const { return !looking_.is_busy() && !drawing_.is_busy(); }

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
    bool is_wanted() const;
    void follow();
    void draw();
    void forget();
    QString spin_folder() const;

    SessionBase& base_;
    SetRecipe& recipe_;
    SetRun& run_;
    std::string of_;  ///< what was looked at, or is
    std::shared_ptr<const TurntableLook> look_;
    QString problem_;
    ViewsShown shown_ = ViewsShown::darkest;
    int view_ = 0;
    bool deep_zoom_ = true;
    struct Drawn {
        ViewsShown shown;
        int view;
        bool level, even_light;
        bool operator==(const Drawn&) const = default;
    };
    std::optional<Drawn> drawn_;  ///< what `picture_` shows, or will
    std::shared_ptr<const DisplayPicture> picture_;
    LatestWish looking_, drawing_{LatestWish::Replaced::comes_to_its_end};
};

}  // namespace moorhaze::desktop
