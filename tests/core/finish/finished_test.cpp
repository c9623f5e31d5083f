// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>
#include <cmath>

#include "core/align/homography.h"
#include "core/finish/finish_json.h"
#include "core/finish/finished.h"
#include "core/finish/framing.h"
#include "core/finish/noise.h"
#include "core/work/errors.h"
#include "core/work/for_rows.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

Picture textured(cv::Size size, unsigned seed = 11) {
    const test::Texture red(seed), green(seed + 1), blue(seed + 2);
    Picture picture{cv::Mat(size, CV_16UC3), {}, {}};
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x)
            picture.pixels.at<cv::Vec3w>(y, x) = {cv::saturate_cast<std::uint16_t>(65535 * red.at(x, y)),
                                                  cv::saturate_cast<std::uint16_t>(65535 * green.at(x, y)),
                                                  cv::saturate_cast<std::uint16_t>(65535 * blue.at(x, y))};
    return picture;
}

/// Something of everything but the ground.
Finish busy() {
    Finish finish;
    finish.framing.crop = PixelRect(20, 10, 300, 240);
    finish.light = {.warmth_k = 6200, .violet = 3, .exposure_ev = 0.4, .lights = -0.3, .shadows = 0.4};
    finish.tones = {.black = 0.02, .white = 0.96, .middle = 0.45, .curve = {{0.3, 0.25}, {0.7, 0.78}}};
    finish.colour = {.saturation = 0.15, .vibrance = 0.2, .ones = {{40, 8, 0.2, -0.1}}};
    finish.detail = {.clarity = 0.3,
                     .sharpening = 0.7,
                     .radius_px = 1.2,
                     .threshold = 0.004,
                     .noise = 0.01,
                     .colour_noise = 0.5};
    finish.fringes = {.red = {0.002, 0.001}, .blue = {-0.001, 0}, .at_edges = 0.5};
    finish.vignette = {.corners_ev = -0.7, .across = 0.45, .down = 0.55, .roundness = 0.3};
    return finish;
}

double greatest(const cv::Mat& one, const cv::Mat& other) {
    return cv::norm(one, other, cv::NORM_INF);
}

}  // namespace

TEST_CASE("a neutral finish gives the merge back bit for bit", "[finish]") {
    for (const bool with_alpha : {false, true}) {
        const Picture picture = test::colourful({61, 43}, 16, with_alpha);
        const Picture made = finished(*finish_subject(picture, {5, 6}, 1, {}), {}, {});
        CHECK(greatest(made.pixels, picture.pixels) == 0);
        CHECK(made.alpha.empty() == !with_alpha);
        if (with_alpha) CHECK(greatest(made.alpha, picture.alpha) == 0);
    }
}

TEST_CASE("every part that is off is as if it were not set", "[finish]") {
    const auto subject = finish_subject(textured({200, 150}), {}, 1, {});
    Finish finish = busy();
    for (const FinishPart part : kFinishParts) finish = with_off(finish, part, true);
    CHECK(is_neutral(finish));
    CHECK(greatest(finished(*subject, finish, {}).pixels, subject->levels[0].pixels) == 0);
    for (const FinishPart part : kFinishParts) CHECK(is_neutral(without(finish, part)));
}

TEST_CASE("each part alone changes the picture", "[finish]") {
    const auto subject = finish_subject(textured({340, 260}), {}, 1, {});
    for (const FinishPart part : kFinishParts) {
        if (part == FinishPart::ground || part == FinishPart::framing) continue;
        if (part == FinishPart::lens) continue;  // needs one of the database: tests/outside
        Finish alone = busy();
        for (const FinishPart other : kFinishParts)
            if (other != part) alone = without(alone, other);
        INFO(name_of(part));
        CHECK_FALSE(is_neutral(alone));
        CHECK(is_set(alone, part));
        CHECK_FALSE(in_words(alone, part).empty());
        CHECK(greatest(finished(*subject, alone, {}).pixels, subject->levels[0].pixels) > 300);
    }
}

