// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <optional>

#include "core/picture/picture.h"
#include "rig/camera.h"
#include "rig/exposure.h"
#include "rig/render.h"

namespace moorhaze::rig {

/// Something that goes wrong in one frame of a simulated series.
struct SimulatedFault {
    std::string kind;  ///< one of fault_kinds()
    int frame = 1;     ///< counts from 1, in the series as it is without `missing` frames
    bool operator==(const SimulatedFault&) const = default;
};
/// "misfire", "band", "bump", "exposure", "duplicate", "framing", "missing".
const std::vector<std::string>& fault_kinds();

struct SimulateSettings {
    std::string scene = "lichen-cups";
    int frames = 0;  ///< 0: as the scene says
    int width_px = 1500, height_px = 1000;
    std::uint32_t seed = 1;
    int reference = 0;      ///< counts from 1; 0: the middle one
    bool still = false;     ///< no hand shake and no flicker
    double f_number = 0;    ///< 0: as the scene says
    double noise = 0;       ///< sensor noise: 0 none, 1 like ISO 100 of a small camera, more for more
    int dust = 0;           ///< specks on the sensor
    int jpeg_quality = 90;  ///< used where `tiff` is false
    bool tiff = false;      ///< 16-bit TIFF frames instead of JPEG
    RayBudget rays;
    double turn_deg = 0;        ///< of the turntable
    bool true_pictures = true;  ///< false: no sharp.tif and depth.tif, which cost as much as several frames
    int moves_at = 0;  ///< from this frame on the moving part has moved; 0: the middle one, where it has one
    std::vector<SimulatedFault> faults;
};

/// One frame of a simulated shoot.
struct SimulatedFrame {
    Camera camera;
    ExposureEffects effects;
    SceneState state;
    std::string fault;  ///< empty for none
};

/// How each frame is taken; the same for the same settings.
struct SimulatedSeries {
    std::vector<SimulatedFrame> frames;
    int reference = 0;  ///< index from 0
};
SimulatedSeries plan_series(const Scene& scene, const SimulateSettings& settings);

/// True depth in frame numbers from 1 (not whole): where the sharp plane would have to stand.
cv::Mat1f depth_in_frames(const cv::Mat1f& depth_mm, const SimulatedSeries& series);

/// Shoots one frame: 16 bit or 8 bit sRGB as settings say.
Picture shoot_frame(const PreparedScene& scene, const SimulatedFrame& frame, const SimulateSettings& settings,
                    int index, const Job& job);

/// A turntable set: DIR/view-01/, DIR/view-02/, ..., each as simulate() writes a series.
/// @throws BadParameter, FileError, Cancelled.
void simulate_views(const SimulateSettings& settings, int views, const std::filesystem::path& folder,
                    const Job& job);

/// Writes DIR/frames/, DIR/truth/sharp.tif, DIR/truth/depth.tif and DIR/truth/truth.json. Where a
/// part moves, sharp.tif shows it as in the reference frame, and DIR/truth/sharp-other.tif the other way.
/// @throws BadParameter, FileError, Cancelled.
void simulate(const SimulateSettings& settings, const std::filesystem::path& folder, const Job& job);

}  // namespace moorhaze::rig
