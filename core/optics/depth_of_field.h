// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
namespace moorhaze {

/// A lens as far as depth of field needs it, and how large it draws what is sharp.
struct LensSetup {
    double focal_length_mm = 100;
    double f_number = 8;         ///< as marked, for far focus
    double magnification = 0.5;  ///< size on the sensor by size of the thing, in the sharp plane; > 0
    double pupil_factor = 1;     ///< diameter of the exit pupil by that of the entrance pupil; > 0
    bool operator==(const LensSetup&) const = default;
};

/// What is sharp around the plane of focus, along the lens axis. Distances from the entrance pupil.
struct SharpZone {
    double focus_mm = 0;
    double near_mm = 0, far_mm = 0;  ///< `far_mm` is infinite beyond the hyperfocal distance
    double front_mm() const { return focus_mm - near_mm; }
    double behind_mm() const { return far_mm - focus_mm; }
    double total_mm() const { return far_mm - near_mm; }
};

/// From the entrance pupil to the sharp plane: f (1/m + 1/P).
/// Source: S. F. Ray, "Applied Photographic Optics", 3rd ed. 2002; J. Conrad, "Depth of Field in Depth",
/// 2006. Thread-safe like everything here. @throws BadParameter for values that no lens has.
double focus_distance_mm(const LensSetup& lens);

/// The f-number that exposure and diffraction see: N (1 + m/P).   @throws BadParameter.
double effective_f_number(const LensSetup& lens);

/// The zone in which a point is drawn no wider than the circle of confusion, exact for a lens without
/// aberrations at any distance and magnification: with k = c N / (m f) it reaches from u/(1+k) to u/(1-k).
/// Near and far together that is the close-up form 2 N c (1 + m/P) / (m^2 (1 - k^2)).
/// Source: as above.   @throws BadParameter.
SharpZone sharp_zone(const LensSetup& lens, double circle_of_confusion_mm);

/// Diameter on the sensor, in mm, of the disc that a point becomes. `distance_mm` from the entrance pupil.
double blur_disc_mm(const LensSetup& lens, double distance_mm);

/// Focused here, everything from half this distance on is sharp: f^2 / (N c) + f, from the lens.
double hyperfocal_mm(const LensSetup& lens, double circle_of_confusion_mm);

/// m = f / (distance - f); the distance from the lens' front principal plane.   @throws BadParameter when
/// the thing is inside the focal length.
double magnification_at(double focal_length_mm, double distance_from_lens_mm);

/// The distance from sensor to thing at a magnification: f (2 + m + 1/m), for a lens whose principal planes
/// lie in one.   @throws BadParameter.
double sensor_to_subject_mm(double focal_length_mm, double magnification);

}  // namespace moorhaze