TEST_CASE("a part of the finished picture is the same as that part of the whole", "[finish]") {
    // What the window shows at 100 % is what is written: less than 1/255 apart, in fact the same.
    const auto subject = finish_subject(textured({380, 300}), {}, 1, {});
    for (const double turn : {0.0, 4.0}) {
        Finish finish = busy();
        finish.framing = with_turn(finish.framing, subject->area, turn);
        const PixelRect kept = kept_of(finish.framing, subject->area);
        const Picture whole = finished(*subject, finish, {});
        const PixelRect part(kept.x + 60, kept.y + 50, 120, 90);
        const Picture seen = finished(*subject, finish, 0, part, {});
        CHECK(greatest(seen.pixels, whole.pixels(part - kept.tl())) <= 1);
    }
}

TEST_CASE("a smaller preview is close to the whole made small", "[finish]") {
    const test::Texture texture(5, 40, 40, 200);
    const Picture picture = test::picture_from({640, 480}, [&](int x, int y) { return texture.at(x, y); });
    const auto subject = finish_subject(picture, {}, 3, {});
    Finish finish = busy();
    finish.framing = {};
    finish.detail.sharpening = finish.detail.noise = 0;
    finish.fringes = {};
    Finish lateral;
    lateral.fringes = {.red = {0.002, 0.001}, .blue = {-0.001, 0}};
    for (const Finish& own : {finish, lateral}) {
        const Picture whole = finished(*subject, own, {});
        const auto small = finish_subject(whole, {}, 3, {});
        const Picture seen = finished(*subject, own, 2, PixelRect(0, 0, 160, 120), {});
        // Of smooth detail; at sharp edges the order of averaging and curves counts, and at the border how
        // far it is repeated.
        const cv::Rect inside(2, 2, 156, 116);
        CHECK(greatest(seen.pixels(inside), small->levels[2].pixels(inside)) < 65535 / 255.0);
    }
}

TEST_CASE("the same finish gives the same pixels for any number of threads", "[finish]") {
    const auto subject = finish_subject(textured({400, 300}), {}, 1, {});
    Finish finish = busy();
    finish.framing = with_turn(finish.framing, subject->area, -3);
    const Picture many = finished(*subject, finish, {});
    const ThreadLimit one(1);
    CHECK(greatest(finished(*subject, finish, {}).pixels, many.pixels) == 0);
}

TEST_CASE("a vignette of one step halves light in the corner and leaves the middle", "[finish]") {
    const Picture picture = test::picture_from({201, 101}, [](int, int) { return tone_of_light(0.4); });
    Finish finish;
    finish.vignette.corners_ev = -1;
    const Picture made = finished(*finish_subject(picture, {}, 1, {}), finish, {});
    auto light = [&](int x, int y) { return light_of_tone(made.pixels.at<cv::Vec3w>(y, x)[1] / 65535.0); };
    CHECK(light(100, 50) == Approx(0.4).epsilon(1e-3));
    CHECK(light(0, 0) == Approx(0.2).epsilon(0.03));  // half a pixel within the corner
    CHECK(light(200, 100) == Approx(light(0, 0)).epsilon(1e-4));
    CHECK(light(200, 50) == Approx(0.4 * std::exp2(-0.5)).epsilon(0.01));
}

TEST_CASE("a vignette follows the crop, not the merge", "[finish]") {
    const Picture picture = test::picture_from({300, 300}, [](int, int) { return tone_of_light(0.4); });
    Finish finish;
    finish.framing.crop = PixelRect(100, 20, 101, 81);
    finish.vignette.corners_ev = -1;
    const Picture made = finished(*finish_subject(picture, {}, 1, {}), finish, {});
    CHECK(light_of_tone(made.pixels.at<cv::Vec3w>(40, 50)[1] / 65535.0) == Approx(0.4).epsilon(1e-3));
}

TEST_CASE("sharpening steepens an edge and leaves what is below its threshold", "[finish]") {
    const Picture step = test::picture_from({80, 20}, [](int x, int) { return x < 40 ? 0.3 : 0.6; });
    Finish finish;
    finish.detail.sharpening = 1;
    const auto subject = finish_subject(step, {}, 1, {});
    const Picture made = finished(*subject, finish, {});
    CHECK(made.pixels.at<cv::Vec3w>(10, 39)[1] < 0.29 * 65535);
    CHECK(made.pixels.at<cv::Vec3w>(10, 40)[1] > 0.62 * 65535);
    CHECK(std::abs(made.pixels.at<cv::Vec3w>(10, 10)[1] - 0.3 * 65535) <= 2);
    const Picture faint = test::picture_from({80, 20}, [](int x, int) { return x < 40 ? 0.500 : 0.503; });
    finish.detail.threshold = 0.02;
    CHECK(greatest(finished(*finish_subject(faint, {}, 1, {}), finish, {}).pixels, faint.pixels) <= 1);
}

