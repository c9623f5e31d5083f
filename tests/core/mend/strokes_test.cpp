// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/stroke_rendering.h"

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

MergePlanes planes(PixelRect area) {
    return {area, {}, {}, {}, {}};
}

/// A fine pattern that no two places share, over an uneven ground.
Picture patterned(cv::Size size) {
    return test::picture_from(size, [&](int x, int y) {
        const std::uint32_t hash = (std::uint32_t(x) * 73856093u) ^ (std::uint32_t(y) * 19349663u);
        return 0.2 + 0.3 * x / size.width + 0.04 * double((hash >> 7) % 97) / 97;
    });
}

Picture grey_merge() {
    return test::picture_from({80, 60}, [](int, int) { return 0.25; });
}

}  // namespace

TEST_CASE("a hard dot is full inside and nothing outside its radius", "[mend]") {
    const cv::Mat1f mask = stroke_mask(dot(20, 20), {0, 0, 41, 41}, {}, {});
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
    const cv::Mat1f mask = stroke_mask(soft, {0, 0, 61, 61}, {}, {});
    for (int x = 31; x < 51; ++x) CHECK(mask(30, x) <= mask(30, x - 1));
    CHECK(mask(30, 40) == Approx(0.5).margin(0.06));
}

TEST_CASE("going over a place again within one stroke adds nothing", "[mend]") {
    Stroke once{FrameId{2}, 6, 0.5, 0.4, {{10, 20}, {50, 20}}};
    Stroke back_and_forth = once;
    back_and_forth.points = {{10, 20}, {50, 20}, {10, 20}, {50, 20}};
    const PixelRect area(0, 0, 60, 40);
    CHECK(cv::norm(stroke_mask(once, area, {}, {}), stroke_mask(back_and_forth, area, {}, {}), cv::NORM_INF) <
          1e-6);
    double most = 0;
    cv::minMaxLoc(stroke_mask(once, area, {}, {}), nullptr, &most);
    CHECK(most == Approx(0.4));
}

TEST_CASE("a stroke reaches no pixel outside what reach_of says", "[mend]") {
    const Stroke stroke{FrameId{0}, 9.5, 0.3, 1, {{22.3, 30.8}, {41, 12}, {60.6, 50}}};
    const PixelRect reach = reach_of(stroke);
    const PixelRect wide(-20, -20, 140, 120);
    const cv::Mat1f mask = stroke_mask(stroke, wide, {}, {});
    for (int y = 0; y < wide.height; ++y)
        for (int x = 0; x < wide.width; ++x)
            if (mask(y, x) > 0) CHECK(reach.contains(cv::Point(x + wide.x, y + wide.y)));
}

TEST_CASE("drawing in brings the source, untouched pixels keep their very bits", "[mend]") {
    const Picture merge = grey_merge();
    const cv::Mat mended = render_strokes(merge, planes({100, 200, 80, 60}), {dot(140, 230)},
                                          {100, 200, 80, 60}, srgb(), even_source, {});
    CHECK(srgb().linear_of_16(0)[mended.at<cv::Vec3w>(30, 40)[0]] == Approx(0.5).epsilon(1e-3));
    CHECK(mended.at<cv::Vec3w>(5, 5) == merge.pixels.at<cv::Vec3w>(5, 5));
}

