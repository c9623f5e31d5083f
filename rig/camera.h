// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>

#include "rig/scene.h"

namespace moorhaze::rig {

/// A thin lens in front of a sensor. The lens centre is the centre of perspective.
struct Camera {
    int width_px = 0, height_px = 0;
    double sensor_width_mm = 36, focal_length_mm = 100, f_number = 8;
    double focus_distance_mm = 225;  ///< from the lens to the sharp plane
    Vec3 place;                      ///< of the lens centre
    double yaw_rad = 0, pitch_rad = 0, roll_rad = 0;

    double pitch_mm() const { return sensor_width_mm / width_px; }
    double aperture_mm() const { return focal_length_mm / f_number; }
    /// Gaussian lens equation 1/f = 1/u + 1/v: the lens moves away from the sensor for near things, so the
    /// picture grows ("breathes").
    double sensor_distance_mm() const {
        return focal_length_mm * focus_distance_mm / (focus_distance_mm - focal_length_mm);
    }
    /// Where a world point falls through the lens centre.
    cv::Point2d project(const cv::Vec3d& world) const;
    /// The world point on the sharp plane behind a pixel place.
    cv::Vec3d sharp_point(double x_px, double y_px) const;
    cv::Matx33d axes() const;  ///< rows: the camera's right, down and forward in the world
};

/// The rays of one camera, its turning worked out once.
class RayMaker {
  public:
    explicit RayMaker(const Camera& camera);
    /// A ray from a place of the lens (unit disc) to the point of the sharp plane that a pixel place sees.
    Ray ray(float x_px, float y_px, float lens_x, float lens_y) const;

  private:
    Vec3 right_, down_, forward_, place_;
    float middle_x_, middle_y_, scale_, focus_mm_, lens_radius_mm_;
};

/// The matrix from a frame's pixels to the reference frame's, for things in the frame's own sharp plane.
cv::Matx33d matrix_to_reference(const Camera& frame, const Camera& reference);

}  // namespace moorhaze::rig
