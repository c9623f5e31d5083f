// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

namespace moorhaze {

/// What noise alone makes of the energies of a series' frames, band by band. Where a picture has texture
/// everywhere, the quietest places of a frame hold texture, too; the frame that shows the least of it, and
/// the finer bands, tell the noise better.
class NoiseFloor {
  public:
    explicit NoiseFloor(std::size_t bands) : of_frames_(bands) {}

    /// @param quiet  the energy of a frame's quietest places in a band, as quiet_energy() tells it.
    void add(std::size_t band, double quiet) { of_frames_[band].push_back(quiet); }

    std::size_t bands() const { return of_frames_.size(); }

    /// Of each band, finest first; 0 while no frame was added. From the third band on each is at most a
    /// share of the one before: noise of single pixels loses three quarters of its energy when it is
    /// downsampled, that of compression somewhat less.
    std::vector<double> finish() const;

  private:
    std::vector<std::vector<double>> of_frames_;  ///< of each band
};

}  // namespace moorhaze
