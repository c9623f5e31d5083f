// SPDX-License-Identifier: GPL-3.0-or-later
// Optics against published formulas, tables and rules of thumb.
#include <catch2/catch.hpp>
#include <cmath>

#include "core/optics/shoot_plan.h"

using namespace moorhaze;

// Close-up form, with the pupil factor: 2 N c (1 + m/P) / (m^2 (1 - (N c / (f m))^2)).
// Conrad, "Depth of Field in Depth", 2006, eq. for the close-up range; Ray, "Applied Photographic Optics",
// 3rd ed. (from memory).
TEST_CASE("total depth of field follows the published close-up form", "[outside][optics]") {
    for (const double m : {0.1, 0.5, 1.0, 3.0, 5.0})
        for (const double pupil : {0.7, 1.0, 1.5})
            for (const double stop : {2.8, 8.0, 16.0}) {
                const double c = 0.02, f = 65;
                const double k = stop * c / (f * m);
                const double published = 2 * stop * c * (1 + m / pupil) / (m * m * (1 - k * k));
                CHECK(sharp_zone({f, stop, m, pupil}, c).total_mm() == Approx(published).epsilon(1e-9));
            }
}

// The table every close-up handbook prints for c = 1/30 mm: total depth in mm, 2 c N (1 + m) / m^2, rounded.
// Lefkowitz, "The Manual of Close-Up Photography", 1979, depth table (values from memory).
TEST_CASE("depth of field agrees with the handbook table for close distances", "[outside][optics]") {
    struct Row {
        double magnification, f_number, total_mm;
    };
    for (const Row& row : {Row{0.5, 8, 3.2},
                           {0.5, 16, 6.4},
                           {1, 8, 1.07},
                           {1, 16, 2.13},
                           {2, 8, 0.4},
                           {2, 16, 0.8},
                           {5, 8, 0.128}}) {
        INFO(row.magnification << " f/" << row.f_number);
        // 2 %: the tables round, and leave out the focal length.
        CHECK(sharp_zone({100, row.f_number, row.magnification, 1}, 1.0 / 30).total_mm() ==
              Approx(row.total_mm).epsilon(0.02));
    }
}

// Hyperfocal distances for 35 mm film, c = 0.03 mm, as printed in lens tables (common practice; from memory).
TEST_CASE("hyperfocal distances agree with the usual table", "[outside][optics]") {
    CHECK(hyperfocal_mm({50, 8, 1, 1}, 0.03) / 1000 == Approx(10.5).margin(0.05));
    CHECK(hyperfocal_mm({35, 8, 1, 1}, 0.03) / 1000 == Approx(5.14).margin(0.01));
    CHECK(hyperfocal_mm({28, 11, 1, 1}, 0.03) / 1000 == Approx(2.40).margin(0.01));
    // Focused there, half of it is the near limit (Ray, section on hyperfocal distance); from the lens.
    const double h = hyperfocal_mm({50, 8, 1, 1}, 0.03);
    CHECK(sharp_zone({50, 8, magnification_at(50, h), 1}, 0.03).near_mm == Approx(h / 2).epsilon(0.01));
}

// At distances the usual pair (Ray; Conrad): near = u (H - f) / (H + u - 2 f), far = u (H - f) / (H - u).
TEST_CASE("near and far limits at distances follow the published pair", "[outside][optics]") {
    for (const double u : {500.0, 1000.0, 3000.0, 8000.0}) {
        const LensSetup lens{50, 8, magnification_at(50, u), 1};
        const double h = hyperfocal_mm(lens, 0.03);
        const SharpZone zone = sharp_zone(lens, 0.03);
        CHECK(zone.near_mm == Approx(u * (h - 50) / (h + u - 100)).epsilon(1e-9));
        CHECK(zone.far_mm == Approx(u * (h - 50) / (h - u)).epsilon(1e-9));
    }
}

