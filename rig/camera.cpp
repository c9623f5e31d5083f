// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/camera.h"

#include <opencv2/imgproc.hpp>

namespace moorhaze::rig {

cv::Matx33d Camera::axes() const {
    const double cy = std::cos(yaw_rad), sy = std::sin(yaw_rad), cp = std::cos(pitch_rad),
                 sp = std::sin(pitch_rad);
    const double cr = std::cos(roll_rad), sr = std::sin(roll_rad);
    const cv::Matx33d yaw(cy, 0, -sy, 0, 1, 0, sy, 0, cy), pitch(1, 0, 0, 0, cp, -sp, 0, sp, cp);
    const cv::Matx33d roll(cr, sr, 0, -sr, cr, 0, 0, 0, 1);
    return roll * pitch * yaw;
}

cv::Vec3d Camera::sharp_point(double x_px, double y_px) const {
    const double scale = pitch_mm() * focus_distance_mm / sensor_distance_mm();
    const cv::Vec3d own((x_px - (width_px - 1) / 2.0) * scale, (y_px - (height_px - 1) / 2.0) * scale,
                        focus_distance_mm);
    return axes().t() * own + cv::Vec3d(place.x, place.y, place.z);
}

RayMaker::RayMaker(const Camera& camera)
    : place_(camera.place),
      middle_x_(float(camera.width_px - 1) / 2),
      middle_y_(float(camera.height_px - 1) / 2),
      scale_(float(camera.pitch_mm() * camera.focus_distance_mm / camera.sensor_distance_mm())),
      focus_mm_(float(camera.focus_distance_mm)),
      lens_radius_mm_(float(camera.aperture_mm() / 2)) {
    const cv::Matx33d axes = camera.axes();
    auto row = [&](int i) { return Vec3{float(axes(i, 0)), float(axes(i, 1)), float(axes(i, 2))}; };
    right_ = row(0);
    down_ = row(1);
    forward_ = row(2);
}

Ray RayMaker::ray(float x_px, float y_px, float lens_x, float lens_y) const {
    const Vec3 lens = right_ * (lens_x * lens_radius_mm_) + down_ * (lens_y * lens_radius_mm_);
    const Vec3 target =
        right_ * ((x_px - middle_x_) * scale_) + down_ * ((y_px - middle_y_) * scale_) + forward_ * focus_mm_;
    return {lens + place_, normalised(target - lens)};
}

cv::Point2d Camera::project(const cv::Vec3d& world) const {
    const cv::Vec3d own = axes() * (world - cv::Vec3d(place.x, place.y, place.z));
    const double scale = sensor_distance_mm() / (own[2] * pitch_mm());
    return {own[0] * scale + (width_px - 1) / 2.0, own[1] * scale + (height_px - 1) / 2.0};
}

cv::Matx33d matrix_to_reference(const Camera& frame, const Camera& reference) {
    cv::Point2f from[4], to[4];
    const double right = frame.width_px - 1, bottom = frame.height_px - 1;
    const cv::Point2d corners[] = {{0, 0}, {right, 0}, {right, bottom}, {0, bottom}};
    for (int i = 0; i < 4; ++i) {
        from[i] = corners[i];
        to[i] = reference.project(frame.sharp_point(corners[i].x, corners[i].y));
    }
    // Four points in general position: the solution is exact (in double, where the points are given in
    // float).
    cv::Matx33d matrix = cv::Mat(cv::getPerspectiveTransform(from, to));
    return matrix * (1.0 / matrix(2, 2));
}

}  // namespace moorhaze::rig
