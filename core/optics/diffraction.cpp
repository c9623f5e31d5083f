// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/optics/diffraction.h"

#include <cmath>
#include <numbers>

#include "core/work/errors.h"

namespace moorhaze {
namespace {

/// Airy disc by f-number and wavelength: twice the first zero of J1 (3.8317) by pi.
constexpr double kAiry = 2.4393;

}  // namespace

double airy_disc_mm(double effective_f_number, double wavelength_mm) {
    return kAiry * wavelength_mm * effective_f_number;
}

double f_number_of_airy_disc(const LensSetup& lens, double diameter_mm, double wavelength_mm) {
    return diameter_mm / (kAiry * wavelength_mm * (1 + lens.magnification / lens.pupil_factor));
}

double diffraction_contrast(double cycles_per_mm, double effective_f_number, double wavelength_mm) {
    const double part = std::abs(cycles_per_mm) * wavelength_mm * effective_f_number;  // of the cutoff
    if (part >= 1) return 0;
    return 2 / std::numbers::pi * (std::acos(part) - part * std::sqrt(1 - part * part));
}

SingleShot best_single_shot(const LensSetup& lens, double subject_depth_mm, double wavelength_mm) {
    if (!(subject_depth_mm > 0))
        throw BadParameter("the subject's depth must be above 0. Type a larger value.");
    // Behind the lens, from the image of the nearest point to that of the farthest; the sharp plane between
    // them where both blur alike.
    const double nearest = focus_distance_mm(lens), farthest = nearest + subject_depth_mm;
    auto extension = [&](double distance) {
        return lens.focal_length_mm / (distance / lens.focal_length_mm - 1 / lens.pupil_factor);
    };
    const double spread = extension(nearest) - extension(farthest);
    const double effective = std::sqrt(spread / (2 * kAiry * wavelength_mm));
    return {effective / (1 + lens.magnification / lens.pupil_factor),
            std::numbers::sqrt2 * airy_disc_mm(effective, wavelength_mm)};
}

}  // namespace moorhaze
