// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/optics/focus_steps.h"

#include <algorithm>
#include <cmath>

#include "core/work/errors.h"

namespace moorhaze {
namespace {

constexpr int kMostFrames = 10000;

void check_steps(const StepSettings& settings) {
    if (!(settings.subject_depth_mm >= 0))
        throw BadParameter("the subject's far point lies in front of its near point. Swap them.");
    if (!(settings.front_margin_mm >= 0) || !(settings.behind_margin_mm >= 0))
        throw BadParameter("a margin must not be below 0.");
    if (!(settings.overlap >= 0) || settings.overlap > 0.95)
        throw BadParameter("the overlap must lie between 0 and 95 %.");
}

/// Where planes of focus may stand so that sharp zones of one frame after the other fit: a coordinate in
/// which a lens' zones are about equally long everywhere.
class FocusScale {
  public:
    explicit FocusScale(const StepSettings& settings)
        : settings_(settings), nearest_mm_(focus_distance_mm(settings.lens)) {
        zone_ = sharp_zone(settings.lens, settings.circle_of_confusion_mm);
    }

    bool on_rail() const { return settings_.stepping == Stepping::rail; }

    PlannedFrame frame_at(double focus_mm) const {
        if (on_rail()) return {focus_mm, focus_mm - zone_.front_mm(), focus_mm + zone_.behind_mm()};
        const SharpZone zone = sharp_zone(lens_at(focus_mm), settings_.circle_of_confusion_mm);
        return {focus_mm, zone.near_mm - nearest_mm_, zone.far_mm - nearest_mm_};
    }

    /// The plane of focus whose zone begins at `near_mm`.
    double focus_with_near(double near_mm) const {
        if (on_rail()) return near_mm + zone_.front_mm();
        // In dioptres a zone reaches w = c N / f^2 (1 - x f / P) to either side of its plane x (from the
        // zone's two ends, with m from the distance); so its near end is x + w(x).
        const double end = 1 / (nearest_mm_ + near_mm);
        return 1 / ((end - half_width()) / (1 - half_width() * pupil_length())) - nearest_mm_;
    }

    /// The next plane when neighbours share a part of their zones.
    double next(double focus_mm, double overlap) const {
        if (on_rail()) return focus_mm + zone_.total_mm() * (1 - overlap);
        const double part = (1 - overlap) * half_width(), x = 1 / (nearest_mm_ + focus_mm);
        const double next_x = (x - part * (2 - pupil_length() * x)) / (1 - part * pupil_length());
        return next_x > 0 ? 1 / next_x - nearest_mm_ : 1e9;
    }

    LensSetup lens_at(double focus_mm) const {
        LensSetup lens = settings_.lens;
        if (!on_rail())
            lens.magnification =
                1 / ((nearest_mm_ + focus_mm) / lens.focal_length_mm - 1 / lens.pupil_factor);
        return lens;
    }

    double nearest_mm() const { return nearest_mm_; }
    double zone_mm() const { return zone_.total_mm(); }

  private:
    double half_width() const {
        const LensSetup& lens = settings_.lens;
        return settings_.circle_of_confusion_mm * lens.f_number /
               (lens.focal_length_mm * lens.focal_length_mm);
    }
    double pupil_length() const { return settings_.lens.focal_length_mm / settings_.lens.pupil_factor; }

