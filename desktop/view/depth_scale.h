// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

namespace moorhaze::desktop {

/// Where frames stand on an upright line, near at the bottom: as far apart as they were shot, and opened up
/// around the pointer where they stand close. Heights are logical pixels from the top. A plain value without
/// a widget.
class DepthScale {
  public:
    /// @param steps  from the frame before, in usual steps of the series; the first one's does not count.
    void set_steps(const std::vector<double>& steps);
    /// @param top, bottom  the ends of the line.
    void set_ends(double top, double bottom);
    /// Where the line opens up; none: nowhere.
    void open_at(std::optional<double> y) { opened_at_ = y; }

    int count() const { return int(places_.size()); }
    double spacing() const;                 ///< between usual neighbours
    bool is_crowded() const;                ///< so close that the line opens up around the pointer
    double y_of(double frame) const;        ///< of a frame, or between two
    double frame_of_plain(double y) const;  ///< the inverse, where the line is not opened up
    int frame_at(double y) const;           ///< the nearest

  private:
    double plain_y(double frame) const;  ///< before the line opens up

    std::vector<double> places_;  ///< in usual steps from the nearest
    double top_ = 0, bottom_ = 0;
    std::optional<double> opened_at_;
};

}  // namespace moorhaze::desktop
