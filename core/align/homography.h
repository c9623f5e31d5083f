// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <opencv2/core.hpp>

namespace moorhaze {

/// How a map of the plane differs from leaving everything where it is, in eight numbers. Lengths count in
/// half diagonals of the frame, from its centre, so that a number's size is about what it does to the
/// corners.
enum HomographyPart {
    kRight,
    kDown,
    kGrowth,
    kTurn,
    kAspect,
    kSkew,
    kKeystoneX,
    kKeystoneY,
    kHomographyParts
};
using HomographyParts = cv::Vec<double, kHomographyParts>;

/// Frame pixels and the coordinates that HomographyParts count in.
struct HomographyFrame {
    explicit HomographyFrame(cv::Size frame);
    double centre_x, centre_y, half_diagonal;  ///< px

    /// The matrix in frame pixels of the given parts: kGrowth is the logarithm of the scale, kTurn in
    /// radians, and the last row is (kKeystoneX, kKeystoneY, 1).
    cv::Matx33d matrix(const HomographyParts& parts) const;
    /// The other way; the matrix is taken up to its scale.
    HomographyParts parts(const cv::Matx33d& matrix) const;

    /// How far each part moves a place, to first order, in half diagonals.
    /// @param x, y  in half diagonals from the centre.
    static std::array<cv::Vec2d, kHomographyParts> moves(double x, double y);
};

inline cv::Point2d mapped(const cv::Matx33d& matrix, double x, double y) {
    const cv::Vec3d place = matrix * cv::Vec3d(x, y, 1);
    return {place[0] / place[2], place[1] / place[2]};
}

/// The greatest distance between what two maps make of the corners and of a 9×9 grid over the frame, in px.
double greatest_distance(const cv::Matx33d& one, const cv::Matx33d& other, cv::Size frame);

}  // namespace moorhaze