    const StepSettings& settings_;
    double nearest_mm_;
    SharpZone zone_;
};

/// Planes one after the other until the far end is reached; `count` > 0: exactly so many.
std::vector<PlannedFrame> row_of_frames(const FocusScale& scale, const StepSettings& settings, double overlap,
                                        int count) {
    const double far_end = settings.subject_depth_mm + settings.behind_margin_mm;
    std::vector<PlannedFrame> frames{scale.frame_at(scale.focus_with_near(-settings.front_margin_mm))};
    while (count > 0 ? int(frames.size()) < count : frames.back().far_mm < far_end - 1e-9) {
        if (int(frames.size()) >= kMostFrames)
            throw BadParameter("this would take over " + std::to_string(kMostFrames) +
                               " frames. Stop down, ask for less overlap, or accept a larger circle of "
                               "confusion.");
        frames.push_back(scale.frame_at(scale.next(frames.back().focus_mm, overlap)));
    }
    return frames;
}

StepPlan finished(const FocusScale& scale, const StepSettings& settings, std::vector<PlannedFrame> frames,
                  double overlap) {
    StepPlan plan;
    plan.frames = std::move(frames);
    plan.overlap = overlap;
    const auto count = plan.frames.size();
    const double first = plan.frames.front().focus_mm, last = plan.frames.back().focus_mm;
    if (count > 1) {
        plan.first_step_mm = plan.frames[1].focus_mm - first;
        plan.last_step_mm = last - plan.frames[count - 2].focus_mm;
    }
    double covered_to = -settings.front_margin_mm;
    const double far_end = settings.subject_depth_mm + settings.behind_margin_mm;
    for (const PlannedFrame& frame : plan.frames) {
        plan.uncovered_mm += std::max(0.0, std::min(frame.near_mm, far_end) - covered_to);
        covered_to = std::max(covered_to, std::min(frame.far_mm, far_end));
    }
    plan.uncovered_mm += std::max(0.0, far_end - covered_to);
    const double nearest = scale.nearest_mm(), middle = (first + last) / 2;
    if (scale.on_rail()) {
        // What the last frame has sharp lies farther from the middle frame's place than from its own.
        plan.scale_change = (last - first) / nearest;
        plan.common_width = nearest / (nearest + last - middle);
    } else {
        const double pupil = settings.lens.pupil_factor;
        const double at_first = scale.lens_at(first).magnification + pupil;
        const double at_last = scale.lens_at(last).magnification + pupil;
        plan.scale_change = at_first / at_last - 1;
        plan.common_width =
            (scale.lens_at(plan.frames[(count - 1) / 2].focus_mm).magnification + pupil) / at_first;
        if (count > 1)
            plan.extension_step_mm = settings.lens.focal_length_mm * (at_first - at_last) / double(count - 1);
    }
    return plan;
}

}  // namespace

StepPlan steps_for_count(const StepSettings& settings, int frames) {
    check_steps(settings);
    if (frames < 1) throw BadParameter("a series has at least one frame.");
    if (frames > kMostFrames)
        throw BadParameter("a series has at most " + std::to_string(kMostFrames) + " frames.");
    const FocusScale scale(settings);
    const double far_end = settings.subject_depth_mm + settings.behind_margin_mm;
    auto reaches = [&](double overlap) {
        return row_of_frames(scale, settings, overlap, frames).back().far_mm >= far_end;
    };
    // More overlap reaches less far: halve until the row just ends where it should.
    double low = -1, high = 1;
    if (frames > 1) {
        while (!reaches(low) && low > -1e6) low *= 2;
        for (int i = 0; i < 80; ++i) {
            const double middle = (low + high) / 2;
            (reaches(middle) ? low : high) = middle;
        }
    } else {
        low = 0;
    }
    return finished(scale, settings, row_of_frames(scale, settings, low, frames), low);
}

StepPlan steps_for_overlap(const StepSettings& settings) {
    check_steps(settings);
    const FocusScale scale(settings);
    if (scale.on_rail() && settings.smallest_step_mm > 0) {
        const double wanted = scale.zone_mm() * (1 - settings.overlap);
        const double own = settings.smallest_step_mm * std::floor(wanted / settings.smallest_step_mm + 1e-9);
        if (!(own > 0))
            throw BadParameter(
                "the sharp zone is finer than the rail can step. Stop down, or ask for less "
                "overlap.");
        const double overlap = 1 - own / scale.zone_mm();
        return finished(scale, settings, row_of_frames(scale, settings, overlap, 0), overlap);
    }
    // The fewest frames, then spread evenly: the overlap is at least what was asked for.
    const int count = int(row_of_frames(scale, settings, settings.overlap, 0).size());
    return steps_for_count(settings, count);
}

}  // namespace moorhaze