TEST_CASE("flow is a share of light, and a second stroke adds to it", "[mend]") {
    const Picture merge = grey_merge();
    const PixelRect area(0, 0, 80, 60);
    const double ground = srgb().linear_of_16(0)[merge.pixels.at<cv::Vec3w>(0, 0)[0]];
    auto light_after = [&](const SharedList<Stroke>& strokes) {
        return double(
            srgb().linear_of_16(0)[render_strokes(merge, planes(area), strokes, area, srgb(), even_source, {})
                                       .at<cv::Vec3w>(30, 40)[0]]);
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
    const cv::Mat mended =
        render_strokes(merge, planes(area), {dot(40, 30), wipe}, area, srgb(), even_source, {});
    CHECK(cv::norm(mended, merge.pixels, cv::NORM_INF) <= 1);
}

TEST_CASE("a pen that is pressed less paints narrower, evenly from point to point", "[mend]") {
    Stroke stroke{FrameId{1}, 20, 0, 1, {{40, 60, 0.2}, {140, 60, 1}}};
    const cv::Mat1f mask = stroke_mask(stroke, {0, 0, 200, 120}, {}, {});
    // Half the width of the painted column; 4 px at the start, 20 at the end, between them in a straight line
    // but for the round end of the wider brush.
    auto half_width = [&](int x) { return cv::countNonZero(mask.col(x) > 0.5f) / 2.0; };
    CHECK(half_width(40) == Approx(4).margin(1.1));
    CHECK(half_width(90) == Approx(12).margin(1.5));
    CHECK(half_width(139) == Approx(20).margin(1.1));
    CHECK(cv::countNonZero(mask.col(20)) == 0);
    stroke.points = {{40, 60}, {140, 60}};
    CHECK(cv::countNonZero(stroke_mask(stroke, {0, 0, 200, 120}, {}, {}).col(90) > 0.5f) / 2.0 ==
          Approx(20).margin(1.1));
}

TEST_CASE("a stroke that is switched off is as if it had not been painted", "[mend]") {
    const Picture merge = grey_merge();
    const PixelRect area{0, 0, 80, 60};
    Stroke off = dot(40, 30);
    off.is_off = true;
    CHECK(cv::norm(render_strokes(merge, planes(area), {off}, area, srgb(), even_source, {}), merge.pixels,
                   cv::NORM_INF) == 0);
    CHECK(painted_on({off}, {40, 30, 1, 1}, {}, {}).share(0, 0) == 0);
    const cv::Mat with_other =
        render_strokes(merge, planes(area), {dot(20, 30), off}, area, srgb(), even_source, {});
    CHECK(cv::norm(with_other,
                   render_strokes(merge, planes(area), {dot(20, 30)}, area, srgb(), even_source, {}),
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
    const cv::Mat mended = render_strokes(merge, planes(area), {dot(40, 30)}, area, srgb(), half, {});
    CHECK(mended.at<cv::Vec3w>(30, 36) != merge.pixels.at<cv::Vec3w>(30, 36));
    CHECK(mended.at<cv::Vec3w>(30, 41) == merge.pixels.at<cv::Vec3w>(30, 41));
}

TEST_CASE("a part rendered alone equals the same part of the whole", "[mend]") {
    const Picture merge = grey_merge();
    const PixelRect whole(0, 0, 80, 60), part(31, 17, 22, 19);
    const SharedList<Stroke> strokes = {{FrameId{1}, 12, 0.7, 0.6, {{20, 20}, {60, 40}}},
                                        {FrameId{7}, 5, 0.2, 0.8, {{40, 10}, {40, 50}}},
                                        dot(50, 30, WipeBack{}, 0.5)};
    const cv::Mat all = render_strokes(merge, planes(whole), strokes, whole, srgb(), even_source, {});
    const cv::Mat alone = render_strokes(merge, planes(whole), strokes, part, srgb(), even_source, {});
    CHECK(cv::norm(all(part), alone, cv::NORM_INF) == 0);
}

TEST_CASE("impossible brushes are refused", "[mend]") {
    Stroke stroke = dot(5, 5);
    stroke.radius_px = 0;
    CHECK_THROWS_AS(stroke_mask(stroke, {0, 0, 9, 9}, {}, {}), BadParameter);
    stroke = dot(5, 5);
    stroke.flow = 1.5;
    CHECK_THROWS_AS(stroke_mask(stroke, {0, 0, 9, 9}, {}, {}), BadParameter);
    stroke = dot(5, 5);
    stroke.softness = -0.1;
    CHECK_THROWS_AS(stroke_mask(stroke, {0, 0, 9, 9}, {}, {}), BadParameter);
}

TEST_CASE("a fade brings nothing before its first point, all beyond its second, and rises between",
          "[mend]") {
    Stroke fade = dot(0, 0);
    fade.shape = FadeAcross{};
    fade.points = {{20, 10}, {60, 10}};
    const cv::Mat1f mask = stroke_mask(fade, {0, 0, 80, 60}, {}, {});
    CHECK(cv::countNonZero(mask.colRange(0, 21)) == 0);
    CHECK(cv::countNonZero(mask.colRange(60, 80) < 1) == 0);
    CHECK(mask(30, 40) == Approx(0.5));
    for (int x = 21; x < 60; ++x) CHECK(mask(5, x) > mask(5, x - 1));
    // Across it nothing changes.
    CHECK(cv::norm(mask.row(0), mask.row(59), cv::NORM_INF) == 0);
    // Drawn aslant, it fades along its own direction.
    fade.points = {{20, 10}, {50, 40}};
    const cv::Mat1f aslant = stroke_mask(fade, {0, 0, 80, 60}, {}, {});
    CHECK(aslant(25, 35) == Approx(0.5));
    CHECK(aslant(35, 25) == Approx(0.5));
}

TEST_CASE("a fade through frames passes from the picture through each of them to the source", "[mend]") {
    Stroke fade{FrameId{5}, 8, 0, 1, {{10, 30}, {70, 30}}};
    fade.shape = FadeAcross{{FrameId{3}, FrameId{4}}};
    const Picture merge = grey_merge();
    const ToneCurve& curve = srgb();
    const PixelRect all(0, 0, 80, 60);
    std::vector<int> asked;
    const SourcePixels source = [&](const StrokeSource& from, PixelRect area) {
        asked.push_back(std::get<FrameId>(from).value);
        return even_source(from, area);
    };
    const SharedList<Stroke> strokes(std::vector<Stroke>{fade});
    const auto light_at = [&](int x) {
        return double(light_beneath(merge, planes(all), strokes, {x, 20, 1, 1}, curve, source, {})(0, 0)[0]);
    };
    // A third of the way for each: the picture, then the frames as bright as their numbers say.
    const double before = light_at(10);
    CHECK(before == Approx(double(to_linear(merge, curve)(0, 0)[0])));
    CHECK(light_at(30) == Approx(0.4).margin(1e-4));
    CHECK(light_at(50) == Approx(0.5).margin(1e-4));
    CHECK(light_at(70) == Approx(0.6).margin(1e-4));
    CHECK(light_at(79) == Approx(0.6).margin(1e-4));
    CHECK(light_at(40) == Approx(0.45).margin(1e-4));
    for (int x = 11; x < 79; ++x) CHECK(light_at(x) >= light_at(x - 1) - 1e-6);
    // Only frames that show are read.
    asked.clear();
    light_at(60);
    CHECK(asked == std::vector<int>{4, 5});
    asked.clear();
    light_at(20);
    CHECK(asked == std::vector<int>{3});
    // A piece is as the whole.
    const cv::Mat whole = render_strokes(merge, planes(all), strokes, all, curve, source, {});
    const cv::Mat piece = render_strokes(merge, planes(all), strokes, {25, 10, 31, 17}, curve, source, {});
    CHECK(cv::norm(piece, whole({25, 10, 31, 17}), cv::NORM_INF) == 0);
}

TEST_CASE("within an outline all is brought, holes are spared, a soft rim reaches beyond", "[mend]") {
    Stroke thing = dot(0, 0);
    thing.shape =
        WithinOutline{{{{10, 10}, {50, 10}, {50, 50}, {10, 50}}, {{25, 25}, {35, 25}, {35, 35}, {25, 35}}}};
    thing.points.clear();
    const cv::Mat1f mask = stroke_mask(thing, {0, 0, 60, 60}, {}, {});
    CHECK(mask(20, 20) == 1);
    CHECK(mask(30, 30) == 0);
    CHECK(mask(5, 30) == 0);
    CHECK(double(cv::countNonZero(mask > 0.5f)) == Approx(41 * 41 - 9 * 9).margin(20));
    CHECK(reach_of(thing).x <= 10);
    CHECK(reach_of(thing).br().x >= 50);
    thing.softness = 0.5;
    const cv::Mat1f soft = stroke_mask(thing, {0, 0, 60, 60}, {}, {});
    CHECK(soft(9, 15) > 0.1f);
    CHECK(soft(9, 15) < 0.9f);
    // A part of it is the same as in the whole.
    const cv::Mat1f part = stroke_mask(thing, {8, 12, 20, 20}, {}, {});
    CHECK(cv::norm(part, soft({8, 12, 20, 20}), cv::NORM_INF) < 1e-6);
}

TEST_CASE("a slanted outline has the same rim whatever part of it is asked for", "[mend]") {
    Stroke stroke = dot(0, 0);
    stroke.shape = WithinOutline{{{{13.7, 5.2}, {890.3, 431.6}, {205.1, 777.7}, {31.9, 400.4}}}};
    const PixelRect whole = reach_of(stroke);
    const cv::Mat1f all = stroke_mask(stroke, whole, planes(whole), {});
    int differ = 0;
    for (const PixelRect part : {PixelRect(20, 100, 300, 1), PixelRect(300, 0, 7, 700),
                                 PixelRect(500, 300, 200, 50), PixelRect(-3, 411, 900, 3)}) {
        const cv::Mat1f own = stroke_mask(stroke, part, planes(whole), {});
        const PixelRect both = part & whole;
        differ += cv::countNonZero(own(both - part.tl()) != all(both - whole.tl()));
    }
    CHECK(differ == 0);
}

TEST_CASE("rules choose untrusted places, a range of depth and what a frame supplied", "[mend]") {
    const PixelRect area(100, 50, 80, 60);
    MergePlanes merge = planes(area);
    merge.depth = cv::Mat1f(area.size(), 3.0f), merge.trust = cv::Mat1f(area.size(), 0.8f);
    merge.source = cv::Mat1w(area.size(), ushort(3));
    merge.frames = {{11}, {12}, {13}, {14}};
    merge.depth.colRange(40, 80) = 3.6f;
    merge.source.colRange(60, 80) = 4;
    merge.trust.colRange(0, 30) = 0.05f;
    merge.trust(20, 70) = 0.05f;  // a speck, no backdrop
    Stroke fill = dot(0, 0);
    const auto chosen = [&](WhereRule rule) {
        fill.shape = rule;
        const cv::Mat1f mask = stroke_mask(fill, area, merge, {});
        return cv::Mat1b(mask > 0.5f);
    };
    using Kind = WhereRule::Kind;
    const cv::Mat1b untrusted = chosen({Kind::trust_below, 0, 0.2, {}});
    CHECK(cv::countNonZero(untrusted.colRange(0, 30)) >= 30 * 60 - 40);
    CHECK(cv::countNonZero(untrusted.colRange(30, 80)) == 0);
    const cv::Mat1b deep = chosen({Kind::depth_between, 3.5, 4, {}});
    CHECK(cv::countNonZero(deep) == 40 * 60);
    CHECK(deep(5, 45) == 255);
    const cv::Mat1b fourth = chosen({Kind::from_frame, 0, 0, {14}});
    CHECK(cv::countNonZero(fourth) == 20 * 60);
    fill.shape = WhereRule{Kind::from_frame, 0, 0, {99}};
    CHECK_THROWS_AS(stroke_mask(fill, area, merge, {}), BadParameter);
    fill.shape = WhereRule{Kind::depth_between, 0, 1, {}};
    CHECK_THROWS_AS(stroke_mask(fill, area, planes(area), {}), BadParameter);
    CHECK(painted_on({fill}, {0, 0, 5, 5}, planes(area), {}).share(2, 2) == 0);  // beyond the merge
}

TEST_CASE("a place copied from elsewhere shows what earlier strokes left there, in parts as in the whole",
          "[mend]") {
    const PixelRect area(0, 0, 200, 120);
    const Picture merge = patterned(area.size());
    Stroke copy = dot(60, 60, FromPlace{80, -10});
    copy.radius_px = 12;
    const cv::Mat plain = render_strokes(merge, planes(area), {copy}, area, srgb(), even_source, {});
    CHECK(plain.at<cv::Vec3w>(60, 60) == merge.pixels.at<cv::Vec3w>(50, 140));
    CHECK(plain.at<cv::Vec3w>(63, 55) == merge.pixels.at<cv::Vec3w>(53, 135));
    const Stroke before = dot(140, 50);
    const SharedList<Stroke> both{before, copy};
    const cv::Mat with = render_strokes(merge, planes(area), both, area, srgb(), even_source, {});
    CHECK(with.at<cv::Vec3w>(60, 60) == with.at<cv::Vec3w>(50, 140));
    CHECK(with.at<cv::Vec3w>(60, 60) != plain.at<cv::Vec3w>(60, 60));
    // What is painted later is not copied.
    const cv::Mat after = render_strokes(merge, planes(area), {copy, before}, area, srgb(), even_source, {});
    CHECK(after.at<cv::Vec3w>(60, 60) == plain.at<cv::Vec3w>(60, 60));
    for (const PixelRect part : {PixelRect(40, 40, 30, 30), PixelRect(59, 0, 2, 120)})
        CHECK(cv::norm(render_strokes(merge, planes(area), both, part, srgb(), even_source, {}), with(part),
                       cv::NORM_INF) == 0);
    // Copied from beyond the picture: nothing is brought there.
    Stroke beyond = dot(190, 60, FromPlace{20, 0});
    const cv::Mat kept = render_strokes(merge, planes(area), {beyond}, area, srgb(), even_source, {});
    CHECK(kept.at<cv::Vec3w>(60, 192) == merge.pixels.at<cv::Vec3w>(60, 192));
}

TEST_CASE("matched tone: the source's detail comes without its tone, in parts as in the whole", "[mend]") {
    const PixelRect area(0, 0, 200, 120);
    const Picture merge = patterned(area.size());
    const cv::Mat3f light = to_linear(merge, srgb());
    // A source that shows the same, but brighter, and a darker spot of its own in the middle.
    const SourcePixels brighter = [&](const StrokeSource&, PixelRect where) {
        cv::Mat3f own = light(where) + cv::Scalar::all(0.1);
        for (int y = 0; y < own.rows; ++y)
            for (int x = 0; x < own.cols; ++x)
                if (std::hypot(where.x + x - 100, where.y + y - 60) < 4) own(y, x) *= 0.5;
        return SourcePart{own, {}};
    };
    Stroke stroke{FrameId{1}, 30, 0.3, 1, {{100, 60}}};
    stroke.match_tone = true;
    const cv::Mat matched = render_strokes(merge, planes(area), {stroke}, area, srgb(), brighter, {});
    double worst = 0;
    for (int x = 72; x < 128; ++x)
        if (std::abs(x - 100) > 5)
            worst = std::max(worst, std::abs(double(matched.at<cv::Vec3w>(60, x)[1]) -
                                             double(merge.pixels.at<cv::Vec3w>(60, x)[1])));
    CHECK(worst < 65535 * 0.01);
    CHECK(matched.at<cv::Vec3w>(60, 100)[1] < 0.75 * merge.pixels.at<cv::Vec3w>(60, 100)[1]);
    stroke.match_tone = false;
    const cv::Mat plain = render_strokes(merge, planes(area), {stroke}, area, srgb(), brighter, {});
    CHECK(plain.at<cv::Vec3w>(60, 90)[1] > merge.pixels.at<cv::Vec3w>(60, 90)[1] + 65535 * 0.05);
    stroke.match_tone = true;
    for (const PixelRect part : {PixelRect(90, 50, 30, 30), PixelRect(75, 40, 5, 5)})
        CHECK(cv::norm(render_strokes(merge, planes(area), {stroke}, part, srgb(), brighter, {}),
                       matched(part), cv::NORM_INF) == 0);
}

TEST_CASE("strips give the same pixels, and what looks elsewhere is worked out once for all of them",
          "[mend]") {
    const PixelRect area(0, 0, 200, 120);
    const Picture merge = patterned(area.size());
    std::vector<Stroke> strokes;
    // Each heals from where those before it were painted, up and down through all strips, and meets its tone.
    for (int i = 0; i < 24; ++i) {
        Stroke copy = dot(40 + 5 * i, i % 2 ? 30 : 90, FromPlace{-9, i % 2 ? 58 : -61});
        copy.radius_px = 14;
        copy.match_tone = i % 3 == 0;
        strokes.push_back(copy);
        Stroke drawn = dot(35 + 5 * i, i % 2 ? 95 : 25);
        drawn.match_tone = true;
        strokes.push_back(drawn);
    }
    Stroke faded{FrameId{1}, 1, 0, 0.3, {{0, 0}, {0, 119}}};
    faded.shape = FadeAcross{};
    strokes.push_back(faded);
    int asked = 0;
    const SourcePixels counted = [&](const StrokeSource& own, PixelRect where) {
        ++asked;
        return even_source(own, where);
    };
    const MergePlanes of = planes(area);
    const SharedList<Stroke> all(strokes);
    const cv::Mat whole = StrokeRendering(merge, of, all, srgb(), counted).pixels(all.size(), area, {});
    CHECK(asked == 25);
    CHECK(cv::norm(whole, merge.pixels, cv::NORM_INF) > 0);
    for (const int rows : {1, 7, 50}) {
        asked = 0;
        StrokeRendering strips(merge, of, all, srgb(), counted, rows * area.width);
        CHECK(cv::norm(strips.pixels(all.size(), area, {}), whole, cv::NORM_INF) == 0);
        CHECK(asked == 24 + (120 + rows - 1) / rows);  // the fade is made anew for each strip
    }
}

TEST_CASE("a stroke carried to another plane brings the same things there", "[mend]") {
    // Twice as large, turned by a quarter, moved.
    const cv::Matx33d to(0, -2, 400, 2, 0, -30, 0, 0, 1);
    Stroke stroke = dot(50, 40, FromPlace{10, 3});
    stroke.points.push_back({70, 40});
    const Stroke there = carried_over(stroke, to);
    CHECK(there.radius_px == Approx(16));
    CHECK(there.points[0].x_px == Approx(400 - 80));
    CHECK(there.points[0].y_px == Approx(100 - 30));
    CHECK(std::get<FromPlace>(there.source) == FromPlace{-6, 20});
    const cv::Mat1f here_mask = stroke_mask(stroke, {0, 0, 120, 80}, {}, {});
    const cv::Mat1f there_mask = stroke_mask(there, {240, -30, 160, 240}, {}, {});
    int wrong = 0;
    for (int y = 0; y < 80; ++y)
        for (int x = 0; x < 120; ++x) {
            const cv::Point at(400 - 2 * y - 240, 2 * x - 30 + 30);
            if (at.x < 0 || at.x >= 160) continue;
            wrong += (here_mask(y, x) > 0.5f) != (there_mask(at) > 0.5f);
        }
    CHECK(wrong <= 12);  // along the rim
    Stroke thing = dot(0, 0);
    thing.points.clear();
    thing.shape = WithinOutline{{{{10, 10}, {30, 10}, {30, 30}}}};
    const Stroke carried = carried_over(thing, to);
    CHECK(std::get<WithinOutline>(carried.shape).outlines[0][2].x_px == Approx(340));
    // A rule needs no place.
    Stroke rule = dot(0, 0);
    rule.points.clear();
    rule.shape = WhereRule{WhereRule::Kind::trust_below, 0, 0.2, {}};
    CHECK(carried_over(rule, cv::Matx33d::eye()) == rule);
}