TEST_CASE("colour noise goes and edges of colour stay", "[finish]") {
    cv::Mat3f light(120, 160);
    cv::RNG random(5);
    for (int y = 0; y < light.rows; ++y)
        for (int x = 0; x < light.cols; ++x) {
            const cv::Vec3f own = x < 80 ? cv::Vec3f(0.3f, 0.1f, 0.08f) : cv::Vec3f(0.5f, 0.55f, 0.2f);
            for (int c = 0; c < 3; ++c)
                light(y, x)[c] = std::max(0.0f, own[c] * (1 + float(random.gaussian(0.08))));
        }
    cv::Mat3f quiet = light.clone();
    reduce_noise(quiet, {.colour_noise = 1}, {}, 1, {});
    // Of the share of red in all: how much it varies within an area, and where it lies.
    auto share = [](const cv::Mat3f& own, cv::Rect area) {
        cv::Mat1f ratio(area.size());
        for (int y = 0; y < area.height; ++y)
            for (int x = 0; x < area.width; ++x) {
                const cv::Vec3f rgb = own(area.y + y, area.x + x);
                ratio(y, x) = rgb[0] / (rgb[0] + rgb[1] + rgb[2]);
            }
        cv::Scalar mean, deviation;
        cv::meanStdDev(ratio, mean, deviation);
        return std::pair(mean[0], deviation[0]);
    };
    const cv::Rect left(10, 10, 60, 100), beside(76, 10, 3, 100);
    CHECK(share(quiet, left).second < 0.4 * share(light, left).second);
    CHECK(share(quiet, beside).first == Approx(share(light, left).first).margin(0.03));
}

TEST_CASE("a finish comes back from its text as it was", "[finish]") {
    Finish finish = busy();
    finish.framing.turn_deg = 1.25;
    finish.framing.turned_about = {10.5, 11.25};
    finish.framing.corners = EmptyCorners::white;
    finish.ground = {.picked = cv::Point2d(3, 4), .reach = 0.2, .keep_shadow = 0.1, .tone = 0.9};
    finish.colour.is_off = true;
    CHECK(finish_of(json_of(finish)) == finish);
    CHECK(json_of(Finish{}) == "{}");
    CHECK(finish_of("{}") == Finish{});
}

TEST_CASE("a text that is no finish is refused and what is wrong is named", "[finish]") {
    CHECK_THROWS_WITH(finish_of("[]"), Catch::Contains("means nothing"));
    CHECK_THROWS_WITH(finish_of("{\"light\": {\"glow\": 3}}"), Catch::Contains("glow"));
    CHECK_THROWS_WITH(finish_of("{\"light\": {\"exposure_ev\": 77}}"), Catch::Contains("exposure"));
    CHECK_THROWS_AS(finish_of("{\"light\": {\"exposure_ev\": \"bright\"}}"), FileError);
    CHECK_THROWS_AS(finish_of("no text at all"), FileError);
}

TEST_CASE("a look is kept as a file and leaves framing and ground to the picture", "[finish]") {
    const test::Scratch scratch;
    Finish finish = busy();
    finish.ground.picked = cv::Point2d(1, 2);
    write_look(scratch / "evening.json", finish, false);
    CHECK_THROWS_AS(write_look(scratch / "evening.json", finish, false), FileError);
    Finish other;
    other.framing.crop = PixelRect(1, 2, 3, 4);
    const Finish dressed = with_look(other, read_look(scratch / "evening.json"));
    CHECK(dressed.framing == other.framing);
    CHECK(dressed.ground == other.ground);
    CHECK(dressed.tones == finish.tones);
    CHECK(dressed.colour == finish.colour);
    test::write_all(scratch / "newer.json", "{\"moorhaze_look\": 9}");
    CHECK_THROWS_WITH(read_look(scratch / "newer.json"), Catch::Contains("newer version"));
    test::write_all(scratch / "other.json", "{\"a\": 9}");
    CHECK_THROWS_WITH(read_look(scratch / "other.json"), Catch::Contains("no look of Moorhaze"));
    CHECK_THROWS_WITH(read_look(scratch / "missing.json"), Catch::Contains("missing.json"));
}

