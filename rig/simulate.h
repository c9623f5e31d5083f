#pragma once
#include <filesystem>
#include <optional>

#include "core/picture/picture.h"
#include "rig/camera.h"
#include "rig/render.h"

namespace moorhaze::rig {

struct SimulateSettings {
    std::string scene = "lichen-cups";
    int frames = 0;  ///< 0: as the scene says
    int width_px = 1500, height_px = 1000;
    std::uint32_t seed = 1;
    int reference = 0;      ///< counts from 1; 0: the middle one
    bool still = false;     ///< no hand shake and no flicker
    double f_number = 0;    ///< 0: as the scene says
    double noise = 0;       ///< sensor noise: 0 none, 1 like ISO 100 of a small camera, more for more
    int jpeg_quality = 90;  ///< used where `tiff` is false
    bool tiff = false;      ///< 16-bit TIFF frames instead of JPEG
    RayBudget rays;
};

/// One frame of a simulated shoot.
struct SimulatedFrame {
    Camera camera;
    double gain = 1;  ///< exposure against the nominal one: linear light is multiplied by it
};

/// How each frame is taken; the same for the same settings.
struct SimulatedSeries {
    std::vector<SimulatedFrame> frames;
    int reference = 0;  ///< index from 0
};
SimulatedSeries plan_series(const Scene& scene, const SimulateSettings& settings);

/// True depth in frame numbers from 1 (not whole): where the sharp plane would have to stand.
cv::Mat1f depth_in_frames(const cv::Mat1f& depth_mm, const Scene& scene, const SimulatedSeries& series);

/// Shoots one frame: 16 bit or 8 bit sRGB as settings say.
Picture shoot_frame(const PreparedScene& scene, const SimulatedFrame& frame, const SimulateSettings& settings,
                    int index, const Job& job);

/// Writes DIR/frames/, DIR/truth/sharp.tif, DIR/truth/depth.tif and DIR/truth/truth.json.
/// @throws BadParameter, FileError, Cancelled.
void simulate(const SimulateSettings& settings, const std::filesystem::path& folder, const Job& job);

}  // namespace moorhaze::rig
