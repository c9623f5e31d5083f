// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "core/optics/depth_of_field.h"

namespace moorhaze {

/// How the plane of focus goes through the subject.
enum class Stepping {
    rail,     ///< the whole camera moves; the magnification in the sharp plane stays
    refocus,  ///< the lens refocuses, its entrance pupil stays; far planes are drawn smaller
};

/// What shall be sharp. Depths count from the subject's nearest point away from the camera, in mm.
struct StepSettings {
    LensSetup lens;  ///< focused on the nearest point
    double circle_of_confusion_mm = 0.01;
    double subject_depth_mm = 20;
    double front_margin_mm = 0, behind_margin_mm = 0;
    double overlap = 0.3;  ///< share of a sharp zone that the next frame has too, 0..0.95
    Stepping stepping = Stepping::rail;
    double smallest_step_mm = 0;  ///< a rail's own step; the step is a whole number of them. 0: any step
};

/// One frame of a plan, depths from the subject's nearest point.
struct PlannedFrame {
    double focus_mm = 0;
    double near_mm = 0, far_mm = 0;  ///< its sharp zone
};

struct StepPlan {
    std::vector<PlannedFrame> frames;  ///< near to far
    double first_step_mm = 0,
           last_step_mm = 0;       ///< between planes of focus; alike on a rail; 0 for one frame
    double extension_step_mm = 0;  ///< refocusing: mean step of the image plane behind the lens
    double overlap = 0;            ///< that results; below 0 there are gaps; 0 for one frame
    double uncovered_mm = 0;       ///< of subject and margins, in no frame's zone
    double scale_change = 0;       ///< how much larger the first frame draws the same thing than the last
    double common_width = 1;       ///< share of the middle frame's width that all frames show
};

/// As few frames as keep at least the overlap asked for, over the subject and its margins.
/// @throws BadParameter, also when it would take over 10000 frames.   Thread-safe.
StepPlan steps_for_overlap(const StepSettings& settings);

/// The same depth with a given number of frames; `settings.overlap` is not used.
/// @throws BadParameter.   Thread-safe.
StepPlan steps_for_count(const StepSettings& settings, int frames);

}  // namespace moorhaze
