// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/simulate.h"

#include <algorithm>
#include <cstdio>
#include <memory>
#include <nlohmann/json.hpp>

#include "core/files/exif_block.h"
#include "core/files/float_tiff.h"
#include "core/files/picture_file.h"
#include "core/files/safe_write.h"
#include "core/picture/tone_curve.h"
#include "rig/noise.h"
#include "rig/scenes.h"

namespace moorhaze::rig {
namespace {

double normal(std::uint32_t seed, std::uint32_t index) {
    return normal_pair(seed, index).first;
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

/// Streak, shift and light that each kind of fault means, at any picture size.
void strike(SimulatedFrame& frame, const std::string& kind, std::uint32_t seed) {
    const double across = frame.camera.width_px / 1500.0, turn = 6.283185307179586 * random_unit(seed, 11);
    if (kind == "misfire") frame.effects.gain *= 0.02;
    if (kind == "exposure") frame.effects.gain *= random_unit(seed, 12) < 0.5 ? 0.6 : 1.6;
    if (kind == "band") frame.effects.dark_band = 0.12 + 0.2 * double(random_unit(seed, 13));
    if (kind == "bump") {
        const double way = (6 + 8 * double(random_unit(seed, 14))) * across;
        frame.effects.smear_right_px = way * std::cos(turn);
        frame.effects.smear_down_px = way * std::sin(turn);
    }
    if (kind == "framing") {
        frame.camera.yaw_rad += 0.02 * std::cos(turn);
        frame.camera.pitch_rad += 0.02 * std::sin(turn);
    }
    frame.fault = kind;
}

}  // namespace

const std::vector<std::string>& fault_kinds() {
    static const std::vector<std::string> kinds{"misfire",   "band",    "bump",   "exposure",
                                                "duplicate", "framing", "missing"};
    return kinds;
}

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
        ExposureEffects effects;
        effects.gain = gain;
        SimulatedFrame frame{camera, effects, {settings.turn_deg, 0}, {}};
        if (scene_entry(scene.name).moves)
            frame.state.moved = i + 1 >= (settings.moves_at > 0 ? settings.moves_at : count / 2 + 1) ? 1 : 0;
        series.frames.push_back(frame);
    }
    const auto dust =
        settled_dust(settings.dust, {settings.width_px, settings.height_px}, hash(settings.seed * 193u + 7u));
    for (SimulatedFrame& frame : series.frames) frame.effects.dust = dust;
    std::vector<int> missing, doubled;
    for (const SimulatedFault& fault : settings.faults) {
        const auto& kinds = fault_kinds();
        if (std::find(kinds.begin(), kinds.end(), fault.kind) == kinds.end())
            throw BadParameter("there is no fault '" + fault.kind +
                               "'. There are: misfire, band, bump, exposure, "
                               "duplicate, framing, missing.");
        if (fault.frame < 1 || fault.frame > count || fault.frame == series.reference + 1)
            throw BadParameter("a fault needs a frame of the series that is not the reference frame, not " +
                               std::to_string(fault.frame) + ".");
        if (fault.kind == "missing")
            missing.push_back(fault.frame - 1);
        else if (fault.kind == "duplicate")
            doubled.push_back(fault.frame - 1);
        else
            strike(series.frames[std::size_t(fault.frame - 1)], fault.kind,
                   hash(settings.seed * 61u + std::uint32_t(fault.frame)));
    }
    std::vector<SimulatedFrame> shot;
    int reference = 0;
    for (int i = 0; i < count; ++i) {
        if (std::find(missing.begin(), missing.end(), i) != missing.end()) continue;
        if (i == series.reference) reference = int(shot.size());
        shot.push_back(series.frames[std::size_t(i)]);
        if (std::find(doubled.begin(), doubled.end(), i) != doubled.end()) {
            shot.push_back(shot.back());
            shot.back().fault = "duplicate";
        }
    }
    series.frames = std::move(shot);
    series.reference = reference;
    return series;
}

cv::Mat1f depth_in_frames(const cv::Mat1f& depth_mm, const SimulatedSeries& series) {
    const Camera& reference = series.frames[std::size_t(series.reference)].camera;
    // Planes of focus of the frames, in the axes of the first one's lens; between them frame numbers run
    // evenly.
    std::vector<double> planes;
    for (const SimulatedFrame& frame : series.frames)
        planes.push_back(frame.camera.place.z + frame.camera.focus_distance_mm);
    const int last = int(planes.size()) - 1;
    auto number_of = [&](double depth) {
        if (last == 0) return 1.0;
        const int above = int(std::upper_bound(planes.begin() + 1, planes.end() - 1, depth) - planes.begin());
        int below = above - 1;
        while (below > 0 && planes[std::size_t(above)] == planes[std::size_t(below)]) --below;  // a duplicate
        const double from = planes[std::size_t(below)], to = planes[std::size_t(above)];
        return to > from ? below + (depth - from) / (to - from) * (above - below) + 1 : above + 1.0;
    };
    cv::Mat1f frames(depth_mm.size());
    for (int y = 0; y < frames.rows; ++y)
        for (int x = 0; x < frames.cols; ++x)
            frames(y, x) = float(number_of(double(depth_mm(y, x)) + reference.place.z));
    return frames;
}

