// SPDX-License-Identifier: GPL-3.0-or-later
// Lens corrections against the formulas that Debian's lens database is written in, as the manual of lensfun
// gives them: distortion by a polynomial of the fourth degree in the radius, falloff by an even one of the
// sixth. The lens is whichever the database holds with both.
#include <lensfun.h>

#include <catch2/catch.hpp>
#include <cmath>

#include "core/finish/finished.h"
#include "core/finish/framing.h"
#include "core/finish/lens.h"
#include "core/work/errors.h"

using namespace moorhaze;

namespace {

const cv::Size kFrame(900, 600);  // of the shape that most lenses are measured in, 3:2

/// A lens of the database that both are known of, at a setting that was measured.
struct Measured {
    ShootingData shooting;
    double a = 0, b = 0, c = 0;     ///< distortion
    double k1 = 0, k2 = 0, k3 = 0;  ///< falloff
};

std::optional<Measured> measured() {
    lfDatabase database;
    if (database.Load() != LF_NO_ERROR) return std::nullopt;
    for (const lfLens* const* lens = database.GetLenses(); lens && *lens; ++lens) {
        const lfLens& own = **lens;
        if (!own.CalibDistortion || !own.CalibVignetting || std::abs(own.AspectRatio - 1.5f) > 0.01f)
            continue;
        for (lfLensCalibDistortion** bend = own.CalibDistortion; *bend; ++bend)
            for (lfLensCalibVignetting** fall = own.CalibVignetting; *fall; ++fall) {
                if ((*bend)->Model != LF_DIST_MODEL_PTLENS || (*fall)->Model != LF_VIGNETTING_MODEL_PA ||
                    (*bend)->Focal != (*fall)->Focal || (*fall)->Terms[0] > -0.3f ||
                    std::abs((*bend)->Terms[0] + (*bend)->Terms[1] + (*bend)->Terms[2]) < 0.03f)
                    continue;
                for (const lfCamera* const* camera = database.GetCameras(); *camera; ++camera) {
                    if (std::abs((*camera)->CropFactor - own.CropFactor) > 0.005f) continue;
                    Measured made;
                    made.shooting.camera_maker = lf_mlstr_get((*camera)->Maker);
                    made.shooting.camera_model = lf_mlstr_get((*camera)->Model);
                    made.shooting.lens = lf_mlstr_get(own.Model);
                    made.shooting.focal_length_mm = double((*bend)->Focal);
                    made.shooting.f_number = double((*fall)->Aperture);
                    made.shooting.focus_distance_m = double((*fall)->Distance);
                    made.a = double((*bend)->Terms[0]), made.b = double((*bend)->Terms[1]),
                    made.c = double((*bend)->Terms[2]);
                    made.k1 = double((*fall)->Terms[0]), made.k2 = double((*fall)->Terms[1]),
                    made.k3 = double((*fall)->Terms[2]);
                    // Only one that is found again by its name.
                    const auto known = lens_of(made.shooting);
                    if (known && known->name == made.shooting.lens) return made;
                }
            }
    }
    return std::nullopt;
}

template <class Value>
Picture grey(const Value& light) {
    cv::Mat3f own(kFrame);
    for (int y = 0; y < kFrame.height; ++y)
        for (int x = 0; x < kFrame.width; ++x)
            own(y, x) =
                cv::Vec3f::all(float(light(x - (kFrame.width - 1) / 2.0, y - (kFrame.height - 1) / 2.0)));
    return from_linear(own, ToneCurve(ColourProfile{}), {});
}

/// Where a bright line lies in each row, px.
std::vector<double> line_of(const Picture& picture) {
    std::vector<double> places;
    for (int y = 20; y < picture.height() - 20; ++y) {
        double sum = 0, weighted = 0;
        for (int x = 0; x < picture.width(); ++x) {
            const double own = std::max(0, int(picture.pixels.at<cv::Vec3w>(y, x)[1]) - 20000);
            sum += own, weighted += own * x;
        }
        if (sum > 0) places.push_back(weighted / sum);
    }
    return places;
}

double bow(const std::vector<double>& line) {
    const auto [least, most] = std::minmax_element(line.begin(), line.end());
    return *most - *least;
}

}  // namespace

