// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/bench.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <numbers>
#include <thread>

#include "core/files/exif_block.h"
#include "core/files/picture_file.h"
#include "core/picture/tone_curve.h"
#include "rig/noise.h"
#include "rig/scenes.h"

namespace moorhaze::rig {
namespace {

constexpr double kShake_hz = 30;
constexpr double kFlashLight_s = 1.0 / 1000;  ///< how long a flash shines
constexpr double kWrite_s = 0.5;
constexpr double kAmbient = 0.02;
constexpr double kBump_mm = 0.15, kBumpStreak_px = 9;
constexpr RayBudget kLiveRays{2, 10, 0.04f};

class PacedClock : public ShootClock {
  public:
    explicit PacedClock(double pace) : pace_(pace) {}
    double now_s() const override { return now_; }
    void wait_s(double seconds, const Job& job) override {
        const double end = now_ + std::max(0.0, seconds);
        for (double pace = pace_; pace > 0 && now_ < end; pace = pace_) {
            job.checkpoint();
            const double slice = std::min(end - now_, 0.05 * pace);
            std::this_thread::sleep_for(std::chrono::duration<double>(slice / pace));
            now_ += slice;
        }
        job.checkpoint();
        now_ = end;
    }

    void set_pace(double pace) { pace_ = pace; }

  private:
    std::atomic<double> pace_;
    double now_ = 0;
};

std::string shot_moment(double seconds) {
    const int whole = 9 * 3600 + int(seconds);
    char text[32];
    std::snprintf(text, sizeof text, "2026-09-%02d %02d:%02d:%02d", 12 + whole / 86400, whole / 3600 % 24,
                  whole / 60 % 60, whole % 60);
    return text;
}

}  // namespace

std::vector<BenchFault> faults_by_seed(const std::vector<BenchFault::Kind>& kinds, int exposures,
                                       std::uint32_t seed) {
    std::vector<BenchFault> faults;
    for (std::size_t i = 0; i < kinds.size(); ++i)
        faults.push_back({kinds[i], 1 + int(random_unit(seed + 57, std::uint32_t(i)) * float(exposures))});
    return faults;
}

/// All devices in one: they act on each other.
class Bench::Parts : public CameraDevice, public FlashDevice, public RailDevice, public TurntableDevice {
  public:
    Parts(const BenchSettings& settings, const Job&) : settings_(settings), clock_(settings.pace) {
        prepare();
        const Shooting& usual = scene_->scene().shooting;
        camera_ = {usual.exposure_s, usual.f_number, usual.iso};
        focus_mm_ = usual.nearest_focus_mm;
        position_ = settings.rail_start_mm;
    }

    // The camera.
    CameraSettings settings() const override { return camera_; }
    void set(const CameraSettings& wanted) override {
        if (!(wanted.f_number >= 1) || wanted.f_number > 64)
            throw BadParameter("the camera's lens has f/1 to f/64. Choose one of them.");
        if (!(wanted.shutter_s >= 1.0 / 8000) || wanted.shutter_s > 60)
            throw BadParameter("the camera's shutter runs from 1/8000 s to 60 s.");
        if (wanted.iso < 25 || wanted.iso > 102400) throw BadParameter("the camera has ISO 25 to 102400.");
        camera_ = wanted;
    }
    double focus_mm() const override { return focus_mm_; }
    void focus_at(double distance_mm) override {
        const double nearest = 1.05 * scene_->scene().shooting.focal_length_mm;
        if (!(distance_mm > nearest)) throw BadParameter("the lens cannot focus that close.");
        focus_mm_ = distance_mm;
    }
    cv::Mat3b live_view(cv::Size size, const Job& job) override {
        const std::lock_guard lock(guard_);
        need_link();
        cv::Mat3f linear = render_photograph(*scene_, camera_at(size), kLiveRays, ++live_frames_, job);
        const Picture shown = with_bits(from_linear(linear, ToneCurve({}), {}), 8);
        return shown.pixels;
    }
    void shoot(const std::filesystem::path& file, IfThere if_there, const Job& job) override {
        const std::lock_guard lock(guard_);
        expose(file, if_there, job);
    }
    void bracket(const FocusBracket& order, const std::filesystem::path& folder,
                 const std::function<void(const std::filesystem::path&)>& arrived, const Job& job) override {
        if (order.step_width < 1 || order.step_width > 10)
            throw BadParameter("the camera's step width goes from 1 to 10.");
        if (order.frames < 1 || order.frames > 999)
            throw BadParameter("the camera shoots 1 to 999 frames in a row.");
        const double focal = scene_->scene().shooting.focal_length_mm;
        for (int i = 0; i < order.frames; ++i) {
            if (i > 0) {
                // The image plane moves by a part of the depth of focus, which grows with the f-number.
                const double extension =
                    1 / (1 / focal - 1 / focus_mm_) - 0.002 * order.step_width * camera_.f_number;
                if (extension <= focal * 1.0001) break;  // focused to infinity: the camera ends by itself
                focus_mm_ = 1 / (1 / focal - 1 / extension);
                clock_.wait_s(order.interval_s, job);
            }
            char name[32];
            std::snprintf(name, sizeof name, "frame-%03d.jpg", i + 1);
            shoot(folder / name, IfThere::refuse, job);
            arrived(folder / name);
        }
    }
    int card_room() const override { return std::max(0, settings_.card_frames - exposures_); }
    bool is_connected() const override { return connected_; }
    void reconnect() override { connected_ = true; }

