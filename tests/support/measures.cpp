// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/measures.h"

#include <lcms2.h>

#include <cmath>
#include <opencv2/imgproc.hpp>
#include <vector>

#include "core/files/picture_file.h"

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

double ciede2000(const Lab& one, const Lab& other) {
    const cmsCIELab a{one.l, one.a, one.b}, b{other.l, other.a, other.b};
    return cmsCIE2000DeltaE(&a, &b, 1, 1, 1);
}

cv::Mat1f colour_differences(const Picture& one, const Picture& other, const cv::Mat1b& mask) {
    const cmsHPROFILE srgb = cmsCreate_sRGBProfile(), lab = cmsCreateLab4Profile(nullptr);
    const cmsHTRANSFORM way = cmsCreateTransform(srgb, TYPE_RGB_16, lab, TYPE_Lab_DBL,
                                                 INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOOPTIMIZE);
    const cv::Mat a = with_bits(one, 16).pixels, b = with_bits(other, 16).pixels;
    cv::Mat1f differences(a.size(), 0.0f);
    for (int y = 0; y < a.rows; ++y) {
        std::vector<int> places;
        std::vector<cv::Vec3w> values;
        for (int x = 0; x < a.cols; ++x)
            if (mask.empty() || mask(y, x)) {
                places.push_back(x);
                values.push_back(a.at<cv::Vec3w>(y, x));
                values.push_back(b.at<cv::Vec3w>(y, x));
            }
        if (places.empty()) continue;
        std::vector<cmsCIELab> colours(values.size());
        cmsDoTransform(way, values.data(), colours.data(), cmsUInt32Number(values.size()));
        for (std::size_t i = 0; i < places.size(); ++i)
            differences(y, places[i]) =
                float(cmsCIE2000DeltaE(&colours[2 * i], &colours[2 * i + 1], 1, 1, 1));
    }
    cmsDeleteTransform(way);
    cmsCloseProfile(srgb);
    cmsCloseProfile(lab);
    return differences;
}

}  // namespace moorhaze::test
