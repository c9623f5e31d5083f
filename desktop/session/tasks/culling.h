// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/document/session_base.h"

namespace moorhaze::desktop {

/// Which frames and which depth: each change one step of undo.
class Culling : public QObject {
    Q_OBJECT
  public:
    explicit Culling(SessionBase& base, QObject* parent = nullptr) : QObject(parent), base_(base) {}

    void set_used(FrameId frame, bool used);
    void toggle_use(FrameId frame);
    void set_range(FrameRange range);
    /// Leaves out every frame that was flagged.
    void accept_suggestions();
    void set_reference(FrameId frame);
    void put_in_order();  ///< as looking into the series suggests
    void turn_round();
    void move_frame(FrameId frame, int by);

    /// The frame that is sharpest at a place (0..1 across and down); nothing where none is, or where that is
    /// not known yet.
    /// @param shown  the frame that the place was pointed at in; none: the reference plane.
    std::optional<FrameId> sharpest_at(double across, double down, std::optional<FrameId> shown) const;
    /// The range that has sharp what lies along a line of places, with a frame to spare at both ends.
    std::optional<FrameRange> range_along(const std::vector<cv::Point2d>& places,
                                          std::optional<FrameId> shown) const;

    /// Saves a frame, as it is, as a picture.
    void save_frame(FrameId frame, const std::filesystem::path& file, const WriteSettings& settings);

  private:
    void set_order(const QString& what, const std::vector<int>& order);
    int shown_place(std::optional<FrameId> shown) const;

    SessionBase& base_;
};

}  // namespace moorhaze::desktop
