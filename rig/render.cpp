// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/render.h"

#include <algorithm>
#include <limits>
#include <numbers>
#include <opencv2/imgproc.hpp>

#include "core/work/for_rows.h"
#include "rig/noise.h"

namespace moorhaze::rig {
namespace {

/// Four even coordinates: powers of the root of x^5 = x + 1.
constexpr double kStep[4] = {0.8566748838545029, 0.733891856627126, 0.6287067210378087, 0.5385972572236101};

struct EvenSequence {
    double offset[4];
    EvenSequence(std::uint32_t seed, int x, int y) {
        const std::uint32_t pixel = hash(seed + hash(std::uint32_t(x) + 0x10000u * std::uint32_t(y)));
        for (int i = 0; i < 4; ++i) offset[i] = random_unit(pixel, std::uint32_t(i));
    }
    float at(int index, int axis) const {
        const double value = offset[axis] + kStep[axis] * (index + 1);  // never negative
        return float(value - double(int(value)));
    }
};

/// A tent over two pixels: what a sensor with a mild low-pass filter sees.
float tent(float even) {
    return even < 0.5f ? std::sqrt(2 * even) - 1 : 1 - std::sqrt(2 - 2 * even);
}

Vec3 held(Vec3 light) {
    // Very bright glints: what full scale cannot show anyway need not fill the picture with sparks.
    return {std::min(light.x, 3.0f), std::min(light.y, 3.0f), std::min(light.z, 3.0f)};
}

float root_luminance(Vec3 light) {
    return std::sqrt(std::max(0.0f, 0.2126f * light.x + 0.7152f * light.y + 0.0722f * light.z));
}

/// Radius in pixels of the disc that a point at some distance becomes.
class BlurDisc {
  public:
    explicit BlurDisc(const Camera& camera)
        : focus_mm_(float(camera.focus_distance_mm)),
          lens_px_(float(camera.aperture_mm() / 2 * camera.sensor_distance_mm() /
                         (camera.focus_distance_mm * camera.pitch_mm()))) {}
    float radius_px(float distance_mm) const {
        return lens_px_ * std::abs(distance_mm - focus_mm_) / distance_mm;
    }

