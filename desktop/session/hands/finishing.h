// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QPointF>
#include <functional>

#include "desktop/session/shown/finish_look.h"

namespace moorhaze::desktop {

/// Changes of the finish, each a step of undo: what the trays, the tone line and the hands on the picture do.
/// A value outside its range is said and changes nothing.
class Finishing : public QObject {
    Q_OBJECT
  public:
    Finishing(SessionBase& base, FinishLook& look, QObject* parent = nullptr);

    /// As it lies in the result shown.
    Finish finish() const { return shown_finish(base_).finish; }
    /// The area of the result shown, reference pixels; empty without one.
    PixelRect area() const;
    /// What is kept of it, in the turned picture; all where nothing can be.
    PixelRect kept() const;

    /// @param what  it does, in a few words.   @param join  of steps that are one while they follow each
    /// other.
    void change(const QString& what, const std::function<void(Finish&)>& change, const QString& join = {});

    void set_off(FinishPart part, bool off);
    void reset(FinishPart part);
    void reset_all();

    void set_turn(double degrees);
    /// A line drawn in the turned picture becomes level or upright.
    void level_along(QPointF from, QPointF to);
    /// The crop by a shape; of the crop there is, or of all.
    void set_shape(double across, double down);
    void suggest_crop();
    /// What lies at a place of the turned picture becomes grey.
    void pick_grey(QPointF place);
    void pick_ground(QPointF place);
    void place_vignette(QPointF place);
    void set_ground_colour(const std::optional<cv::Vec3d>& srgb);
    void fit_tones();
    /// Beside the interface: the noise of the picture is measured and taken out as such; red and blue are
    /// brought to where green is.
    void measure_noise();
    void find_fringes();
    void correct_lens();

    void copy() const;  ///< into the clipboard, as a look's text
    void paste();
    void save_look(const QString& file);
    void use_look(const QString& file);

    /// A place of the turned picture, in reference pixels, and the other way.
    QPointF to_reference(QPointF turned) const;
    QPointF to_turned_picture(QPointF reference) const;

  private:
    void when_ready(std::function<void()> step);
    void say_unplaced();

    SessionBase& base_;
    FinishLook& look_;
    std::string said_unplaced_;      ///< why places could not be carried over, as it was said last
    std::function<void()> waiting_;  ///< for the picture to be prepared
};

}  // namespace moorhaze::desktop
