// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/textbook.h"

#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

namespace moorhaze::test {
namespace {

const cv::Matx13f kLuma(0.2126f, 0.7152f, 0.0722f);
constexpr int kLevels = 7;

cv::Mat1f luma_of_values(const cv::Mat3f& pixels) {
    cv::Mat1f luma;
    cv::transform(pixels, luma, kLuma);
    return luma;
}

cv::Mat3f encoded(const Frame& frame) {
    const Picture picture = read_picture(frame.path, frame.development);
    cv::Mat3f pixels;
    picture.pixels.convertTo(pixels, CV_32F, picture.bits() == 8 ? 1 / 255.0 : 1 / 65535.0);
    return pixels;
}

/// Where pixels of `fixed` lie in `moving`.
cv::Matx33d found_affine(const cv::Mat1f& fixed, const cv::Mat1f& moving) {
    cv::Mat1f map = cv::Mat1f::eye(2, 3);
    try {
        cv::findTransformECC(fixed, moving, map, cv::MOTION_AFFINE,
                             {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 100, 1e-6}, cv::noArray(), 5);
    } catch (const cv::Exception&) {
        map = cv::Mat1f::eye(2, 3);  // it did not converge; a textbook knows no better
    }
    return {map(0, 0), map(0, 1), map(0, 2), map(1, 0), map(1, 1), map(1, 2), 0, 0, 1};
}

}  // namespace

TextbookFrames textbook_frames(const Series& series, int reference) {
    const int count = series.count();
    std::vector<cv::Mat3f> pixels;
    for (const Frame& frame : series.frames) pixels.push_back(encoded(frame));
    // Maps from the reference to each frame, one neighbour after the other.
    std::vector<cv::Matx33d> maps(std::size_t(count), cv::Matx33d::eye());
    for (const int step : {1, -1})
        for (int i = reference + step; i >= 0 && i < count; i += step)
            maps[std::size_t(i)] = found_affine(luma_of_values(pixels[std::size_t(i - step)]),
                                                luma_of_values(pixels[std::size_t(i)])) *
                                   maps[std::size_t(i - step)];
    TextbookFrames frames;
    for (int i = 0; i < count; ++i) {
        const cv::Mat own = cv::Mat(maps[std::size_t(i)]).rowRange(0, 2);
        cv::Mat3f laid;
        cv::warpAffine(pixels[std::size_t(i)], laid, own, series.size(),
                       cv::INTER_LINEAR | cv::WARP_INVERSE_MAP, cv::BORDER_REPLICATE);
        cv::Mat1b covered;
        cv::warpAffine(cv::Mat1b(series.size(), uchar(255)), covered, own, series.size(),
                       cv::INTER_NEAREST | cv::WARP_INVERSE_MAP, cv::BORDER_CONSTANT);
        frames.pixels.push_back(laid);
        frames.covered.push_back(covered);
    }
    return frames;
}

cv::Mat3f sharpness_weighted_mean(const TextbookFrames& frames) {
    const cv::Size size = frames.pixels[0].size();
    cv::Mat3f sum(size, cv::Vec3f(0, 0, 0));
    cv::Mat1f total(size, 0.0f);
    for (std::size_t i = 0; i < frames.pixels.size(); ++i) {
        cv::Mat1f laplacian, weight;
        cv::Laplacian(luma_of_values(frames.pixels[i]), laplacian, CV_32F, 1);
        cv::GaussianBlur(cv::Mat1f(cv::abs(laplacian)), weight, {0, 0}, 2);
        for (int y = 0; y < size.height; ++y)
            for (int x = 0; x < size.width; ++x) {
                if (!frames.covered[i](y, x)) continue;
                const float w = weight(y, x) * weight(y, x) + 1e-9f;
                sum(y, x) += w * frames.pixels[i](y, x);
                total(y, x) += w;
            }
    }
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x)
            if (total(y, x) > 0) sum(y, x) *= 1 / total(y, x);
    return sum;
}

cv::Mat3f largest_laplacian_choice(const TextbookFrames& frames) {
    const cv::Size size = frames.pixels[0].size();
    cv::Mat1f best(size, -1.0f);
    cv::Mat3f chosen(size, cv::Vec3f(0, 0, 0));
    const cv::Mat1f second = (cv::Mat1f(1, 3) << -1, 2, -1);
    for (std::size_t i = 0; i < frames.pixels.size(); ++i) {
        cv::Mat1f across, down, measure;
        const cv::Mat1f luma = luma_of_values(frames.pixels[i]);
        cv::filter2D(luma, across, CV_32F, second);
        cv::filter2D(luma, down, CV_32F, second.t());
        measure = cv::abs(across) + cv::abs(down);
        cv::boxFilter(measure, measure, CV_32F, {9, 9});
        for (int y = 0; y < size.height; ++y)
            for (int x = 0; x < size.width; ++x)
                if (frames.covered[i](y, x) && measure(y, x) > best(y, x)) {
                    best(y, x) = measure(y, x);
                    chosen(y, x) = frames.pixels[i](y, x);
                }
    }
    return chosen;
}

cv::Mat3f largest_energy_pyramid(const TextbookFrames& frames) {
    std::vector<cv::Mat3f> details(kLevels);
    std::vector<cv::Mat1f> energies(kLevels);
    cv::Mat3f base;
    for (const cv::Mat3f& pixels : frames.pixels) {
        cv::Mat3f here = pixels;
        for (std::size_t level = 0; level < kLevels; ++level) {
            cv::Mat coarse, ground;
            cv::pyrDown(here, coarse);
            cv::pyrUp(coarse, ground, here.size());
            const cv::Mat3f detail = here - cv::Mat3f(ground);
            const cv::Mat1f strength = luma_of_values(detail);
            cv::Mat1f energy;
            cv::boxFilter(cv::Mat1f(strength.mul(strength)), energy, CV_32F, {5, 5});
            if (details[level].empty()) {
                details[level] = detail.clone();
                energies[level] = energy;
            } else {
                const cv::Mat1b stronger = energy > energies[level];
                detail.copyTo(details[level], stronger);
                energy.copyTo(energies[level], stronger);
            }
            here = coarse;
        }
        base = base.empty() ? here.clone() : cv::Mat3f(base + here);
    }
    base /= double(frames.pixels.size());
    for (int level = kLevels - 1; level >= 0; --level) {
        cv::Mat up;
        cv::pyrUp(base, up, details[std::size_t(level)].size());
        base = cv::Mat3f(up) + details[std::size_t(level)];
    }
    return base;
}

cv::Mat1f best_frame_choice(const std::vector<cv::Mat1f>& lumas, const std::vector<cv::Mat1b>& covered,
                            const cv::Mat1f& truth) {
    cv::Mat1f best(truth.size(), 1e9f), chosen(truth.size(), 0.0f);
    for (std::size_t i = 0; i < lumas.size(); ++i) {
        cv::Mat1f error = lumas[i] - truth;
        error = error.mul(error);
        cv::GaussianBlur(error, error, {0, 0}, 1);
        for (int y = 0; y < truth.rows; ++y)
            for (int x = 0; x < truth.cols; ++x)
                if (covered[i](y, x) && error(y, x) < best(y, x)) {
                    best(y, x) = error(y, x);
                    chosen(y, x) = lumas[i](y, x);
                }
    }
    return chosen;
}

}  // namespace moorhaze::test
