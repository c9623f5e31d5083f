#include "tests/support/textbook.h"

#include <opencv2/imgproc.hpp>

namespace moorhaze::test {

Picture largest_laplacian_choice(AlignedFrames& frames) {
    const cv::Size size = frames.target().size();
    cv::Mat1f best(size, -1.0f);
    cv::Mat3f chosen(size, cv::Vec3f(0, 0, 0));
    for (int place = 0; place < frames.count(); ++place) {
        const auto frame = frames.load(place, {});
        if (!frame) continue;
        cv::Mat1f luma, across, down, measure;
        cv::transform(frame->pixels, luma, cv::Matx13f(0.2126f, 0.7152f, 0.0722f));
        const cv::Mat1f second = (cv::Mat1f(1, 3) << -1, 2, -1);
        cv::filter2D(luma, across, CV_32F, second);
        cv::filter2D(luma, down, CV_32F, second.t());
        measure = cv::abs(across) + cv::abs(down);
        cv::boxFilter(measure, measure, CV_32F, {9, 9});
        for (int y = 0; y < size.height; ++y)
            for (int x = frame->covered[std::size_t(y)].begin; x < frame->covered[std::size_t(y)].end; ++x)
                if (measure(y, x) > best(y, x)) {
                    best(y, x) = measure(y, x);
                    chosen(y, x) = frame->pixels(y, x);
                }
    }
    return from_linear(chosen, frames.curve(), frames.profile());
}

}  // namespace moorhaze::test
