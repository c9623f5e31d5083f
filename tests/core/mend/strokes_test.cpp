#include "core/mend/strokes.h"

#include <catch2/catch.hpp>

#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

const ToneCurve& srgb() {
    static const ToneCurve curve{ColourProfile{}};
    return curve;
}

/// Frames of one even tone each.
SourcePart even_source(const StrokeSource& source, PixelRect area) {
    return {{area.size(), cv::Vec3f::all(0.1f * float(std::get<FrameId>(source).value + 1))}, {}};
}

Stroke dot(double x, double y, StrokeSource source = FrameId{4}, double flow = 1) {
    return {source, 8, 0, flow, {{x, y}}};
}

Picture grey_merge() {
    return test::picture_from({80, 60}, [](int, int) { return 0.25; });
}

}  // namespace

TEST_CASE("a hard dot is full inside and nothing outside its radius", "[mend]") {
    const cv::Mat1f mask = stroke_mask(dot(20, 20), {0, 0, 41, 41}, {});
    CHECK(mask(20, 20) == 1.0f);
    CHECK(mask(20, 27) == 1.0f);
    CHECK(mask(20, 29) == 0.0f);
    CHECK(mask(20 + 6, 20 + 6) > 0);
    CHECK(mask(20 + 7, 20 + 7) == 0.0f);
}

TEST_CASE("a soft brush falls smoothly from the middle to the rim", "[mend]") {
    Stroke soft = dot(30, 30);
    soft.radius_px = 20;
    soft.softness = 1;
    const cv::Mat1f mask = stroke_mask(soft, {0, 0, 61, 61}, {});
    for (int x = 31; x < 51; ++x) CHECK(mask(30, x) <= mask(30, x - 1));
    CHECK(mask(30, 40) == Approx(0.5).margin(0.06));
}

TEST_CASE("going over a place again within one stroke adds nothing", "[mend]") {
    Stroke once{FrameId{2}, 6, 0.5, 0.4, {{10, 20}, {50, 20}}};
    Stroke back_and_forth = once;
    back_and_forth.points = {{10, 20}, {50, 20}, {10, 20}, {50, 20}};
    const PixelRect area(0, 0, 60, 40);
    CHECK(cv::norm(stroke_mask(once, area, {}), stroke_mask(back_and_forth, area, {}), cv::NORM_INF) < 1e-6);
    double most = 0;
    cv::minMaxLoc(stroke_mask(once, area, {}), nullptr, &most);
    CHECK(most == Approx(0.4));
}

TEST_CASE("a stroke reaches no pixel outside what reach_of says", "[mend]") {
    const Stroke stroke{FrameId{0}, 9.5, 0.3, 1, {{22.3, 30.8}, {41, 12}, {60.6, 50}}};
    const PixelRect reach = reach_of(stroke);
    const PixelRect wide(-20, -20, 140, 120);
    const cv::Mat1f mask = stroke_mask(stroke, wide, {});
    for (int y = 0; y < wide.height; ++y)
        for (int x = 0; x < wide.width; ++x)
            if (mask(y, x) > 0) CHECK(reach.contains(cv::Point(x + wide.x, y + wide.y)));
}

TEST_CASE("drawing in brings the source, untouched pixels keep their very bits", "[mend]") {
    const Picture merge = grey_merge();
    const cv::Mat mended = render_strokes(merge, {100, 200, 80, 60}, {dot(140, 230)}, {100, 200, 80, 60},
                                          srgb(), even_source, {});
    CHECK(srgb().linear_of_16(0)[mended.at<cv::Vec3w>(30, 40)[0]] == Approx(0.5).epsilon(1e-3));
    CHECK(mended.at<cv::Vec3w>(5, 5) == merge.pixels.at<cv::Vec3w>(5, 5));
}

TEST_CASE("flow is a share of light, and a second stroke adds to it", "[mend]") {
    const Picture merge = grey_merge();
    const PixelRect area(0, 0, 80, 60);
    const double ground = srgb().linear_of_16(0)[merge.pixels.at<cv::Vec3w>(0, 0)[0]];
    auto light_after = [&](const SharedList<Stroke>& strokes) {
        return double(srgb().linear_of_16(
            0)[render_strokes(merge, area, strokes, area, srgb(), even_source, {}).at<cv::Vec3w>(30, 40)[0]]);
    };
    CHECK(light_after({dot(40, 30, FrameId{4}, 0.4)}) == Approx(ground + 0.4 * (0.5 - ground)).epsilon(2e-3));
    CHECK(light_after({dot(40, 30, FrameId{4}, 0.4), dot(40, 30, FrameId{4}, 0.4)}) ==
          Approx(ground + 0.64 * (0.5 - ground)).epsilon(2e-3));
}