TEST_CASE("finishing can be stopped", "[finish]") {
    const auto subject = finish_subject(textured({400, 300}), {}, 1, {});
    std::stop_source stop;
    stop.request_stop();
    CHECK_THROWS_AS(finished(*subject, busy(), Job{stop.get_token(), {}}), Cancelled);
}

TEST_CASE("sharpening that is painted works there alone, and what is taken back stays as it was",
          "[finish]") {
    const Picture picture = textured({320, 240});
    const auto subject = finish_subject(picture, {40, 30}, 1, {});
    Finish everywhere;
    everywhere.detail.sharpening = 1;
    Finish painted = everywhere;
    painted.detail.painted = {{{{120, 100}, {200, 100}}, 20, 0, false}, {{{160, 100}}, 8, 0, true}};
    const Picture plain = finished(*subject, {}, {}), all = finished(*subject, everywhere, {}),
                  made = finished(*subject, painted, {});
    const auto differs = [](const Picture& one, const Picture& other, cv::Rect area) {
        return greatest(one.pixels(area), other.pixels(area));
    };
    // Places count from the merge's corner in files.
    const cv::Rect on_path(90, 62, 10, 16), taken_back(117, 67, 6, 6), beside(80, 150, 120, 60);
    CHECK(differs(plain, all, on_path) > 300);
    CHECK(differs(made, all, on_path) <= 1);
    CHECK(differs(made, plain, taken_back) <= 1);
    CHECK(differs(plain, all, beside) > 300);
    CHECK(differs(made, plain, beside) <= 1);
    // A turned picture is sharpened at the same places of the subject.
    Finish turned = painted, turned_plain;
    turned.framing.turn_deg = 36, turned.framing.turned_about = {200, 150};
    turned_plain.framing = turned.framing;
    const Picture made_turned = finished(*subject, turned, 0, {0, 0, 320, 240}, {}),
                  plain_turned = finished(*subject, turned_plain, 0, {0, 0, 320, 240}, {});
    const cv::Point2d there = mapped(to_turned(turned.framing), 135, 100) - cv::Point2d(40, 30);
    const cv::Rect around(int(there.x) - 3, int(there.y) - 3, 7, 7);
    CHECK(differs(made_turned, plain_turned, around) > 100);
    const cv::Point2d untouched = mapped(to_turned(turned.framing), 160, 180) - cv::Point2d(40, 30);
    CHECK(differs(made_turned, plain_turned, {int(untouched.x) - 3, int(untouched.y) - 3, 7, 7}) <= 1);
    // What a part shows is what the whole shows.
    const cv::Rect part(70, 40, 90, 60);
    CHECK(greatest(finished(*subject, painted, 0, part, {}).pixels, made.pixels(part)) == 0);
}

