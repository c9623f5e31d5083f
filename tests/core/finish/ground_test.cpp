// SPDX-License-Identifier: GPL-3.0-or-later
// The ground of product pictures against a planted subject: its true outline is known.
#include <catch2/catch.hpp>
#include <cmath>

#include "core/files/picture_file.h"
#include "core/finish/finished.h"
#include "core/finish/hand_over.h"
#include "core/work/errors.h"
#include "tests/support/scratch.h"

using namespace moorhaze;

namespace {

struct Product {
    Picture picture;
    cv::Mat1f subject;   // true share of the subject, 0..1
    cv::Mat3f on_white;  // linear light of the same before pure white
};

/// How far a place lies within the subject, px.
using Within = double (*)(double x, double y);
double in_knob(double x, double y) {
    return 130 - std::hypot(x - 360, y - 260);
}
/// Close above the picture's lower end: between lies a narrow strip of ground.
double in_plate(double x, double y) {
    return std::min(std::min(x - 60, 660 - x), std::min(y - 380, 528 - y));
}

/// A glazed thing in front of paper whose light falls off: sharp edge of a pixel or a blurred one, grain, a
/// soft shadow below.
/// @param scale  of the picture, 720x540 at 1; edges stay so many of its pixels wide.
/// @param contact  how much of the light a shadow takes that touches it from below; 0: there is none.
Product product(double edge_px, double grain, bool with_shadow, const cv::Vec3d& glaze = {0.12, 0.2, 0.3},
                Within within = in_knob, int scale = 1, double contact = 0) {
    const cv::Size size(720 * scale, 540 * scale);
    Product made{{cv::Mat(size, CV_16UC3), {}, {}}, cv::Mat1f(size), cv::Mat3f(size)};
    cv::RNG random(17);
    cv::Mat3f light(size);
    for (int row = 0; row < size.height; ++row)
        for (int column = 0; column < size.width; ++column) {
            const double x = double(column) / scale, y = double(row) / scale;
            const double u = (x - 360) / 360.0, v = (y - 270) / 270.0;
            cv::Vec3d ground = cv::Vec3d(0.62, 0.6, 0.56) * (1 - 0.22 * u * u - 0.15 * v * v + 0.08 * u);
            if (with_shadow)
                ground *=
                    1 - 0.45 * std::exp(-(std::pow((x - 360) / 130.0, 2) + std::pow((y - 430) / 40.0, 2)));
            ground *=
                1 - contact * std::exp(-(std::pow((x - 360) / 140.0, 2) + std::pow((y - 385) / 45.0, 2)));
            const double from_edge = within(x, y) * scale;
            const double share = std::clamp(0.5 + from_edge / edge_px, 0.0, 1.0);
            const double shading = 0.55 + 0.45 * std::cos(std::hypot(x - 320.0, y - 220.0) / 90);
            cv::Vec3d own = glaze * (0.4 + shading);
            if (std::hypot(x - 315.0, y - 205.0) < 14) own = {0.9, 0.9, 0.92};  // its highlight
            made.subject(row, column) = float(share);
            for (int c = 0; c < 3; ++c) {
                light(row, column)[c] =
                    float((share * own[c] + (1 - share) * ground[c]) * (1 + random.gaussian(grain)));
                made.on_white(row, column)[c] = float(share * own[c] + 1 - share);
            }
        }
    made.picture = from_linear(light, ToneCurve(ColourProfile{}), {});
    return made;
}

struct Judged {
    double white = 0, changed = 0;  // shares: of ground at 255, of subject changed by more than 2/255
    double edge_off = 0;            // mean difference from the same before white where both are mixed, of 255
};

Judged judged(const Product& product, const Ground& ground) {
    auto subject = finish_subject(product.picture, {}, 1, {});
    Finish finish;
    finish.ground = ground;
    subject = with_ground(subject, finish.ground, {});
    const Picture made = with_bits(finished(*subject, finish, {}), 8), before = with_bits(product.picture, 8);
    const Picture ideal = with_bits(from_linear(product.on_white, ToneCurve(ColourProfile{}), {}), 8);
    double grounds = 0, whites = 0, subjects = 0, changes = 0, mixed = 0, off = 0;
    for (int y = 0; y < made.height(); ++y)
        for (int x = 0; x < made.width(); ++x) {
            const cv::Vec3b own = made.pixels.at<cv::Vec3b>(y, x), old = before.pixels.at<cv::Vec3b>(y, x);
            if (product.subject(y, x) == 0) {
                ++grounds;
                whites += own == cv::Vec3b(255, 255, 255);
            } else if (product.subject(y, x) == 1) {
                ++subjects;
                changes += std::abs(own[0] - old[0]) > 2 || std::abs(own[1] - old[1]) > 2 ||
                           std::abs(own[2] - old[2]) > 2;
            } else {
                ++mixed;
                off += std::abs(own[1] - ideal.pixels.at<cv::Vec3b>(y, x)[1]);
            }
        }
    return {whites / grounds, changes / subjects, off / std::max(1.0, mixed)};
}

const Ground kPicked{.picked = cv::Point2d(80, 80)};

}  // namespace