    // The flash.
    bool is_on() const override { return settings_.flash_on; }
    void switch_on(bool on) override { settings_.flash_on = on; }
    bool is_ready() const override { return clock_.now_s() - flashed_at_ >= settings_.flash_recharge_s; }
    double recharge_s() const override { return settings_.flash_recharge_s; }
    double sync_s() const override { return settings_.flash_sync_s; }

    // The rail.
    double position_mm() const override { return position_; }
    double smallest_step_mm() const override { return 1 / settings_.rail_steps_per_mm; }
    double first_mm() const override { return settings_.rail_first_mm; }
    double last_mm() const override { return settings_.rail_last_mm; }
    void move_to(double wanted_mm, const Job& job) override {
        const std::lock_guard lock(guard_);
        if (!(wanted_mm >= settings_.rail_first_mm && wanted_mm <= settings_.rail_last_mm)) {
            char text[120];
            std::snprintf(text, sizeof text, "the rail reaches from %.0f to %.0f mm. Move the whole set-up.",
                          settings_.rail_first_mm, settings_.rail_last_mm);
            throw BadParameter(text);
        }
        const double wanted =
            std::round(wanted_mm * settings_.rail_steps_per_mm) / settings_.rail_steps_per_mm;
        if (wanted == position_) return;
        clock_.wait_s(std::abs(wanted - position_) / settings_.rail_top_speed_mm_s, job);
        forwards_ = wanted > position_;
        position_ = wanted;
        moved_at_ = clock_.now_s();
    }

    // The turntable.
    double angle_deg() const override { return state_.turn_deg; }
    void turn_to(double angle, const Job& job) override {
        const std::lock_guard lock(guard_);
        if (angle == state_.turn_deg) return;
        clock_.wait_s(std::abs(angle - state_.turn_deg) / 20 + 0.5, job);
        state_.turn_deg = angle;
        prepare();
    }

    PacedClock& clock() { return clock_; }
    const Scene& scene() const { return scene_->scene(); }
    int exposures() const { return exposures_; }

    Camera camera_at(cv::Size size) const {
        const Shooting& usual = scene_->scene().shooting;
        Camera camera{size.width,
                      size.height,
                      usual.sensor_width_mm,
                      usual.focal_length_mm,
                      camera_.f_number,
                      focus_mm_,
                      {bumped_mm_, -0.6f * bumped_mm_, 0},
                      0,
                      0,
                      0};
        // The carriage hangs back by the play of its thread when it comes from the other side.
        camera.place.z = float(position_ + (forwards_ ? 0 : settings_.rail_backlash_mm));
        return camera;
    }
    cv::Size size() const { return {settings_.width_px, settings_.height_px}; }

  private:
    void prepare() {
        scene_ = std::make_unique<PreparedScene>(make_scene(settings_.scene, settings_.seed, state_));
    }
    void need_link() const {
        if (!connected_) throw LinkLost("the link to the camera is lost. Check the cable and connect again.");
    }
    bool strikes(BenchFault::Kind kind, int exposure) const {
        return std::find(settings_.faults.begin(), settings_.faults.end(), BenchFault{kind, exposure}) !=
               settings_.faults.end();
    }

