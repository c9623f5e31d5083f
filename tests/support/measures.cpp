#include "tests/support/measures.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

namespace moorhaze::test {

cv::Mat1f luma_of(const Picture& picture) {
    cv::Mat3f pixels;
    picture.pixels.convertTo(pixels, CV_32F, picture.bits() == 8 ? 1 / 255.0 : 1 / 65535.0);
    cv::Mat1f luma;
    cv::transform(pixels, luma, cv::Matx13f(0.2126f, 0.7152f, 0.0722f));
    return luma;
}

double psnr_db(const cv::Mat1f& one, const cv::Mat1f& other, const cv::Mat1b& mask) {
    double sum = 0;
    long count = 0;
    for (int y = 0; y < one.rows; ++y)
        for (int x = 0; x < one.cols; ++x) {
            if (!mask.empty() && !mask(y, x)) continue;
            const double difference = double(one(y, x)) - double(other(y, x));
            sum += difference * difference;
            ++count;
        }
    return sum > 0 ? -10 * std::log10(sum / double(count)) : 200.0;
}

double ssim(const cv::Mat1f& one, const cv::Mat1f& other) {
    auto mean = [](const cv::Mat1f& values) {
        cv::Mat1f out;
        cv::GaussianBlur(values, out, {11, 11}, 1.5, 1.5, cv::BORDER_REFLECT);
        return out;
    };
    const cv::Mat1f ux = mean(one), uy = mean(other);
    const cv::Mat1f vx = mean(one.mul(one)) - ux.mul(ux), vy = mean(other.mul(other)) - uy.mul(uy);
    const cv::Mat1f vxy = mean(one.mul(other)) - ux.mul(uy);
    const float c1 = 0.01f * 0.01f, c2 = 0.03f * 0.03f;
    double sum = 0;
    long count = 0;
    for (int y = 5; y < one.rows - 5; ++y)
        for (int x = 5; x < one.cols - 5; ++x, ++count)
            sum += double((2 * ux(y, x) * uy(y, x) + c1) * (2 * vxy(y, x) + c2) /
                          ((ux(y, x) * ux(y, x) + uy(y, x) * uy(y, x) + c1) * (vx(y, x) + vy(y, x) + c2)));
    return sum / double(count);
}

}  // namespace moorhaze::test