TEST_CASE("ground becomes pure white and the subject stays, sharp edge or blurred", "[finish][ground]") {
    for (const double edge : {1.0, 3.0, 6.0})
        for (const double grain : {0.0, 0.02}) {
            const Judged own = judged(product(edge, grain, false), kPicked);
            INFO("edge " << edge << " px, grain " << grain << ": white " << own.white << ", changed "
                         << own.changed);
            CHECK(own.white >= 0.995);
            CHECK(own.changed <= 0.002);
        }
}

TEST_CASE("a narrow strip of ground between a blurred edge and the picture's end is white",
          "[finish][ground]") {
    for (const double edge : {8.0, 14.0}) {
        const Product plate = product(edge, 0.02, false, {0.05, 0.06, 0.07}, in_plate);
        const Judged own = judged(plate, kPicked);
        INFO("edge " << edge << " px: white " << own.white << ", changed " << own.changed);
        CHECK(own.white >= 0.995);
        CHECK(own.changed <= 0.002);
    }
}

TEST_CASE("in a large picture an edge that is blurred over many pixels passes evenly into white",
          "[finish][ground]") {
    constexpr int kScale = 4;
    for (const double edge : {3.0, 12.0, 24.0}) {
        const Judged own = judged(product(edge, 0.02, false, {0.12, 0.2, 0.3}, in_knob, kScale), kPicked);
        INFO("edge " << edge << " px: white " << own.white << ", changed " << own.changed << ", edge off by "
                     << own.edge_off);
        CHECK(own.white >= 0.995);
        CHECK(own.changed <= 0.002);
        CHECK(own.edge_off <= 12);
    }
}

TEST_CASE("a light subject keeps its edge on the light ground", "[finish][ground]") {
    const Judged own = judged(product(2, 0.01, false, {0.5, 0.42, 0.3}), kPicked);
    INFO("white " << own.white << ", changed " << own.changed);
    CHECK(own.white >= 0.995);
    CHECK(own.changed <= 0.002);
}

TEST_CASE("where a shadow touches the subject its edge keeps no dirty rim", "[finish][ground]") {
    for (const double edge : {1.0, 3.0}) {
        const Product own = product(edge, 0.01, false, {0.04, 0.05, 0.07}, in_knob, 1, 0.55);
        auto subject = finish_subject(own.picture, {}, 1, {});
        Finish finish;
        finish.ground = kPicked;
        finish.ground.keep_shadow = 0;
        subject = with_ground(subject, finish.ground, {});
        const Picture made = with_bits(finished(*subject, finish, {}), 8);
        const Picture ideal = with_bits(from_linear(own.on_white, ToneCurve(ColourProfile{}), {}), 8);
        double off = 0, whites = 0;
        int mixed = 0, grounds = 0;
        for (int y = 370; y < 440; ++y)
            for (int x = 280; x < 440; ++x) {
                const int green = made.pixels.at<cv::Vec3b>(y, x)[1];
                if (own.subject(y, x) == 0)
                    ++grounds, whites += green == 255;
                else if (own.subject(y, x) < 1)
                    ++mixed, off += std::abs(green - ideal.pixels.at<cv::Vec3b>(y, x)[1]);
            }
        INFO("edge " << edge << " px: " << off / mixed << " of 255 off in " << mixed << " px, white "
                     << whites / grounds);
        CHECK(off / mixed <= 14);
        CHECK(whites / grounds >= 0.99);
    }
}

TEST_CASE("a soft shadow stays as far as asked", "[finish][ground]") {
    const Product own = product(2, 0, true);
    auto level_at = [&](double keep, cv::Point at) {
        Ground ground = kPicked;
        ground.keep_shadow = keep;
        Finish finish;
        finish.ground = ground;
        const auto subject = with_ground(finish_subject(own.picture, {}, 1, {}), ground, {});
        return light_of_tone(finished(*subject, finish, {}).pixels.at<cv::Vec3w>(at.y, at.x)[1] / 65535.0);
    };
    const cv::Point deep(360, 430), outside(360, 60);
    CHECK(level_at(0, deep) == Approx(1).margin(0.002));
    CHECK(level_at(1, deep) < 0.75);
    CHECK(level_at(0.5, deep) > level_at(1, deep) + 0.1);
    CHECK(level_at(1, outside) == Approx(1).margin(0.001));
}