    void expose(const std::filesystem::path& file, IfThere if_there, const Job& job) {
        const int exposure = exposures_ + 1;
        if (strikes(BenchFault::Kind::link_lost, exposure) && lost_at_ != exposure) {
            lost_at_ = exposure;  // once
            connected_ = false;
        }
        need_link();
        if (strikes(BenchFault::Kind::card_full, exposure)) settings_.card_frames = exposures_;
        if (card_room() == 0) throw CardFull("the card is full. Put another one in, or copy and empty it.");
        if (strikes(BenchFault::Kind::moved, exposure)) {
            state_.moved = 1;
            prepare();
        }
        ExposureEffects effects;
        effects.noise = settings_.noise;
        const auto seed = hash(settings_.seed * 31u + std::uint32_t(exposure) + 5u);
        double light_s = camera_.shutter_s;
        if (settings_.flash_on) {
            const bool fires = is_ready() && !strikes(BenchFault::Kind::misfire, exposure);
            if (fires) flashed_at_ = clock_.now_s();
            effects.ambient = kAmbient;
            effects.gain = fires ? 1 : kAmbient;
            if (fires) {
                light_s = kFlashLight_s;
                effects.dark_band = std::max(0.0, 1 - camera_.shutter_s / settings_.flash_sync_s);
            }
        }
        // What is left of the shaking, and how far it goes while light falls.
        const double since = clock_.now_s() - moved_at_;
        const double shake_mm = settings_.shake_mm * std::exp(-since / settings_.shake_settles_s) *
                                std::min(2.0, 2 * std::numbers::pi * kShake_hz * light_s);
        if (strikes(BenchFault::Kind::bump, exposure)) {
            bumped_mm_ += float(kBump_mm);
            effects.smear_right_px = kBumpStreak_px * 0.8;
            effects.smear_down_px = kBumpStreak_px * 0.6;
        }
        const Camera camera = camera_at(size());
        const double per_mm = camera.sensor_distance_mm() / (camera.focus_distance_mm * camera.pitch_mm());
        if (shake_mm * per_mm > 0.2) effects.smear_down_px += shake_mm * per_mm;

        cv::Mat3f linear = render_photograph(*scene_, camera, settings_.rays, seed, job);
        apply_effects(linear, effects, seed + 9, job);
        Picture picture = from_linear(linear, ToneCurve({}), {});
        WriteSettings write;
        write.format = format_of_name(file);
        write.jpeg_quality = 92;
        write.overwrite = if_there == IfThere::replace;
        if (write.format == FileFormat::jpeg) picture = with_bits(picture, 8);
        ShootingData data;
        data.taken = shot_moment(clock_.now_s());
        data.f_number = camera_.f_number;
        data.exposure_s = camera_.shutter_s;
        data.iso = camera_.iso;
        data.focal_length_mm = camera.focal_length_mm;
        data.focus_distance_m = camera.focus_distance_mm / 1000;
        data.sensor_width_mm = camera.sensor_width_mm;
        data.camera = "Moorhaze Rig";
        data.exif = exif_block(data, picture.width());
        write_picture(file, picture, data, write, job.quiet());
        exposures_ = exposure;
        clock_.wait_s(camera_.shutter_s + kWrite_s, job);
    }

    BenchSettings settings_;
    PacedClock clock_;
    std::mutex guard_;
    std::unique_ptr<const PreparedScene> scene_;
    SceneState state_;
    CameraSettings camera_;
    double focus_mm_ = 0, position_ = 0;
    bool forwards_ = true, connected_ = true;
    double moved_at_ = -1e9, flashed_at_ = -1e9;
    float bumped_mm_ = 0;
    int exposures_ = 0, lost_at_ = 0;
    std::uint32_t live_frames_ = 0;
};

Bench::Bench(const BenchSettings& settings, const Job& job)
    : parts_(std::make_unique<Parts>(settings, job)) {}
Bench::~Bench() = default;

void Bench::set_pace(double pace) {
    parts_->clock().set_pace(pace);
}
ShootClock& Bench::clock() {
    return parts_->clock();
}
CameraDevice& Bench::camera() {
    return *parts_;
}
FlashDevice& Bench::flash() {
    return *parts_;
}
RailDevice& Bench::rail() {
    return *parts_;
}
TurntableDevice& Bench::turntable() {
    return *parts_;
}
const Shooting& Bench::shooting() const {
    return parts_->scene().shooting;
}
int Bench::exposures() const {
    return parts_->exposures();
}
Camera Bench::true_camera() const {
    return parts_->camera_at(parts_->size());
}

}  // namespace moorhaze::rig
