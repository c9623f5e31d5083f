// SPDX-License-Identifier: GPL-3.0-or-later
// The sharp zone that a plan predicts, against the frames that the rig shoots.
#include <catch2/catch.hpp>
#include <cmath>

#include "core/optics/shoot_plan.h"
#include "rig/render.h"

using namespace moorhaze;
using namespace moorhaze::rig;

namespace {

constexpr double kFocal_mm = 90, kSensor_mm = 24, kStop = 5.6, kFocus_mm = 250;
constexpr int kWidth = 1200;

constexpr float kThread_mm = 0.01f;  ///< radius

/// How wide, in pixels, the camera draws a fine bright thread at a distance: the disc of defocus is seen edge
/// on, so its profile's variance is a quarter of the squared radius. Taken off: what a pixel of the rig sees
/// (a tent of 0.75 px to either side: its variance is 0.75^2 / 6) and the thread's own width.
double drawn_disc_px(double distance_mm) {
    Scene scene;
    scene.name = "thread";
    scene.materials.push_back([](const SurfacePoint&, Vec3) { return Vec3{1, 1, 1}; });
    const auto z = float(distance_mm);
    scene.hairs.push_back({{0, -80, z}, {0, 80, z}, kThread_mm, 0, 0});
    scene.backdrop = [](const Ray&) { return Vec3{0, 0, 0}; };
    Camera camera;
    camera.width_px = 121;  // the middle of a frame of kWidth pixels
    camera.height_px = 9;
    camera.sensor_width_mm = kSensor_mm * 121 / kWidth;
    camera.focal_length_mm = kFocal_mm;
    camera.f_number = kStop;
    camera.focus_distance_mm = kFocus_mm;
    const cv::Mat3f picture =
        render_photograph(PreparedScene(std::move(scene)), camera, {800, 800, 1e-6f}, 3, {});
    double light = 0, squares = 0;
    for (int y = 0; y < picture.rows; ++y)
        for (int x = 0; x < picture.cols; ++x) {
            light += double(picture(y, x)[1]);
            squares += double(picture(y, x)[1]) * (x - 60.0) * (x - 60.0);
        }
    const double thread_px = kThread_mm * camera.sensor_distance_mm() / (distance_mm * camera.pitch_mm());
    return 4 * std::sqrt(std::max(0.0, squares / light - 0.75 * 0.75 / 6 - thread_px * thread_px / 4));
}

}  // namespace

TEST_CASE("the predicted sharp zone is the one that the rig's lens draws", "[rig][optics]") {
    const LensSetup lens{kFocal_mm, kStop, magnification_at(kFocal_mm, kFocus_mm), 1};
    const double pitch = kSensor_mm / kWidth;
    // Discs that the rig does not smooth (it does from a radius of 2.3 px on).
    for (const double circle_px : {3.0, 4.5}) {
        const SharpZone zone = sharp_zone(lens, circle_px * pitch);
        // Where the drawn disc truly grows past the circle of confusion, between two places.
        auto limit = [&](double inside, double outside) {
            for (int i = 0; i < 9; ++i) {
                const double middle = (inside + outside) / 2;
                (drawn_disc_px(middle) < circle_px ? inside : outside) = middle;
            }
            return (inside + outside) / 2;
        };
        const double near = limit(kFocus_mm, zone.focus_mm - 2 * zone.front_mm());
        const double far = limit(kFocus_mm, zone.focus_mm + 2 * zone.behind_mm());
        INFO("circle " << circle_px << " px: near off " << near - zone.near_mm << " mm, far off "
                       << far - zone.far_mm << " mm, zone " << zone.total_mm() << " mm");
        // The profile is sampled at whole pixels only.
        CHECK(near == Approx(zone.near_mm).margin(0.03 * zone.total_mm()));
        CHECK(far == Approx(zone.far_mm).margin(0.03 * zone.total_mm()));
    }
}
