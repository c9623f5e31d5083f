#include <catch2/catch.hpp>

#include "core/align/common_area.h"

using namespace moorhaze;

namespace {

SeriesGeometry geometry_of(const std::vector<cv::Matx33d>& matrices) {
    SeriesGeometry geometry;
    for (const auto& matrix : matrices) {
        FrameGeometry frame;
        frame.matrix = matrix;
        geometry.frames.push_back(frame);
    }
    return geometry;
}

}  // namespace

TEST_CASE("frames that lie alike share everything", "[align]") {
    CHECK(common_area(geometry_of({cv::Matx33d::eye(), cv::Matx33d::eye()}), {0, 1}, {300, 200}) ==
          PixelRect(0, 0, 300, 200));
}

TEST_CASE("a shifted and a smaller frame leave what both cover", "[align]") {
    const cv::Matx33d shifted(1, 0, 12.5, 0, 1, -7.25, 0, 0, 1);
    CHECK(common_area(geometry_of({cv::Matx33d::eye(), shifted}), {0, 1}, {300, 200}) ==
          PixelRect(13, 0, 287, 192));
    // Scaled about the centre by 0.9: half of 0.1 * 299 and of 0.1 * 199 is lost at each side.
    const cv::Matx33d smaller(0.9, 0, 14.95, 0, 0.9, 9.95, 0, 0, 1);
    CHECK(common_area(geometry_of({cv::Matx33d::eye(), smaller}), {0, 1}, {300, 200}) ==
          PixelRect(15, 10, 270, 180));
}

TEST_CASE("frames that are not asked for or not aligned don't count", "[align]") {
    const cv::Matx33d far_away(1, 0, 5000, 0, 1, 0, 0, 0, 1);
    auto geometry = geometry_of({cv::Matx33d::eye(), far_away});
    CHECK(common_area(geometry, {0}, {300, 200}) == PixelRect(0, 0, 300, 200));
    CHECK(common_area(geometry, {0, 1}, {300, 200}).empty());
    geometry.frames[1].registered = false;
    CHECK(common_area(geometry, {0, 1}, {300, 200}) == PixelRect(0, 0, 300, 200));
}
