// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/simulate.h"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "core/files/float_tiff.h"
#include "core/files/picture_file.h"
#include "rig/scenes.h"
#include "tests/support/measures.h"
#include "tests/support/scratch.h"

using namespace moorhaze;
using namespace moorhaze::rig;

namespace {

SimulateSettings tiny(const std::string& scene) {
    SimulateSettings settings;
    settings.scene = scene;
    settings.frames = 3;
    settings.width_px = 96;
    settings.height_px = 64;
    settings.rays = {4, 12, 0.03f};
    return settings;
}

/// A black wall with one bright hair before it, far from everything: what defocus does to it is known.
Scene one_hair(double distance_mm) {
    Scene scene;
    scene.name = "hair";
    scene.materials.push_back([](const SurfacePoint&, Vec3) { return Vec3{1, 1, 1}; });
    scene.hairs.push_back({{0, -60, float(distance_mm)}, {0, 60, float(distance_mm)}, 0.04f, 0, 0});
    scene.backdrop = [](const Ray&) { return Vec3{0, 0, 0}; };
    return scene;
}

Camera hair_camera() {
    Camera camera;
    camera.width_px = 201;
    camera.height_px = 21;
    camera.sensor_width_mm = 6;
    camera.focal_length_mm = 60;
    camera.f_number = 4;
    camera.focus_distance_mm = 180;
    return camera;
}

}  // namespace

TEST_CASE("a series with its truth is written, and written the same again", "[rig]") {
    const test::Scratch scratch;
    for (const SceneEntry& scene : scene_list()) {
        SimulateSettings settings = tiny(scene.name);
        settings.noise = 0.5;
        simulate(settings, scratch / (scene.name + "-1"), {});
        settings.true_pictures = false;  // of the second the frames alone are compared
        simulate(settings, scratch / (scene.name + "-2"), {});
        for (const char* file :
             {"frames/frame-001.jpg", "frames/frame-003.jpg", "truth/sharp.tif", "truth/truth.json"}) {
            INFO(scene.name << " " << file);
            CHECK(test::read_all(scratch / (scene.name + "-1/" + file)).size() > 100);
        }
        CHECK(cv::norm(read_picture(scratch / (scene.name + "-1/frames/frame-002.jpg")).pixels,
                       read_picture(scratch / (scene.name + "-2/frames/frame-002.jpg")).pixels,
                       cv::NORM_INF) == 0);
        const auto truth =
            nlohmann::json::parse(test::read_all(scratch / (scene.name + "-1/truth/truth.json")));
        CHECK(truth["reference"] == 2);
        CHECK(truth["frames"].size() == 3);
        CHECK(truth["frames"][1]["matrix"][0][0] == Approx(1));
        CHECK(read_plane(scratch / (scene.name + "-1/truth/depth.tif")).size() == cv::Size(96, 64));
        const ShootingData data = read_shooting_data(scratch / (scene.name + "-1/frames/frame-001.jpg"));
        CHECK(data.f_number);
        CHECK(data.focus_distance_m);
        CHECK(data.taken);
        settings.seed = 2;
        simulate(settings, scratch / (scene.name + "-3"), {});
        CHECK(test::read_all(scratch / (scene.name + "-3/truth/truth.json")) !=
              test::read_all(scratch / (scene.name + "-1/truth/truth.json")));
        CHECK_FALSE(std::filesystem::exists(scratch / (scene.name + "-3/truth/sharp.tif")));
    }
}

TEST_CASE("a folder that holds frames already is not mixed with new ones", "[rig]") {
    const test::Scratch scratch;
    simulate(tiny("brass-wheels"), scratch / "a", {});
    CHECK_THROWS_WITH(simulate(tiny("brass-wheels"), scratch / "a", {}),
                      Catch::Contains("holds files already"));
    CHECK_THROWS_AS(make_scene("no-such-scene", 1), BadParameter);
}

TEST_CASE("a stop request ends a simulation", "[rig]") {
    const test::Scratch scratch;
    std::stop_source stop;
    stop.request_stop();
    CHECK_THROWS_AS(simulate(tiny("lichen-cups"), scratch / "a", {stop.get_token(), {}}), Cancelled);
}

TEST_CASE("a thin hair in focus is whole: as bright as it is wide, without beads", "[rig]") {
    const PreparedScene scene(one_hair(180));
    const cv::Mat3f picture = render_photograph(scene, hair_camera(), {64, 256, 0.002f}, 1, {});
    // Width on the sensor: 0.08 mm at half life size, over a pixel of 6/201 mm.
    const double wide_px = 0.08 * 0.5 / (6.0 / 201);
    for (int y = 3; y < 18; ++y) {
        double light = 0;
        for (int x = 0; x < 201; ++x) light += picture(y, x)[1];
        CHECK(light == Approx(wide_px).epsilon(0.06));
    }
}

TEST_CASE("out of focus a hair spreads over the disc that the lens formula gives, and no light is lost",
          "[rig]") {
    const PreparedScene scene(one_hair(186));
    const cv::Mat3f picture = render_photograph(scene, hair_camera(), {128, 400, 0.001f}, 1, {});
    double total = 0, square = 0;
    for (int y = 3; y < 18; ++y)
        for (int x = 0; x < 201; ++x) {
            total += picture(y, x)[1];
            square += picture(y, x)[1] * (x - 100.0) * (x - 100.0);
        }
    // Blur disc of diameter aperture * |z - u| / z * v / u; across it a line's light has a quarter of the
    // radius squared.
    const double radius_px = 0.5 * (60.0 / 4) * 6 / 186 * 0.5 / (6.0 / 201);
    // The hair's own width and the pixel's filter add a little: together 2.09 px against the disc's 2.03 px.
    CHECK(std::sqrt(square / total) == Approx(radius_px / 2).epsilon(0.08));
    const double wide_px = 0.08 * (90.0 / 186) / (6.0 / 201);
    CHECK(total / 15 == Approx(wide_px).epsilon(0.06));
}

TEST_CASE("near blur covers what lies behind it", "[rig]") {
    // A bright wall far behind, a dark hair near the lens: the wall's light is thinned by the hair's part of
    // the lens.
    Scene scene = one_hair(120);
    scene.materials[0] = [](const SurfacePoint&, Vec3) { return Vec3{0, 0, 0}; };
    scene.hairs[0].radius = 0.5f;
    scene.backdrop = [](const Ray&) { return Vec3{0.5f, 0.5f, 0.5f}; };
    const cv::Mat3f picture =
        render_photograph(PreparedScene(scene), hair_camera(), {64, 256, 0.002f}, 3, {});
    // At the middle the hair hides 2 * 0.5 mm of a cone that is 15 * 60 / 180 = 5 mm wide there: 2/pi *
    // (asin(.2) + .2 * sqrt(1 - .04)).
    const double hidden = 2 / 3.14159265 * (std::asin(0.2) + 0.2 * std::sqrt(1 - 0.04));
    CHECK(picture(10, 100)[1] == Approx(0.5 * (1 - hidden)).epsilon(0.03));
}
