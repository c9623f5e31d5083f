// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/optics/depth_of_field.h"

#include <cmath>
#include <limits>
#include <string>

#include "core/work/errors.h"

namespace moorhaze {
namespace {

void need_positive(double value, const char* what) {
    if (!(value > 0) || !std::isfinite(value))
        throw BadParameter(std::string(what) + " must be above 0. Type a larger value.");
}

void check_lens(const LensSetup& lens) {
    need_positive(lens.focal_length_mm, "the focal length");
    need_positive(lens.f_number, "the f-number");
    need_positive(lens.magnification, "the magnification");
    need_positive(lens.pupil_factor, "the pupil factor");
}

}  // namespace

double focus_distance_mm(const LensSetup& lens) {
    check_lens(lens);
    return lens.focal_length_mm * (1 / lens.magnification + 1 / lens.pupil_factor);
}

double effective_f_number(const LensSetup& lens) {
    check_lens(lens);
    return lens.f_number * (1 + lens.magnification / lens.pupil_factor);
}

SharpZone sharp_zone(const LensSetup& lens, double circle_of_confusion_mm) {
    need_positive(circle_of_confusion_mm, "the circle of confusion");
    const double focus = focus_distance_mm(lens);
    const double k = circle_of_confusion_mm * lens.f_number / (lens.magnification * lens.focal_length_mm);
    const double far = k < 1 ? focus / (1 - k) : std::numeric_limits<double>::infinity();
    return {focus, focus / (1 + k), far};
}

double blur_disc_mm(const LensSetup& lens, double distance_mm) {
    need_positive(distance_mm, "the distance");
    const double aperture = lens.focal_length_mm / lens.f_number;
    return lens.magnification * aperture * std::abs(distance_mm - focus_distance_mm(lens)) / distance_mm;
}

double hyperfocal_mm(const LensSetup& lens, double circle_of_confusion_mm) {
    check_lens(lens);
    need_positive(circle_of_confusion_mm, "the circle of confusion");
    const double f = lens.focal_length_mm;
    return f * f / (lens.f_number * circle_of_confusion_mm) + f;
}

double magnification_at(double focal_length_mm, double distance_from_lens_mm) {
    need_positive(focal_length_mm, "the focal length");
    if (!(distance_from_lens_mm > focal_length_mm))
        throw BadParameter("the subject is closer than the focal length: no lens draws it sharp. Move away.");
    return focal_length_mm / (distance_from_lens_mm - focal_length_mm);
}

double sensor_to_subject_mm(double focal_length_mm, double magnification) {
    need_positive(focal_length_mm, "the focal length");
    need_positive(magnification, "the magnification");
    return focal_length_mm * (2 + magnification + 1 / magnification);
}

}  // namespace moorhaze