TEST_CASE("corners that are continued have no hole, go on from the border and come to rest", "[finish]") {
    // A backdrop that brightens to the right, with a dark thing in the middle.
    const Picture picture = test::picture_from({300, 200}, [](int x, int y) {
        return std::hypot(x - 150.0, y - 100.0) < 40 ? 0.1
                                                     : 0.4 + 0.001 * x + (((x + y) % 7 == 0) ? 0.02 : 0);
    });
    const auto subject = finish_subject(picture, {}, 1, {});
    Finish finish;
    finish.framing.turn_deg = 12, finish.framing.turned_about = {150, 100};
    finish.framing.corners = EmptyCorners::continued;
    Finish holes = finish;
    holes.framing.corners = EmptyCorners::transparent;
    const PixelRect all = turned_area(finish.framing, subject->area);
    const Picture made = finished(*subject, finish, 0, all, {}),
                  empty = finished(*subject, holes, 0, all, {});
    CHECK(made.alpha.empty());
    REQUIRE_FALSE(empty.alpha.empty());
    double darkest = 1, brightest = 0, roughest = 0;
    for (int y = 1; y + 1 < made.height(); ++y)
        for (int x = 1; x + 1 < made.width(); ++x) {
            const double own = made.pixels.at<cv::Vec3w>(y, x)[1] / 65535.0;
            const auto alpha = empty.alpha.at<std::uint16_t>(y, x);
            if (alpha == 65535) REQUIRE(made.pixels.at<cv::Vec3w>(y, x) == empty.pixels.at<cv::Vec3w>(y, x));
            if (alpha > 0) continue;
            darkest = std::min(darkest, own), brightest = std::max(brightest, own);
            // Well outside nothing of the grain is left.
            const cv::Rect around = cv::Rect(x - 14, y - 14, 29, 29) & cv::Rect({}, made.pixels.size());
            if (cv::countNonZero(empty.alpha(around)) == 0)
                roughest =
                    std::max(roughest, std::abs(own - made.pixels.at<cv::Vec3w>(y, x + 1)[1] / 65535.0));
        }
    CHECK(darkest > 0.35);
    CHECK(brightest < 0.75);
    CHECK(roughest < 0.006);
    const cv::Rect part(0, 0, 60, 50);
    CHECK(greatest(finished(*subject, finish, 0, part + all.tl(), {}).pixels, made.pixels(part)) == 0);
    // The crop may hold them.
    finish.framing.crop = all;
    CHECK(finished(*subject, finish, {}).pixels.size() == all.size());
}

TEST_CASE("a look takes fringes and noise along, but not where one picture was sharpened", "[finish]") {
    Finish look;
    look.fringes.at_edges = 0.4;
    look.detail = {.sharpening = 0.5, .painted = {{{{5, 5}}, 10, 0.5, false}}, .noise = 0.02};
    Finish own;
    own.detail.painted = {{{{50, 60}, {70, 80}}, 30, 0.2, true}};
    const Finish made = with_look(own, look);
    CHECK(made.fringes == look.fringes);
    CHECK(made.detail.noise == 0.02);
    CHECK(made.detail.sharpening == 0.5);
    CHECK(made.detail.painted == own.detail.painted);
    // As text and back.
    Finish all = made;
    all.lens = {"brass plate lens", "heath", "camera", 105, 8, 0.4, true, false, false};
    CHECK(with_look({}, all).lens == Lens{});
    all.framing.turn_deg = 3, all.framing.corners = EmptyCorners::continued;
    all.fringes.red = {0.001, -0.002};
    CHECK(finish_of(json_of(all)) == all);
    all.detail.painted = {{{{5, 5}}, 0.1, 0.5, false}};
    CHECK_THROWS_AS(check(all), BadParameter);
}

TEST_CASE("a turned cutout has no rim of the colour that nobody sees", "[finish]") {
    // A red square; around it transparent black, as programs for layered pictures leave it.
    const cv::Size size(160, 120);
    Picture cutout{cv::Mat(size, CV_16UC3, cv::Scalar::all(0)), cv::Mat(size, CV_16UC1, cv::Scalar(0)), {}};
    const cv::Rect square(50, 30, 60, 60);
    cutout.pixels(square) = cv::Scalar(52000, 9000, 8000);
    cutout.alpha(square) = 65535;
    cutout.alpha(cv::Rect(50, 30, 60, 1)) = 20000;  // a soft edge
    const auto subject = finish_subject(cutout, {}, 1, {});
    Finish finish;
    CHECK(cv::countNonZero(finished(*subject, finish, {}).alpha != cutout.alpha) == 0);
    finish.framing = with_turn({}, {{}, size}, 23);
    finish.framing.corners = EmptyCorners::transparent;
    const Picture turned = finished(*subject, finish, {});
    int seen = 0, rim = 0;
    for (int y = 0; y < turned.height(); ++y)
        for (int x = 0; x < turned.width(); ++x) {
            const int alpha = turned.alpha.at<std::uint16_t>(y, x);
            if (alpha == 0) continue;
            ++seen;
            rim += alpha < 65535;
            const cv::Vec3w own = turned.pixels.at<cv::Vec3w>(y, x);
            REQUIRE(std::abs(own[0] - 52000) < 40);
            REQUIRE(std::abs(own[1] - 9000) < 40);
        }
    CHECK(seen == Approx(3600).margin(300));
    CHECK(rim > 200);
}
