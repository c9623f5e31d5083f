#pragma once
#include <opencv2/core.hpp>

#include "core/work/job.h"

namespace moorhaze {

/// Square of a band's detail, gathered with a Gaussian.   @throws BadParameter, Cancelled.   Thread-safe.
cv::Mat1f band_energy(const cv::Mat1f& band, double sigma_px, const Job& job);

/// The energy that `share` (0..1) of the places stay below: in a frame of a focus series most places are out
/// of focus, so that a small share of them holds nothing but noise.
float quiet_energy(const cv::Mat1f& energy, double share);

}  // namespace moorhaze