Picture shoot_frame(const PreparedScene& scene, const SimulatedFrame& frame, const SimulateSettings& settings,
                    int index, const Job& job) {
    const auto seed = hash(settings.seed * 31u + std::uint32_t(index) + 5u);
    cv::Mat3f linear = render_photograph(scene, frame.camera, settings.rays, seed, job);
    ExposureEffects effects = frame.effects;
    effects.noise = settings.noise;
    apply_effects(linear, effects, seed + 9, job);
    const Picture deep = from_linear(linear, ToneCurve({}), {});
    return settings.tiff ? deep : with_bits(deep, 8);
}

void simulate(const SimulateSettings& settings, const std::filesystem::path& folder, const Job& job) {
    const Scene plain = make_scene(settings.scene, settings.seed, {settings.turn_deg, 0});
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

    const SimulatedFrame& reference_frame = series.frames[std::size_t(series.reference)];
    const Camera& reference = reference_frame.camera;
    // The scene as it stands; made anew where it changes.
    SceneState state{settings.turn_deg, 0};
    auto scene = std::make_unique<PreparedScene>(plain);
    auto change_to = [&](const SceneState& wanted) {
        if (wanted == state) return;
        scene = std::make_unique<PreparedScene>(make_scene(settings.scene, settings.seed, wanted));
        state = wanted;
    };
    cv::Mat1f depth_mm;
    auto write_truth = [&](const char* name) {
        const cv::Mat3f sharp = render_all_sharp(*scene, reference, 48, depth_mm, job.quiet());
        write_picture(truth_folder / name, from_linear(sharp, ToneCurve({}), {}), {}, {}, job.quiet());
    };
    if (settings.true_pictures && scene_entry(settings.scene).moves) {
        change_to({settings.turn_deg, 1 - reference_frame.state.moved});
        write_truth("sharp-other.tif");
    }
    change_to(reference_frame.state);
    if (settings.true_pictures) {
        write_truth("sharp.tif");
        job.checkpoint(0.1);
        write_plane(truth_folder / "depth.tif", depth_in_frames(depth_mm, series));
    }

    nlohmann::json truth{{"scene", settings.scene},
                         {"seed", settings.seed},
                         {"reference", series.reference + 1},
                         {"frames", nlohmann::json::array()},
                         {"faults", nlohmann::json::array()}};
    for (const DustSpeck& speck : reference_frame.effects.dust)
        truth["dust"].push_back(
            {{"x", speck.x_px}, {"y", speck.y_px}, {"radius_px", speck.radius_px}, {"depth", speck.depth}});
    const int count = int(series.frames.size());
    for (int i = 0; i < count; ++i) {
        const SimulatedFrame& frame = series.frames[std::size_t(i)];
        change_to(frame.state);
        const Picture picture = shoot_frame(*scene, frame, settings, i,
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
        if (!frame.fault.empty()) truth["faults"].push_back({{"kind", frame.fault}, {"frame", i + 1}});
        if (i > 0 && !(frame.state == series.frames[std::size_t(i) - 1].state))
            truth["faults"].push_back({{"kind", "moved"}, {"frame", i + 1}});
        // The gain that brings the frame to the reference's brightness, as an alignment would find it.
        truth["frames"].push_back({{"path", "frames/" + name},
                                   {"matrix", rows_of(matrix_to_reference(frame.camera, reference))},
                                   {"gain", 1 / frame.effects.gain}});
    }
    for (const SimulatedFault& fault : settings.faults)
        if (fault.kind == "missing") truth["faults"].push_back({{"kind", "missing"}, {"step", fault.frame}});
    write_text_file(truth_folder / "truth.json", truth.dump(2) + "\n", true);
}

void simulate_views(const SimulateSettings& settings, int views, const std::filesystem::path& folder,
                    const Job& job) {
    if (views < 1 || views > 720) throw BadParameter("a turntable set has 1 to 720 views.");
    for (int view = 0; view < views; ++view) {
        char name[16];
        std::snprintf(name, sizeof name, "view-%02d", view + 1);
        SimulateSettings own = settings;
        own.turn_deg = settings.turn_deg + 360.0 * view / views;
        simulate(own, folder / name, job.part(double(view) / views, double(view + 1) / views));
    }
}

}  // namespace moorhaze::rig