TEST_CASE("a line that a measured lens bends is straightened, and its falloff evened", "[outside][finish]") {
    const auto own = measured();
    REQUIRE(own);
    INFO(own->shooting.lens << " at " << *own->shooting.focal_length_mm << " mm");
    const Lens lens = *lens_of(own->shooting);
    const ToneCurve curve{ColourProfile{}};
    const double half = kFrame.height / 2.0;
    // Where the lens shows what lies at a radius of the straight picture, by Newton the other way.
    const auto straight_radius = [&](double shown) {
        double r = shown;
        for (int i = 0; i < 30; ++i) {
            const double d = 1 - own->a - own->b - own->c;
            const double value = r * (own->a * r * r * r + own->b * r * r + own->c * r + d) - shown;
            const double slope = 4 * own->a * r * r * r + 3 * own->b * r * r + 2 * own->c * r + d;
            r -= value / slope;
        }
        return r;
    };
    const Picture bent = grey([&](double x, double y) {
        const double shown = std::hypot(x, y) / half;
        const double times = shown > 0 ? straight_radius(shown) / shown : 1;
        const double off = (x * times - 0.85 * half * 1.4) / 2.5;
        return 0.05 + 0.7 * std::exp(-off * off);
    });
    Lens straightens = lens;
    straightens.evens_light = false;
    const Picture straight = corrected_for_lens(bent, curve, straightens, {{}, kFrame}, kFrame, {});
    const double before = bow(line_of(bent)), after = bow(line_of(straight));
    CHECK(before > 1.5);
    CHECK(after < 0.15 * before);

    const Picture falling = grey([&](double x, double y) {
        const double square = (x * x + y * y) / (std::pow(kFrame.width / 2.0, 2) + std::pow(half, 2));
        return 0.5 * (1 + square * (own->k1 + square * (own->k2 + square * own->k3)));
    });
    Lens evens = lens;
    evens.straightens = false;
    const Picture even = corrected_for_lens(falling, curve, evens, {{}, kFrame}, kFrame, {});
    const auto light = [&](const Picture& picture, int x, int y) {
        return double(to_linear(picture, curve)(y, x)[1]);
    };
    CHECK(light(falling, 8, 8) < 0.75 * light(falling, 450, 300));
    for (const cv::Point at :
         {cv::Point(8, 8), cv::Point(890, 300), cv::Point(200, 590), cv::Point(450, 300)})
        CHECK(light(even, at.x, at.y) == Approx(0.5).epsilon(0.01));

    // A merge that holds a part of the frame is corrected as that part of it.
    const PixelRect kept(60, 40, 700, 500);
    const Picture part =
        corrected_for_lens({bent.pixels(kept).clone(), {}, {}}, curve, straightens, kept, kFrame, {});
    const cv::Rect inside(40, 40, 600, 400);
    CHECK(cv::norm(part.pixels(inside), straight.pixels(kept)(inside), cv::NORM_INF) < 200);

    // Through the finish: seen once it was prepared, and gone when it is switched off.
    const auto subject = finish_subject(bent, {}, 2, {});
    Finish finish;
    finish.lens = straightens;
    CHECK_THROWS_AS(finished(*subject, finish, {}), BadParameter);
    const auto corrected = prepared(subject, finish, kFrame, {});
    CHECK(cv::norm(finished(*corrected, finish, {}).pixels, straight.pixels, cv::NORM_INF) == 0);
    CHECK(prepared(corrected, finish, kFrame, {}) == corrected);
    CHECK(prepared(corrected, {}, kFrame, {}) == subject);
}

TEST_CASE("a lens that nobody knows is none, and asked for by name it is said", "[outside][finish]") {
    ShootingData shooting;
    CHECK_FALSE(lens_of(shooting));
    shooting.lens = "Heathland brass plate lens 3000";
    shooting.focal_length_mm = 3000;
    CHECK_FALSE(lens_of(shooting));
    Lens lens;
    lens.name = shooting.lens;
    lens.focal_mm = 3000, lens.f_number = 8, lens.focus_m = 1;
    const Picture picture = grey([](double, double) { return 0.3; });
    CHECK_THROWS_WITH(corrected_for_lens(picture, ToneCurve(ColourProfile{}), lens, {{}, kFrame}, kFrame, {}),
                      Catch::Contains("knows no Heathland"));
    lens.is_off = true;
    CHECK(
        corrected_for_lens(picture, ToneCurve(ColourProfile{}), lens, {{}, kFrame}, kFrame, {}).pixels.data ==
        picture.pixels.data);
}

TEST_CASE("a lens's correction and a turn are one resampling: fine detail keeps more of its contrast",
          "[outside][finish]") {
    const auto own = measured();
    REQUIRE(own);
    const Lens lens = *lens_of(own->shooting);
    // Waves of 3.1 px across, as fine as pictures have.
    const Picture fine = grey([](double x, double) { return 0.2 + 0.1 * std::sin(x * 2 * CV_PI / 3.1); });
    Finish finish;
    finish.lens = lens;
    finish.framing = with_turn({}, {{}, kFrame}, 3);
    const PixelRect middle(250, 150, 400, 300);
    const auto light_of = [&](const FinishSubject& subject, const Finish& how) {
        return to_linear(finished(subject, how, 0, middle, {}), subject.curve);
    };
    const auto contrast = [](const cv::Mat3f& light) {
        cv::Scalar mean, deviation;
        cv::meanStdDev(light, mean, deviation);
        return deviation[1];
    };
    const cv::Mat3f once = light_of(*prepared(finish_subject(fine, {}, 1, {}), finish, kFrame, {}), finish);
    const ToneCurve curve{ColourProfile{}};
    Finish turn_alone;
    turn_alone.framing = finish.framing;
    const cv::Mat3f twice =
        light_of(*finish_subject(corrected_for_lens(fine, curve, lens, {{}, kFrame}, kFrame, {}), {}, 1, {}),
                 turn_alone);
    CHECK(contrast(once) > 1.02 * contrast(twice));
    // And what is coarse lies where it lay.
    const Picture coarse =
        grey([](double x, double y) { return 0.3 + 0.2 * std::sin(x / 20) * std::cos(y / 23); });
    const cv::Mat3f one = light_of(*prepared(finish_subject(coarse, {}, 1, {}), finish, kFrame, {}), finish);
    const cv::Mat3f other = light_of(
        *finish_subject(corrected_for_lens(coarse, curve, lens, {{}, kFrame}, kFrame, {}), {}, 1, {}),
        turn_alone);
    CHECK(cv::norm(one, other, cv::NORM_INF) < 0.002);
}