  private:
    float focus_mm_, lens_px_;
};

constexpr float kWidestSmoothing = 2.5f;

/// How far a pixel may be smoothed when all it sees is spread over discs of at least this radius: a disc's
/// own standard deviation is half its radius, so this widens the blur by less than a twentieth.
float smoothing_px(float disc_radius_px) {
    return std::min(0.15f * disc_radius_px, kWidestSmoothing);
}

/// The least within the widest kernel's reach: nothing sharper is ever drawn into, or spread by, a
/// neighbour's kernel.
cv::Mat1f least_around(const cv::Mat1f& smoothing) {
    constexpr int kReach = int(2.5f * kWidestSmoothing) + 1;
    cv::Mat1f least;
    cv::erode(smoothing, least, cv::Mat1b(2 * kReach + 1, 2 * kReach + 1, uchar(1)));
    return least;
}

/// Takes the grain of too few rays out of what is far out of focus, where a lens leaves no fine detail
/// anyway. After Soler et al., "Fourier Depth of Field", ACM TOG 28(2), 2009: defocus bounds the picture's
/// frequencies.
cv::Mat3f smoothed(const cv::Mat3f& picture, const cv::Mat1f& smoothing, const Job& job) {
    cv::Mat3f out(picture.size());
    for_rows(picture.rows, job.quiet(), [&](int y) {
        for (int x = 0; x < picture.cols; ++x) {
            const float sigma = smoothing(y, x);
            if (sigma < 0.35f) {
                out(y, x) = picture(y, x);
                continue;
            }
            const int reach = int(std::ceil(2.5f * sigma));
            const float fall = -0.5f / (sigma * sigma);
            cv::Vec3f sum(0, 0, 0);
            float total = 0;
            for (int v = std::max(0, y - reach); v <= std::min(picture.rows - 1, y + reach); ++v)
                for (int u = std::max(0, x - reach); u <= std::min(picture.cols - 1, x + reach); ++u) {
                    const float weight = std::exp(fall * float((u - x) * (u - x) + (v - y) * (v - y)));
                    sum += weight * picture(v, u);
                    total += weight;
                }
            out(y, x) = sum * (1 / total);
        }
    });
    return out;
}

}  // namespace

cv::Mat3f render_photograph(const PreparedScene& scene, const Camera& camera, const RayBudget& budget,
                            std::uint32_t seed, const Job& job) {
    const cv::Size size(camera.width_px, camera.height_px);
    cv::Mat3f picture(size);
    cv::Mat1f smoothing(size), variance(size);
    const RayMaker rays(camera);
    const BlurDisc disc(camera);
    // Rays `from` to `to` of a pixel, added to what it has.
    auto shoot = [&](int x, int y, int from, int to, auto&& each) {
        const EvenSequence even(seed, x, y);
        for (int i = from; i < to; ++i) {
            const float radius = std::sqrt(even.at(i, 2)),
                        turn = 2 * std::numbers::pi_v<float> * even.at(i, 3);
            float distance = 0;
            const Vec3 light = held(scene.look(
                rays.ray(float(x) + 0.75f * tent(even.at(i, 0)), float(y) + 0.75f * tent(even.at(i, 1)),
                         radius * std::cos(turn), radius * std::sin(turn)),
                distance));
            picture(y, x) += cv::Vec3f(light.x, light.y, light.z);
            each(light, disc.radius_px(distance));
        }
    };
    // A few rays for everyone tell where they disagree, ...
    const int few = std::min(budget.fewest, budget.most);
    for_rows(size.height, job.part(0, 0.4), [&](int y) {
        for (int x = 0; x < size.width; ++x) {
            picture(y, x) = {0, 0, 0};
            float smallest_disc = 1e9f, roots = 0, squares = 0;
            shoot(x, y, 0, few, [&](Vec3 light, float disc_px) {
                smallest_disc = std::min(smallest_disc, disc_px);
                const float root = root_luminance(light);
                roots += root;
                squares += root * root;
            });
            const auto count = float(few);
            variance(y, x) = std::max(0.0f, squares / count - roots * roots / (count * count));
            smoothing(y, x) = smoothing_px(smallest_disc);
        }
    });
    // ... and the others go there: as many as bring the standard error down to what is asked for. So few rays
    // can agree by chance, as where a hair far out of focus fills a small part of the disc, so the neighbours
    // are asked too.
    cv::Mat1f around;
    cv::blur(variance, around, {5, 5}, {-1, -1}, cv::BORDER_REFLECT_101);
    const cv::Mat1f least = least_around(smoothing);
    for_rows(size.height, job.part(0.4, 1), [&](int y) {
        for (int x = 0; x < size.width; ++x) {
            const float allowed = budget.tolerance * (1 + least(y, x));
            const float needed = std::max(around(y, x), 0.5f * variance(y, x)) / (allowed * allowed);
            const int count = std::clamp(int(std::ceil(needed)), few, budget.most);
            shoot(x, y, few, count, [](Vec3, float) {});
            picture(y, x) *= 1.0f / float(count);
        }
    });
    return smoothed(picture, least, job.quiet());
}

cv::Mat3f render_all_sharp(const PreparedScene& scene, const Camera& camera, int rays_per_pixel,
                           cv::Mat1f& depth_mm, const Job& job) {
    cv::Mat3f picture(camera.height_px, camera.width_px);
    const RayMaker rays(camera);
    depth_mm.create(picture.size());
    const cv::Matx33d axes = camera.axes();
    for_rows(picture.rows, job, [&](int y) {
        for (int x = 0; x < picture.cols; ++x) {
            const EvenSequence even(7u, x, y);
            Vec3 sum;
            float distance = 0;
            for (int i = 0; i < rays_per_pixel; ++i)
                sum = sum + held(scene.look(rays.ray(float(x) + 0.75f * tent(even.at(i, 0)),
                                                     float(y) + 0.75f * tent(even.at(i, 1)), 0, 0),
                                            distance));
            const float scale = 1.0f / float(rays_per_pixel);
            picture(y, x) = {sum.x * scale, sum.y * scale, sum.z * scale};
            const Ray middle = rays.ray(float(x), float(y), 0, 0);
            const Meeting meeting = scene.meet(middle);
            const double along = axes(2, 0) * middle.direction.x + axes(2, 1) * middle.direction.y +
                                 axes(2, 2) * middle.direction.z;
            depth_mm(y, x) =
                meeting.found() ? float(meeting.distance * along) : std::numeric_limits<float>::infinity();
        }
    });
    return picture;
}

}  // namespace moorhaze::rig