TEST_CASE("wiping back over a stroke and its soft rim restores the merge", "[mend]") {
    const Picture merge = grey_merge();
    const PixelRect area(0, 0, 80, 60);
    Stroke wipe = dot(40, 30, WipeBack{});
    wipe.radius_px = 12;
    const cv::Mat mended = render_strokes(merge, area, {dot(40, 30), wipe}, area, srgb(), even_source, {});
    CHECK(cv::norm(mended, merge.pixels, cv::NORM_INF) <= 1);
}

TEST_CASE("a pen that is pressed less paints narrower, evenly from point to point", "[mend]") {
    Stroke stroke{FrameId{1}, 20, 0, 1, {{40, 60, 0.2}, {140, 60, 1}}};
    const cv::Mat1f mask = stroke_mask(stroke, {0, 0, 200, 120}, {});
    // Half the width of the painted column; 4 px at the start, 20 at the end, between them in a straight line
    // but for the round end of the wider brush.
    auto half_width = [&](int x) { return cv::countNonZero(mask.col(x) > 0.5f) / 2.0; };
    CHECK(half_width(40) == Approx(4).margin(1.1));
    CHECK(half_width(90) == Approx(12).margin(1.5));
    CHECK(half_width(139) == Approx(20).margin(1.1));
    CHECK(cv::countNonZero(mask.col(20)) == 0);
    stroke.points = {{40, 60}, {140, 60}};
    CHECK(cv::countNonZero(stroke_mask(stroke, {0, 0, 200, 120}, {}).col(90) > 0.5f) / 2.0 ==
          Approx(20).margin(1.1));
}

TEST_CASE("a stroke that is switched off is as if it had not been painted", "[mend]") {
    const Picture merge = grey_merge();
    const PixelRect area{0, 0, 80, 60};
    Stroke off = dot(40, 30);
    off.is_off = true;
    CHECK(cv::norm(render_strokes(merge, area, {off}, area, srgb(), even_source, {}), merge.pixels,
                   cv::NORM_INF) == 0);
    CHECK(painted_share({off}, {40, 30}) == 0);
    const cv::Mat with_other = render_strokes(merge, area, {dot(20, 30), off}, area, srgb(), even_source, {});
    CHECK(cv::norm(with_other, render_strokes(merge, area, {dot(20, 30)}, area, srgb(), even_source, {}),
                   cv::NORM_INF) == 0);
}

TEST_CASE("where a source has no pixels the picture stays as it is", "[mend]") {
    const Picture merge = grey_merge();
    const PixelRect area{0, 0, 80, 60};
    const auto half = [](const StrokeSource& source, PixelRect where) {
        SourcePart part = even_source(source, where);
        part.covered.assign(std::size_t(where.height), RowSpan{0, std::clamp(40 - where.x, 0, where.width)});
        return part;
    };
    const cv::Mat mended = render_strokes(merge, area, {dot(40, 30)}, area, srgb(), half, {});
    CHECK(mended.at<cv::Vec3w>(30, 36) != merge.pixels.at<cv::Vec3w>(30, 36));
    CHECK(mended.at<cv::Vec3w>(30, 41) == merge.pixels.at<cv::Vec3w>(30, 41));
}

TEST_CASE("a part rendered alone equals the same part of the whole", "[mend]") {
    const Picture merge = grey_merge();
    const PixelRect whole(0, 0, 80, 60), part(31, 17, 22, 19);
    const SharedList<Stroke> strokes = {{FrameId{1}, 12, 0.7, 0.6, {{20, 20}, {60, 40}}},
                                        {FrameId{7}, 5, 0.2, 0.8, {{40, 10}, {40, 50}}},
                                        dot(50, 30, WipeBack{}, 0.5)};
    const cv::Mat all = render_strokes(merge, whole, strokes, whole, srgb(), even_source, {});
    const cv::Mat alone = render_strokes(merge, whole, strokes, part, srgb(), even_source, {});
    CHECK(cv::norm(all(part), alone, cv::NORM_INF) == 0);
}

TEST_CASE("impossible brushes are refused", "[mend]") {
    Stroke stroke = dot(5, 5);
    stroke.radius_px = 0;
    CHECK_THROWS_AS(stroke_mask(stroke, {0, 0, 9, 9}, {}), BadParameter);
    stroke = dot(5, 5);
    stroke.flow = 1.5;
    CHECK_THROWS_AS(stroke_mask(stroke, {0, 0, 9, 9}, {}), BadParameter);
    stroke = dot(5, 5);
    stroke.softness = -0.1;
    CHECK_THROWS_AS(stroke_mask(stroke, {0, 0, 9, 9}, {}), BadParameter);
}
