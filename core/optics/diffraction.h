// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/optics/depth_of_field.h"

namespace moorhaze {

/// Green light, where a sensor sees most: 550 nm.
inline constexpr double kGreenLight_mm = 550e-6;
/// Two pixels are the finest pattern a sensor can hold (Nyquist); an Airy disc wider than that takes
/// detail away.
inline constexpr double kAiryLimit_px = 2;

/// Diameter of the Airy disc to its first dark ring, in mm on the sensor: 2.44 lambda N.
/// Source: Hecht, "Optics", 4th ed. 2002, section 10.2.5.   Thread-safe like everything here.
double airy_disc_mm(double effective_f_number, double wavelength_mm = kGreenLight_mm);

/// The marked f-number at which the Airy disc grows to `diameter_mm`, at this lens' magnification.
double f_number_of_airy_disc(const LensSetup& lens, double diameter_mm,
                             double wavelength_mm = kGreenLight_mm);

/// Contrast (0..1) that diffraction leaves of a pattern, for a lens without aberrations and a round stop.
/// @param cycles_per_mm  on the sensor, >= 0.
/// Source: Goodman, "Introduction to Fourier Optics", 3rd ed. 2005, section 6.3.
double diffraction_contrast(double cycles_per_mm, double effective_f_number,
                            double wavelength_mm = kGreenLight_mm);

/// The best that one exposure can do for a depth: stopping down until the Airy disc is as wide as the blur
/// of the nearest and the farthest point.
struct SingleShot {
    double f_number = 0;  ///< marked
    double blur_mm = 0;   ///< at both ends: root of the summed squares of defocus and Airy disc
};
/// Source: P. B. Hansma, "View Camera Focusing in Practice", Photo Techniques, March/April 1996 (from
/// memory): N = sqrt(375 dv) with dv in mm, the focus spread behind the lens; his 1/750 mm is the Airy disc
/// at 546 nm.   @throws BadParameter.
SingleShot best_single_shot(const LensSetup& lens, double subject_depth_mm,
                            double wavelength_mm = kGreenLight_mm);

}  // namespace moorhaze