TEST_CASE("ground stays white whatever light and tones do", "[finish][ground]") {
    const Product own = product(2, 0.01, false);
    Finish finish;
    finish.ground = kPicked;
    finish.light = {.warmth_k = 4000, .exposure_ev = -1};
    finish.tones.white = 1;
    finish.vignette.corners_ev = -1;
    const auto subject = with_ground(finish_subject(own.picture, {}, 1, {}), finish.ground, {});
    const Picture made = with_bits(finished(*subject, finish, {}), 8);
    CHECK(made.pixels.at<cv::Vec3b>(20, 20) == cv::Vec3b(255, 255, 255));
    CHECK(made.pixels.at<cv::Vec3b>(520, 700) == cv::Vec3b(255, 255, 255));
}

TEST_CASE("ground can become black or any tone", "[finish][ground]") {
    const Product own = product(2, 0, false);
    Finish finish;
    finish.ground = kPicked;
    finish.ground.tone = 0;
    const auto subject = with_ground(finish_subject(own.picture, {}, 1, {}), finish.ground, {});
    CHECK(finished(*subject, finish, {}).pixels.at<cv::Vec3w>(20, 20) == cv::Vec3w(0, 0, 0));
    finish.ground.tone = 0.5;
    CHECK(finished(*subject, finish, {}).pixels.at<cv::Vec3w>(20, 20)[1] == Approx(32768).margin(20));
}

TEST_CASE("a ground outside of the picture, or black, is refused", "[finish][ground]") {
    const Product own = product(2, 0, false);
    const auto subject = finish_subject(own.picture, {}, 1, {});
    CHECK_THROWS_WITH(with_ground(subject, {.picked = cv::Point2d(-5, 2)}, {}), Catch::Contains("outside"));
    Finish finish;
    finish.ground = kPicked;
    CHECK_THROWS_AS(finished(*subject, finish, {}), BadParameter);  // it was not looked for
    const auto dark = finish_subject({cv::Mat(60, 80, CV_16UC3, cv::Scalar::all(0)), {}, {}}, {}, 1, {});
    CHECK_THROWS_WITH(with_ground(dark, {.picked = cv::Point2d(40, 30)}, {}), Catch::Contains("black"));
}

TEST_CASE("the ground becomes the very colour that is asked for, and the subject keeps its own", "[finish]") {
    const Product own = product(1, 0, false);
    Finish finish;
    finish.ground.picked = cv::Point2d(60, 60);
    finish.ground.keep_shadow = 0;
    finish.ground.colour = cv::Vec3d(0.2, 0.4, 0.6);
    const auto subject = with_ground(finish_subject(own.picture, {}, 1, {}), finish.ground, {});
    const Picture made = finished(*subject, finish, {});
    for (const cv::Point at : {cv::Point(30, 30), cv::Point(690, 40), cv::Point(80, 500)})
        for (int c = 0; c < 3; ++c)
            CHECK(made.pixels.at<cv::Vec3w>(at)[c] / 65535.0 ==
                  Approx((*finish.ground.colour)[c]).margin(0.5 / 255));
    CHECK(made.pixels.at<cv::Vec3w>(250, 360) == own.picture.pixels.at<cv::Vec3w>(250, 360));
    finish.ground.colour = cv::Vec3d(0.2, 1.4, 0.6);
    CHECK_THROWS_AS(check(finish), BadParameter);
}

TEST_CASE("in a JPEG the ground is white up to the blocks that hold some of the subject",
          "[finish][ground]") {
    const Product own = product(2, 0.004, false);
    Finish finish;
    finish.ground = kPicked;
    const auto subject = with_ground(finish_subject(own.picture, {}, 1, {}), finish.ground, {});
    const Picture made = finished(*subject, finish, {});
    const test::Scratch scratch;
    for (const int quality : {60, 85, 92}) {
        INFO(quality);
        Output output;
        output.format = FileFormat::jpeg;
        output.bits = 8;
        output.quality = quality;
        const auto file = scratch / ("q" + std::to_string(quality) + ".jpg");
        REQUIRE(write_output(file, {made}, output, {}, false, {}).empty());
        const Picture read = read_picture(file);
        // Blocks of 16 px: of colour, where it is halved (ITU-T T.81, JFIF). Readers smooth halved colours
        // over a pixel of the next block.
        constexpr int kBlock = 16;
        int blocks = 0;
        for (int y = 0; y + kBlock <= made.height(); y += kBlock)
            for (int x = 0; x + kBlock <= made.width(); x += kBlock) {
                const cv::Rect block(x, y, kBlock, kBlock);
                if (cv::norm(made.pixels(block), cv::Mat(block.size(), CV_16UC3, cv::Scalar::all(65535)),
                             cv::NORM_INF) > 0)
                    continue;
                ++blocks;
                const cv::Rect inner(x + 1, y + 1, kBlock - 2, kBlock - 2);
                REQUIRE(cv::norm(read.pixels(inner), cv::Mat(inner.size(), CV_8UC3, cv::Scalar::all(255)),
                                 cv::NORM_INF) == 0);
            }
        CHECK(blocks > 700);
    }
}
