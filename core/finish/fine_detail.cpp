#include "core/finish/fine_detail.h"

#include <algorithm>
#include <cmath>

#include "core/picture/blur.h"
#include "core/picture/luma.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kLeastSigma = 0.2;  // a smaller blur is none
constexpr float kMostFactor = 4;     // of light, brighter or darker

void sharpen(cv::Mat3f& light, const Detail& detail, double sigma, const Job& job) {
    const cv::Mat1f luma = perceptual_luma(light, job);
    const cv::Mat1f blurred = gaussian_blur(luma, sigma, job);
    const auto amount = float(detail.sharpening), threshold = float(detail.threshold);
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x) {
            const float own = luma(y, x), difference = own - blurred(y, x);
            const float counts = std::copysign(std::max(0.0f, std::abs(difference) - threshold), difference);
            if (counts == 0) continue;
            const float to = std::max(0.0f, own + amount * counts) / std::max(own, 1e-4f);
            light(y, x) *= std::clamp(to * to, 1 / kMostFactor, kMostFactor);
        }
    });
}

}  // namespace

int sharpening_border(const Detail& detail, double scale) {
    return detail.is_off || detail.sharpening == 0 ? 0 : int(std::ceil(3 * detail.radius_px / scale)) + 1;
}

void sharpen_detail(cv::Mat3f& light, const Detail& detail, double scale, const Job& job) {
    if (detail.is_off || detail.sharpening == 0) return;
    if (const double sigma = detail.radius_px / scale; sigma >= kLeastSigma)
        sharpen(light, detail, sigma, job);
}

}  // namespace moorhaze
