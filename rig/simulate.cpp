#include "rig/simulate.h"

#include <algorithm>
#include <cstdio>
#include <nlohmann/json.hpp>

#include "core/files/exif_block.h"
#include "core/files/float_tiff.h"
#include "core/files/picture_file.h"
#include "core/files/safe_write.h"
#include "core/picture/tone_curve.h"
#include "core/work/for_rows.h"
#include "rig/noise.h"
#include "rig/scenes.h"

namespace moorhaze::rig {
namespace {

/// Two independent normal deviates. Source: Box & Muller, Ann. Math. Stat. 29(2), 1958.
std::pair<double, double> normal_pair(std::uint32_t seed, std::uint32_t index) {
    const double one = std::max(1e-7, double(random_unit(seed, 2 * index))),
                 two = random_unit(seed, 2 * index + 1);
    const double radius = std::sqrt(-2 * std::log(one));
    return {radius * std::cos(6.283185307179586 * two), radius * std::sin(6.283185307179586 * two)};
}
double normal(std::uint32_t seed, std::uint32_t index) {
    return normal_pair(seed, index).first;
}

/// Photon noise grows with the root of light, read noise is even. At strength 1: 2 % at mid grey.
void add_noise(cv::Mat3f& linear, double strength, std::uint32_t seed) {
    const double photon = 4.5e-4 * strength * strength, read = 2.0e-7 * strength * strength;
    for_rows(linear.rows, Job{}, [&](int y) {
        auto* row = linear.ptr<float>(y);
        for (int i = 0; i < 3 * linear.cols; ++i) {
            const double light = std::max(0.0f, row[i]);
            const auto index = std::uint32_t(y) * 3u * std::uint32_t(linear.cols) + std::uint32_t(i);
            row[i] = float(light + std::sqrt(photon * light * 0.18 + read) * normal(seed, index));
        }
    });
}

std::string frame_name(int index, bool tiff) {
    char name[32];
    std::snprintf(name, sizeof name, "frame-%03d.%s", index + 1, tiff ? "tif" : "jpg");
    return name;
}

nlohmann::json rows_of(const cv::Matx33d& matrix) {
    return {{matrix(0, 0), matrix(0, 1), matrix(0, 2)},
            {matrix(1, 0), matrix(1, 1), matrix(1, 2)},
            {matrix(2, 0), matrix(2, 1), matrix(2, 2)}};
}

std::string moment_of(int index) {
    const int seconds = 7 * 3600 + 31 * 60 + 4 * index;
    char text[32];
    std::snprintf(text, sizeof text, "2026-09-12 %02d:%02d:%02d", seconds / 3600, seconds / 60 % 60,
                  seconds % 60);
    return text;
}

}  // namespace

SimulatedSeries plan_series(const Scene& scene, const SimulateSettings& settings) {
    const Shooting& shooting = scene.shooting;
    const int count = settings.frames > 0 ? settings.frames : shooting.frames;
    if (settings.width_px < 16 || settings.height_px < 16)
        throw BadParameter("a simulated frame needs at least 16x16 pixels");
    if (count > 2000) throw BadParameter("a simulated series has at most 2000 frames");
    SimulatedSeries series;
    series.reference = settings.reference > 0 ? settings.reference - 1 : (count - 1) / 2;
    if (series.reference >= count) throw BadParameter("the reference frame is beyond the last frame");
    for (int i = 0; i < count; ++i) {
        const double part = count > 1 ? double(i) / (count - 1) : 0.5;
        const double focus = std::lerp(shooting.nearest_focus_mm, shooting.farthest_focus_mm, part);
        Camera camera{settings.width_px,
                      settings.height_px,
                      shooting.sensor_width_mm,
                      shooting.focal_length_mm,
                      settings.f_number > 0 ? settings.f_number : shooting.f_number,
                      shooting.rail ? shooting.nearest_focus_mm : focus,
                      {},
                      0,
                      0,
                      0};
        double gain = 1;
        if (shooting.rail) camera.place.z = float(focus - shooting.nearest_focus_mm);
        if (!settings.still && i != series.reference) {
            const auto seed = hash(settings.seed * 977u + std::uint32_t(i));
            const double shift = shooting.shake_shift_mm / camera.focus_distance_mm;  // as an angle
            camera.yaw_rad = shift * normal(seed, 1);
            camera.pitch_rad = shift * normal(seed, 2);
            camera.roll_rad = shooting.shake_turn_deg * 0.017453292519943295 * normal(seed, 3);
            gain = std::exp(shooting.flicker * normal(seed, 4));
        }
        series.frames.push_back({camera, gain});
    }
    return series;
}

cv::Mat1f depth_in_frames(const cv::Mat1f& depth_mm, const Scene& scene, const SimulatedSeries& series) {
    const Camera& reference = series.frames[std::size_t(series.reference)].camera;
    const double near = scene.shooting.nearest_focus_mm, far = scene.shooting.farthest_focus_mm;
    const double step = series.frames.size() > 1 ? (far - near) / double(series.frames.size() - 1) : 1;
    cv::Mat1f frames(depth_mm.size());
    for (int y = 0; y < frames.rows; ++y)
        for (int x = 0; x < frames.cols; ++x)
            frames(y, x) = float((double(depth_mm(y, x)) + reference.place.z - near) / step + 1);
    return frames;
}

Picture shoot_frame(const PreparedScene& scene, const SimulatedFrame& frame, const SimulateSettings& settings,
                    int index, const Job& job) {
    const auto seed = hash(settings.seed * 31u + std::uint32_t(index) + 5u);
    cv::Mat3f linear = render_photograph(scene, frame.camera, settings.rays, seed, job);
    linear *= frame.gain;
    if (settings.noise > 0) add_noise(linear, settings.noise, seed + 9);
    const Picture deep = from_linear(linear, ToneCurve({}), {});
    return settings.tiff ? deep : with_bits(deep, 8);
}

void simulate(const SimulateSettings& settings, const std::filesystem::path& folder, const Job& job) {
    const Scene plain = make_scene(settings.scene, settings.seed);
    const SimulatedSeries series = plan_series(plain, settings);
    const auto frames_folder = folder / "frames", truth_folder = folder / "truth";
    std::error_code failure;
    std::filesystem::create_directories(frames_folder, failure);
    std::filesystem::create_directories(truth_folder, failure);
    if (failure)
        throw FileError(folder.string() + ": cannot be made (" + failure.message() +
                        "). Choose another folder.");
    if (!std::filesystem::is_empty(frames_folder))
        throw FileError(frames_folder.string() + ": holds files already. Choose an empty folder.");

    const PreparedScene scene(plain, job.part(0, 0.05));
    const Camera& reference = series.frames[std::size_t(series.reference)].camera;
    cv::Mat1f depth_mm;
    const cv::Mat3f sharp = render_all_sharp(scene, reference, 48, depth_mm, job.part(0.05, 0.1));
    write_picture(truth_folder / "sharp.tif", from_linear(sharp, ToneCurve({}), {}), {}, {}, job.quiet());
    write_plane(truth_folder / "depth.tif", depth_in_frames(depth_mm, plain, series));

    nlohmann::json truth{{"scene", settings.scene},
                         {"seed", settings.seed},
                         {"reference", series.reference + 1},
                         {"frames", nlohmann::json::array()},
                         {"faults", nlohmann::json::array()}};
    const int count = int(series.frames.size());
    for (int i = 0; i < count; ++i) {
        const SimulatedFrame& frame = series.frames[std::size_t(i)];
        const Picture picture = shoot_frame(scene, frame, settings, i,
                                            job.part(0.1 + 0.9 * i / count, 0.1 + 0.9 * (i + 1) / count));
        const std::string name = frame_name(i, settings.tiff);
        ShootingData data;
        data.taken = moment_of(i);
        data.f_number = frame.camera.f_number;
        data.exposure_s = plain.shooting.exposure_s;
        data.iso = plain.shooting.iso;
        data.focal_length_mm = frame.camera.focal_length_mm;
        data.focus_distance_m = frame.camera.focus_distance_mm / 1000;
        data.sensor_width_mm = frame.camera.sensor_width_mm;
        data.camera = "Moorhaze Rig";
        data.exif = exif_block(data, picture.width());
        WriteSettings write;
        write.format = settings.tiff ? FileFormat::tiff : FileFormat::jpeg;
        write.jpeg_quality = settings.jpeg_quality;
        write_picture(frames_folder / name, picture, data, write, job.quiet());
        // The gain that brings the frame to the reference's brightness, as an alignment would find it.
        truth["frames"].push_back({{"path", "frames/" + name},
                                   {"matrix", rows_of(matrix_to_reference(frame.camera, reference))},
                                   {"gain", 1 / frame.gain}});
    }
    write_text_file(truth_folder / "truth.json", truth.dump(2) + "\n", true);
}

}  // namespace moorhaze::rig
