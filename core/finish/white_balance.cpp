// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/white_balance.h"

#include <algorithm>
#include <cmath>

#include "core/work/errors.h"

namespace moorhaze {
namespace {

constexpr double kDuvPerViolet = 0.001;

/// CIE 1960 (u, v).
cv::Vec2d planckian_uv(double t) {
    return {(0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) /
                (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t),
            (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) /
                (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)};
}

/// Away from the locus, to the green side; length 1.
cv::Vec2d to_green(double kelvin) {
    const cv::Vec2d along = planckian_uv(kelvin + 1) - planckian_uv(kelvin - 1);
    const cv::Vec2d across = cv::Vec2d(along[1], -along[0]) / cv::norm(along);
    return across[1] > 0 ? across : -across;
}

cv::Vec2d white_uv(double kelvin, double violet) {
    return planckian_uv(kelvin) + kDuvPerViolet * violet * to_green(kelvin);
}

cv::Vec3d xyz_of_uv(const cv::Vec2d& uv) {
    return {1.5 * uv[0] / uv[1], 1, (4 - uv[0] - 10 * uv[1]) / (2 * uv[1])};
}
cv::Vec2d uv_of_xyz(const cv::Vec3d& xyz) {
    const double sum = xyz[0] + 15 * xyz[1] + 3 * xyz[2];
    return {4 * xyz[0] / sum, 6 * xyz[1] / sum};
}

cv::Vec3d neutral_cones() {
    return bradford_cones() * xyz_of_uv(white_uv(kNeutralWarmth, 0));
}

}  // namespace

cv::Vec2d planckian_xy(double kelvin) {
    const cv::Vec3d xyz = xyz_of_uv(planckian_uv(kelvin));
    const double sum = xyz[0] + xyz[1] + xyz[2];
    return {xyz[0] / sum, xyz[1] / sum};
}

cv::Matx33d white_balance(const Light& light, const ColourSpace& space) {
    Finish all;
    all.light = light;
    check(all);
    if (light.warmth_k == kNeutralWarmth && light.violet == 0) return cv::Matx33d::eye();
    const cv::Vec3d from = bradford_cones() * xyz_of_uv(white_uv(light.warmth_k, light.violet)),
                    to = neutral_cones();
    const cv::Matx33d gains = cv::Matx33d::diag(cv::Vec3d(to[0] / from[0], to[1] / from[1], to[2] / from[2]));
    const cv::Matx33d balance =
        space.from_xyz * bradford_cones().inv() * gains * bradford_cones() * space.to_xyz;
    // Grey keeps its luminance.
    const cv::Vec3d grey = space.to_xyz * balance * cv::Vec3d(1, 1, 1),
                    before = space.to_xyz * cv::Vec3d(1, 1, 1);
    return balance * (before[1] / grey[1]);
}

Light with_grey_at(Light light, const cv::Vec3d& linear, const ColourSpace& space) {
    const cv::Vec3d xyz = space.to_xyz * linear;
    if (!(xyz[1] > 1e-4) || *std::min_element(linear.val, linear.val + 3) <= 0)
        throw BadParameter("this place is too dark to tell what is grey; pick a lighter one");
    // The white that the picked colour is under, with the neutral warmth in the place of the picture's white.
    const cv::Vec3d cones = bradford_cones() * xyz,
                    white = bradford_cones() * (space.to_xyz * cv::Vec3d(1, 1, 1)), neutral = neutral_cones();
    cv::Vec3d seen;
    for (int i = 0; i < 3; ++i) seen[i] = neutral[i] * cones[i] / white[i];
    const cv::Vec2d uv = uv_of_xyz(bradford_cones().inv() * seen);
    // The nearest place of the locus, in even steps of mired, then finer around it.
    double best = 1e6 / kNeutralWarmth, step = 8;
    auto distance = [&](double mired) { return cv::norm(planckian_uv(1e6 / mired) - uv); };
    for (double mired = 1e6 / 15000; mired <= 1e6 / 2000; mired += step)
        if (distance(mired) < distance(best)) best = mired;
    for (; step > 1e-5; step /= 2)
        for (const double mired : {best - step, best + step})
            if (mired >= 1e6 / 15000 && mired <= 1e6 / 2000 && distance(mired) < distance(best)) best = mired;
    light.warmth_k = std::clamp(1e6 / best, 2000.0, 15000.0);
    light.violet = std::clamp(
        (uv - planckian_uv(light.warmth_k)).dot(to_green(light.warmth_k)) / kDuvPerViolet, -50.0, 50.0);
    return light;
}

}  // namespace moorhaze
