// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/lens.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/merge/accumulated.h"
#include "core/picture/tone_curve.h"

namespace moorhaze::test {
namespace {

constexpr int kLayersPerFrame = 2;
/// So many layers in front of one are the same surface still; what lies nearer hides what is behind it.
constexpr int kSameSurface = 3;
constexpr int kAround = 40;  // px more on all sides while it is shot, so that no frame has empty edges

/// A disc of light with soft rim.
cv::Mat1f disc(double radius) {
    const int reach = int(std::ceil(radius + 0.5));
    cv::Mat1f kernel(2 * reach + 1, 2 * reach + 1);
    for (int y = -reach; y <= reach; ++y)
        for (int x = -reach; x <= reach; ++x)
            kernel(y + reach, x + reach) = float(std::clamp(radius + 0.5 - std::hypot(x, y), 0.0, 1.0));
    return kernel / cv::sum(kernel)[0];
}

cv::Mat blurred(const cv::Mat& picture, double radius) {
    cv::Mat out;
    if (radius < 0.1) return picture.clone();
    cv::filter2D(picture, out, -1, disc(radius), {-1, -1}, 0, cv::BORDER_REPLICATE);
    return out;
}

struct Layer {
    cv::Mat3f light;   ///< with what nearer parts hide filled in
    cv::Mat1f mask;    ///< 1 in the layer and before it
    double place = 0;  ///< in frames from 0
};

std::vector<Layer> layers_of(const LensScene& scene, int frames) {
    const int count = kLayersPerFrame * (frames - 1) + 1;
    std::vector<Layer> layers;  // far to near
    for (int k = count; k-- > 0;) {
        Layer layer;
        layer.place = double(k) / kLayersPerFrame;
        const double far_end = (k + 0.5) / (count - 1), hidden = (k - kSameSurface) / double(count - 1);
        layer.mask = cv::Mat1f(scene.depth.size(), 0.0f);
        layer.mask.setTo(1, scene.depth <= far_end);
        if (k == count - 1) layer.mask.setTo(1);
        cv::Mat1f known(scene.depth.size(), 0.0f);
        known.setTo(1, scene.depth >= hidden);
        if (cv::countNonZero(known) == 0) known.setTo(1);
        cv::Mat planes[3];
        cv::split(scene.light, planes);
        for (cv::Mat& plane : planes) plane = fill_from_around(plane, known, Job{});
        cv::merge(planes, 3, layer.light);
        layers.push_back(std::move(layer));
    }
    return layers;
}

cv::Mat3f through_lens(const std::vector<Layer>& layers, double place, double blur_per_frame_px) {
    cv::Mat3f seen;
    for (const Layer& layer : layers) {
        const double radius = blur_per_frame_px * std::abs(layer.place - place);
        const cv::Mat1f mask = blurred(layer.mask, radius);
        cv::Mat veil;
        cv::merge(std::vector<cv::Mat>{mask, mask, mask}, veil);
        // The light of the layer alone, so that its outline blurs with it.
        cv::Mat sharp_veil;
        cv::merge(std::vector<cv::Mat>{layer.mask, layer.mask, layer.mask}, sharp_veil);
        const cv::Mat3f own = blurred(layer.light.mul(sharp_veil), radius);
        seen = seen.empty() ? own : cv::Mat3f(seen - seen.mul(veil) + own);
    }
    return seen;
}

}  // namespace

LensSeries shoot_with_lens(const Scratch& scratch, const LensScene& scene, const LensSettings& settings) {
    const int frames = settings.frames;
    LensScene wide;
    cv::copyMakeBorder(scene.light, wide.light, kAround, kAround, kAround, kAround, cv::BORDER_REFLECT_101);
    cv::copyMakeBorder(scene.depth, wide.depth, kAround, kAround, kAround, kAround, cv::BORDER_REFLECT_101);
    const std::vector<Layer> layers = layers_of(wide, frames);

    cv::RNG random(settings.seed);
    const cv::Size size = scene.light.size();
    const cv::Point2d middle((size.width - 1) / 2.0, (size.height - 1) / 2.0);
    LensSeries shot;
    shot.reference = frames / 2;
    std::vector<cv::Matx33d> poses;  // true picture to frame
    std::vector<double> gains;
    for (int k = 0; k < frames; ++k) {
        const double angle = random.gaussian(settings.shake_deg) * CV_PI / 180,
                     scale = 1 + settings.breathing * (0.5 - double(k) / (frames - 1)),
                     c = scale * std::cos(angle), s = scale * std::sin(angle),
                     right = random.gaussian(settings.shake_px), down = random.gaussian(settings.shake_px);
        poses.push_back(cv::Matx33d(c, -s, middle.x - c * middle.x + s * middle.y + right, s, c,
                                    middle.y - s * middle.x - c * middle.y + down, 0, 0, 1));
        gains.push_back(std::exp(random.gaussian(settings.flicker)));
    }
    const cv::Matx33d reference = poses[std::size_t(shot.reference)];
    const cv::Matx33d to_wide(1, 0, -kAround, 0, 1, -kAround, 0, 0, 1);
    auto laid = [&](const cv::Mat& picture, const cv::Matx33d& pose, int interpolation) {
        cv::Mat out;
        cv::warpPerspective(picture, out, pose * to_wide, size, interpolation, cv::BORDER_REPLICATE);
        return out;
    };
    const ToneCurve curve{ColourProfile{}};
    std::vector<Picture> pictures;
    for (int k = 0; k < frames; ++k) {
        const auto i = std::size_t(k);
        shot.matrices.push_back(reference * poses[i].inv());
        shot.gains.push_back(gains[i] / gains[std::size_t(shot.reference)]);
        cv::Mat3f seen =
            laid(through_lens(layers, k, settings.blur_per_frame_px), poses[i], cv::INTER_LANCZOS4);
        seen = cv::max(seen * gains[i], 0);
        Picture picture = from_linear(seen, curve, {});
        cv::Mat noise(size, CV_32FC3), values;
        random.fill(noise, cv::RNG::NORMAL, 0, settings.noise * 65535);
        picture.pixels.convertTo(values, CV_32FC3);
        cv::Mat(values + noise).convertTo(picture.pixels, CV_16UC3);
        pictures.push_back(picture);
    }
    shot.series = write_series(scratch, pictures);
    const double own_gain = gains[std::size_t(shot.reference)];
    cv::Mat3f sharp = laid(wide.light, reference, cv::INTER_LANCZOS4);
    sharp = cv::max(sharp * own_gain, 0);
    shot.sharp = from_linear(sharp, curve, {});
    shot.depth = cv::Mat1f(laid(wide.depth, reference, cv::INTER_NEAREST)) * (frames - 1) + 1;
    return shot;
}

}  // namespace moorhaze::test