// Bellows factor squared is the exposure factor: two stops at life size (Ray; common practice).
TEST_CASE("the effective f-number at life size is two stops darker", "[outside][optics]") {
    CHECK(2 * std::log2(effective_f_number({100, 8, 1, 1}) / 8) == Approx(2));
    CHECK(effective_f_number({100, 8, 1, 0.5}) == Approx(24));
    CHECK(sensor_to_subject_mm(100, 1) == Approx(400));
}

// Rayleigh: the first dark ring of the Airy pattern at 1.22 lambda N (Hecht, "Optics"; Born & Wolf). At
// 546 nm and f/8 the disc is 10.7 um wide.
TEST_CASE("the Airy disc has its textbook width", "[outside][optics]") {
    CHECK(airy_disc_mm(8, 546.1e-6) * 1000 == Approx(10.66).margin(0.01));
    CHECK(airy_disc_mm(16) * 1000 == Approx(2 * 1.22 * 0.55 * 16).epsilon(0.001));
    CHECK(f_number_of_airy_disc({100, 8, 1, 1}, airy_disc_mm(16)) == Approx(8));
}

// Goodman, "Introduction to Fourier Optics", incoherent transfer function of a round pupil: 1 at 0, 0.391 at
// half the cutoff, 0 at the cutoff 1 / (lambda N).
TEST_CASE("diffraction contrast follows the round pupil's transfer function", "[outside][optics]") {
    const double cutoff = 1 / (550e-6 * 8);
    CHECK(diffraction_contrast(0, 8) == Approx(1));
    CHECK(diffraction_contrast(cutoff / 2, 8) == Approx(0.391).margin(0.001));
    CHECK(diffraction_contrast(cutoff, 8) == Approx(0).margin(1e-9));
}

// Hansma 1996: best f-number sqrt(375 dv), dv the focus spread in mm (from memory): 19 for 1 mm, 27 for 2 mm,
// 39 for 4 mm. His table is for far subjects, so it gives the effective number.
TEST_CASE("the best single exposure agrees with Hansma's rule", "[outside][optics]") {
    for (const double spread : {1.0, 2.0, 4.0}) {
        // A thing whose image is spread this far behind the lens, at a tenth of life size.
        const double f = 150, m = 0.1, nearest = f * (1 / m + 1);
        const double far_image = f * (1 + m) - spread;
        const double depth = 1 / (1 / f - 1 / far_image) - nearest;
        const LensSetup lens{f, 8, m, 1};
        CHECK(best_single_shot(lens, depth).f_number * (1 + m) ==
              Approx(std::sqrt(375 * spread)).epsilon(0.01));
    }
}

TEST_CASE("plans agree with the trade's rules of thumb", "[outside][optics]") {
    // Common practice: f/8 at half life size: of the order of 1 mm (here by two pixels of 24 megapixels).
    ShootSetup setup;
    CHECK(plan_shoot(setup).zone.total_mm() == Approx(1).margin(0.35));
    // 40 mm deep: about 27 frames of which each steps 1 to 1.5 mm, at f/11 and the sensor's own criterion.
    setup.sharp_by = SharpBy::pixels;
    setup.f_number = 11;
    setup.subject_depth_mm = 40;
    setup.front_margin_mm = setup.behind_margin_mm = 0;
    setup.overlap = 0;
    CHECK(plan_shoot(setup).steps.frames.size() == Approx(27).margin(6));
    // f/10 to f/11 on a rail: 20 to 25 frames for 25 to 50 mm, steps of about a millimetre and more.
    setup.overlap = 0.1;
    setup.subject_depth_mm = 30;
    CHECK(plan_shoot(setup).steps.frames.size() == Approx(22.5).margin(4));
    // f/2.8 wants the narrowest step, f/11 is content with a medium one.
    const auto stops = trade_offs(setup);
    CHECK(stops[0].frames > 3 * stops[4].frames);
    // 1/250 s with a flash that syncs at 1/200 s leaves a dark band; 1/200 s does not.
    setup.shutter_s = 1.0 / 250;
    CHECK_FALSE(plan_shoot(setup).problems.empty());
    setup.shutter_s = 1.0 / 200;
    CHECK(plan_shoot(setup).problems.empty());
}
