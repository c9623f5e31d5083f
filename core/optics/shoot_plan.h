// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/optics/diffraction.h"
#include "core/optics/focus_steps.h"

namespace moorhaze {

/// By what a point counts as sharp.
enum class SharpBy {
    pixels,  ///< `circle_px` pixels of this sensor
    sensor,  ///< the sensor's diagonal by 1500 (common practice for pictures seen whole)
    typed,   ///< `circle_mm`
};

/// Everything a person says before a shoot; what is saved under a name.
struct ShootSetup {
    double sensor_width_mm = 36, sensor_height_mm = 24;
    int picture_width_px = 6000;
    double focal_length_mm = 100, pupil_factor = 1, f_number = 8, magnification = 0.5;
    SharpBy sharp_by = SharpBy::pixels;
    double circle_px = 2, circle_mm = 0.02;
    double subject_depth_mm = 20, front_margin_mm = 1, behind_margin_mm = 1;
    Stepping stepping = Stepping::rail;
    double overlap = 0.3;
    int frames = 0;  ///< 0: as many as the overlap needs
    double shutter_s = 1.0 / 125;
    bool flash = true;
    double flash_recharge_s = 3.5, flash_sync_s = 1.0 / 200;
    double settle_s = 1;  ///< from the end of a move to the exposure
    int views = 1;        ///< of a turntable, evenly over a full turn
    int card_frames = 0;  ///< room on the card; 0: not known
    bool operator==(const ShootSetup&) const = default;
};

/// A value that cannot be, for the field it stands in.
struct SetupProblem {
    std::string field;   ///< name of the member of ShootSetup
    std::string what;    ///< a sentence with the remedy
    bool blocks = true;  ///< false: it can be shot, but the person should know
};

/// What comes of a setup.
struct ShootPlan {
    std::vector<SetupProblem> problems;  ///< with one that blocks, nothing below is filled in
    double circle_of_confusion_mm = 0, pixel_pitch_mm = 0;
    double field_width_mm = 0;  ///< at the sharp plane
    double working_mm = 0;      ///< from the entrance pupil to the nearest point
    SharpZone zone;             ///< of the first frame
    StepPlan steps;
    double effective_f_number = 0, airy_px = 0;
    double finest_contrast = 0;     ///< of two-pixel lines, after diffraction alone, 0..1
    double f_number_of_finest = 0;  ///< from here on diffraction takes detail of two pixels
    double f_number_of_circle = 0;  ///< from here on it is wider than the circle of confusion
    SingleShot single;              ///< the best without a series
    double seconds = 0;             ///< of the whole shoot, all views
    double room_mm = 0;             ///< to leave at the left and at the right of the subject
    bool is_possible() const;
};

/// Thread-safe; never throws.
ShootPlan plan_shoot(const ShootSetup& setup);

/// One other f-number of the same plan.
struct TradeOff {
    double f_number = 0;
    int frames = 0;
    double seconds = 0;
    double blur_px = 0;  ///< at the edge of a sharp zone: defocus and Airy disc together
};
/// Full stops from f/2.8 to f/22 (common practice).
std::vector<TradeOff> trade_offs(const ShootSetup& setup);

/// In words: what diffraction does at this f-number and which one is better.
std::string diffraction_verdict(const ShootSetup& setup, const ShootPlan& plan);

/// JSON with the members' names. @throws FileError for a file that is no setup, naming what is wrong.
void save_setup(const std::filesystem::path& file, const ShootSetup& setup);
/// The same as text.   @throws FileError without a file's name.
std::string json_of(const ShootSetup& setup);
ShootSetup setup_of_json(const std::string& json);
ShootSetup load_setup(const std::filesystem::path& file);

}  // namespace moorhaze
