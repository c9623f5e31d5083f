// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/camera.h"

#include <catch2/catch.hpp>
#include <cmath>

using namespace moorhaze::rig;

namespace {

Camera some_camera() {
    Camera camera;
    camera.width_px = 1500;
    camera.height_px = 1000;
    camera.sensor_width_mm = 24;
    camera.focal_length_mm = 60;
    camera.f_number = 8;
    camera.focus_distance_mm = 180;
    return camera;
}

}  // namespace

TEST_CASE("the lens obeys 1/f = 1/u + 1/v", "[rig]") {
    const Camera camera = some_camera();
    CHECK(1 / camera.focus_distance_mm + 1 / camera.sensor_distance_mm() ==
          Approx(1 / camera.focal_length_mm));
    // Half life size is reached at three focal lengths.
    CHECK(camera.sensor_distance_mm() / camera.focus_distance_mm == Approx(0.5));
}

TEST_CASE("a point of the sharp plane projects back to its pixel, turned or not", "[rig]") {
    Camera camera = some_camera();
    camera.yaw_rad = 0.01;
    camera.pitch_rad = -0.02;
    camera.roll_rad = 0.03;
    camera.place = {1, -2, 5};
    for (const auto& [x, y] : {std::pair{0.0, 0.0}, {749.5, 499.5}, {1499.0, 12.25}}) {
        const cv::Point2d back = camera.project(camera.sharp_point(x, y));
        CHECK(back.x == Approx(x).margin(1e-6));
        CHECK(back.y == Approx(y).margin(1e-6));
    }
}

TEST_CASE("all rays of a pixel meet in the sharp plane and spread as the aperture says elsewhere", "[rig]") {
    const Camera camera = some_camera();
    const RayMaker rays(camera);
    auto at_depth = [](const Ray& ray, double z) {
        const double t = (z - double(ray.origin.z)) / double(ray.direction.z);
        return cv::Point2d(double(ray.origin.x) + t * double(ray.direction.x),
                           double(ray.origin.y) + t * double(ray.direction.y));
    };
    const Ray left = rays.ray(300, 200, -1, 0), right = rays.ray(300, 200, 1, 0);
    CHECK(cv::norm(at_depth(left, 180) - at_depth(right, 180)) < 1e-4);
    // Similar triangles: the spread at depth z is aperture * |z - u| / u.
    CHECK(cv::norm(at_depth(left, 200) - at_depth(right, 200)) == Approx(60.0 / 8 * 20 / 180).epsilon(1e-4));
}

TEST_CASE("refocusing farther shrinks the picture, as sensor distances tell", "[rig]") {
    const Camera reference = some_camera();
    Camera far = reference;
    far.focus_distance_mm = 200;
    const cv::Matx33d matrix = matrix_to_reference(far, reference);
    CHECK(matrix(0, 0) == Approx(reference.sensor_distance_mm() / far.sensor_distance_mm()).epsilon(1e-6));
    CHECK(matrix(0, 1) == Approx(0).margin(1e-6));
}

TEST_CASE("on a rail the picture of the own sharp plane shrinks with its distance from the reference camera",
          "[rig]") {
    const Camera reference = some_camera();
    Camera moved = reference;
    moved.place.z = 4;
    const cv::Matx33d matrix = matrix_to_reference(moved, reference);
    CHECK(matrix(0, 0) == Approx(180.0 / 184.0).epsilon(1e-6));
}
