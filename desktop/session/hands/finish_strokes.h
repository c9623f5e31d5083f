// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QCoreApplication>

#include "desktop/session/hands/finishing.h"

namespace moorhaze::desktop {

/// Drags and strokes across the picture that change its finish: a colour, and where it is sharpened. Each is
/// one step of undo. In the interface's thread.
class FinishStrokes {
    Q_DECLARE_TR_FUNCTIONS(FinishStrokes)
  public:
    FinishStrokes(SessionBase& base, FinishLook& look, Finishing& finishing)
        : base_(base), look_(look), finishing_(finishing) {}

    /// A drag across the picture changes the colour that lies under its start.
    void begin_colour(QPointF place);
    /// @param across, up  logical pixels since the start.   @param turns  the hue instead.
    void drag_colour(double across, double up, bool turns);
    void end_colour() { colour_.reset(); }
    /// What the drag does, in words; empty between drags.
    QString colour_words() const;
    /// "reds · saturation +18".
    static QString words_of(const OneColour& one);

    /// A stroke over what is sharpened, or no longer; places of the turned picture.
    void begin_sharpening(QPointF place, bool takes_back);
    void continue_sharpening(QPointF place);
    void end_sharpening() { sharpening_.reset(); }
    void sharpen_everywhere();

  private:
    SessionBase& base_;
    FinishLook& look_;
    Finishing& finishing_;
    std::optional<int> colour_;  ///< which of the single colours is dragged
    OneColour colour_before_;
    SharedList<SharpenedStroke> sharpened_before_;
    std::optional<SharpenedStroke> sharpening_;  ///< the stroke being painted
    int drags_ = 0;
};

}  // namespace moorhaze::desktop
