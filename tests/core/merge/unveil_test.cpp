// SPDX-License-Identifier: GPL-3.0-or-later
// What lies behind the blur of near things, against a planted scene: a near plate with a bright rim before a
// far textured ground, each frame rendered by the discs of a thin lens.
#include "core/merge/unveil.h"

#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>

#include "core/merge/blur_growth.h"
#include "core/merge/depth_layers.h"
#include "core/merge/highlights.h"
#include "core/merge/merge_within.h"
#include "core/work/for_rows.h"
#include "tests/support/measures.h"
#include "tests/support/scratch.h"
#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

constexpr int kVeiledFrames = 14, kNear = 1, kFar = 11;
constexpr float kGrowth = 1.2f;
const cv::Size kVeiledSize(360, 260);

/// A disc by its definition, sampled five times a side: not the merge's own.
cv::Mat spread_by_disc(const cv::Mat& from, float radius) {
    if (radius < 0.3f) return from;
    const int reach = int(std::ceil(radius)) + 1;
    cv::Mat1f kernel(2 * reach + 1, 2 * reach + 1, 0.0f);
    for (int y = -5 * reach - 2; y <= 5 * reach + 2; ++y)
        for (int x = -5 * reach - 2; x <= 5 * reach + 2; ++x)
            if (std::hypot(x / 5.0f, y / 5.0f) <= radius)
                kernel(int(std::lround(y / 5.0f)) + reach, int(std::lround(x / 5.0f)) + reach) += 1;
    cv::Mat made;
    cv::filter2D(from, made, -1, kernel / cv::sum(kernel)[0], {-1, -1}, 0, cv::BORDER_REFLECT_101);
    return made;
}

struct VeiledScene {
    cv::Mat3f truth, far, near;  // light; near with nothing where the plate is not
    cv::Mat1f plate;
    /// @param with_plate  otherwise only the ground.
    explicit VeiledScene(bool with_plate) : far(kVeiledSize), near(kVeiledSize), plate(kVeiledSize, 0.0f) {
        const test::Texture ground(3, 60, 4, 40), glaze(9, 60, 4, 30);
        for (int y = 0; y < kVeiledSize.height; ++y)
            for (int x = 0; x < kVeiledSize.width; ++x) {
                far(y, x) = cv::Vec3f::all(0.05f + 0.25f * float(ground.at(x, y)));
                const bool is_plate = with_plate && std::hypot(x - 60.0, y - 130.0) < 95;
                plate(y, x) = is_plate ? 1.0f : 0.0f;
                near(y, x) = is_plate ? cv::Vec3f::all(0.5f + 0.4f * float(glaze.at(x, y))) : cv::Vec3f();
            }
        truth = shot(kNear, kFar);
    }
    cv::Mat3f shot(double near_at, double far_at) const {
        const cv::Mat1f cover = spread_by_disc(plate, kGrowth * float(std::abs(near_at - kNear)));
        const cv::Mat3f light = spread_by_disc(near, kGrowth * float(std::abs(near_at - kNear))),
                        behind = spread_by_disc(far, kGrowth * float(std::abs(far_at - kFar)));
        cv::Mat3f made(kVeiledSize);
        for (int y = 0; y < kVeiledSize.height; ++y)
            for (int x = 0; x < kVeiledSize.width; ++x)
                made(y, x) = behind(y, x) * (1 - cover(y, x)) + light(y, x);
        return made;
    }
    std::vector<Picture> frames() const {
        std::vector<Picture> all;
        for (int k = 0; k < kVeiledFrames; ++k) all.push_back(from_linear(shot(k, k), ToneCurve({}), {}));
        return all;
    }
};

/// Of what lies up to so many pixels outside of the plate, dB.
double behind_db(const Picture& picture, const VeiledScene& scene) {
    const Picture truth = from_linear(scene.truth, ToneCurve({}), {});
    double sum = 0;
    int count = 0;
    for (int y = 20; y < kVeiledSize.height - 20; ++y)
        for (int x = 20; x < kVeiledSize.width - 20; ++x) {
            const double from = std::hypot(x - 60.0, y - 130.0) - 95;
            if (from < 3 || from > 14) continue;
            const double off =
                (picture.pixels.at<cv::Vec3w>(y, x)[1] - truth.pixels.at<cv::Vec3w>(y, x)[1]) / 65535.0;
            sum += off * off;
            ++count;
        }
    return -10 * std::log10(sum / count);
}

struct Merged {
    test::Scratch scratch;
    Series series;
    SeriesGeometry geometry;
    explicit Merged(const std::vector<Picture>& frames) {
        test::write_series(scratch, frames);
        series = open_series({scratch.folder()}, {}).series;
        geometry = unmoved(series, series.count() / 2);
    }
    MergeResult by(const std::string& method, bool unveil, std::size_t memory_bytes = 0) const {
        MergeSettings settings;
        settings.unveil = unveil;
        return merge_within(merge_method(method),
                            {series, geometry, series.chosen(), {{}, kVeiledSize}, settings, memory_bytes},
                            {}, {});
    }
};

}  // namespace

TEST_CASE("layers hold each place once, few of them however many frames", "[merge][unveil]") {
    cv::RNG random(5);
    // Two frames a layer, and more where that would be more than 24.
    for (const auto& [count, expected] : {std::pair(6, 3), {48, 24}, {49, 17}, {150, 22}}) {
        cv::Mat1f depth(100, 100);
        for (float& own : depth) own = random.uniform(0.0f, float(count - 1));
        const auto layers = layers_of_depth(depth, count);
        CHECK(int(layers.size()) == expected);
        cv::Mat1f all(depth.size(), 0.0f);
        for (const DepthLayer& own : layers) all += own.mask;
        CHECK(cv::norm(all, cv::Mat1f(depth.size(), 1.0f), cv::NORM_INF) == 0);
        for (std::size_t i = 1; i < layers.size(); ++i) CHECK(layers[i].depth > layers[i - 1].depth);
    }
    CHECK(depth_layer_bytes(150) <= kMostDepthLayers * 20);
}

TEST_CASE("a disc spreads a point evenly over its area and keeps its light", "[merge][unveil]") {
    for (const float radius : {2.0f, 4.0f, 6.0f, 20.0f}) {
        INFO("radius " << radius);
        cv::Mat1f point(161, 161, 0.0f);
        point(80, 80) = 1000;
        const cv::Mat1f disc = spread(point, radius);
        CHECK(cv::sum(disc)[0] == Approx(1000).epsilon(1e-3));
        // The area of a circle; in the middle it is even, beyond the rim there is nothing.
        CHECK(disc(80, 80) == Approx(1000 / (CV_PI * radius * radius)).epsilon(0.06));
        const float slack = radius > 6 ? 11 : 1.5f;  // at a quarter of the size its rim is wider
        for (int y = 0; y < disc.rows; ++y)
            for (int x = 0; x < disc.cols; ++x)
                if (std::hypot(x - 80, y - 80) > radius + slack && std::abs(disc(y, x)) > 1e-3f)
                    FAIL("light beyond the rim");
    }
}

TEST_CASE("the blur of a near thing is taken off what lies behind it", "[merge][unveil]") {
    const VeiledScene scene(true);
    const Merged merged(scene.frames());
    for (const char* method : {"woven", "depth"}) {
        const MergeResult plain = merged.by(method, false), own = merged.by(method, true);
        const double before = behind_db(plain.picture, scene), after = behind_db(own.picture, scene);
        INFO(method << ": " << before << " dB, unveiled " << after);
        CHECK(after > before + 2);
        CHECK(cv::countNonZero(own.made_by == uchar(MadeBy::unveiled)) > 500);
        // The plate itself, and what is far from it, stay as they were.
        const cv::Rect far(260, 20, 80, 220), plate(30, 100, 60, 60);
        for (const cv::Rect& there : {far, plate})
            CHECK(cv::norm(own.picture.pixels(there), plain.picture.pixels(there), cv::NORM_INF) == 0);
        CHECK(own.depth.size() == plain.depth.size());
    }
}

TEST_CASE("where nothing is veiled nothing changes, and a few frames tell nothing", "[merge][unveil]") {
    const VeiledScene ground(false);
    const Merged merged(ground.frames());
    CHECK(cv::norm(merged.by("woven", true).picture.pixels, merged.by("woven", false).picture.pixels,
                   cv::NORM_INF) == 0);
    const VeiledScene scene(true);
    auto few = scene.frames();
    few = {few[1], few[6], few[11]};
    const Merged three(few);
    CHECK(cv::norm(three.by("woven", true).picture.pixels, three.by("woven", false).picture.pixels,
                   cv::NORM_INF) == 0);
    // A method without depth does not know the switch.
    CHECK_FALSE(merge_method("blend").uses.unveil);
}

TEST_CASE("how fast blur grows is read off the frames, and not where they do not tell it",
          "[merge][unveil]") {
    constexpr int kPlaneFrames = 16, kAt = 7;
    const cv::Size size(240, 200);
    const test::Texture texture(4, 50, 3, 40);
    cv::Mat3f plane(size), even(size, cv::Vec3f::all(0.3f));
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x)
            plane(y, x) = cv::Vec3f::all(0.1f + 0.6f * float(texture.at(x, y)));
    const auto stack_of = [&](const cv::Mat3f& light, float growth) {
        FrameStack stack;
        cv::RNG noise(8);
        for (int k = 0; k < kPlaneFrames; ++k) {
            cv::Mat3f own = spread_by_disc(light, growth * float(std::abs(k - kAt))).clone();
            for (cv::Vec3f& pixel : own) pixel += cv::Vec3f::all(float(noise.gaussian(0.004)));
            cv::Mat roots;
            cv::sqrt(cv::max(own, 0), roots);
            roots.convertTo(roots, CV_16U, 65535);
            stack.frames.push_back(roots);
        }
        return stack;
    };
    const cv::Mat1f depth(size, float(kAt)), trusted(size, 1.0f);
    for (const float growth : {0.5f, 1.2f, 2.1f}) {
        INFO("growth " << growth);
        const FrameStack stack = stack_of(plane, growth);
        CHECK(growth_of_blur(plane, depth, trusted, stack, {}) == Approx(growth).epsilon(0.08));
        // Half of the places say something else: they are of another depth than they are taken for.
        cv::Mat1f partly = depth.clone();
        partly.colRange(0, 100) = 4.0f;
        CHECK(growth_of_blur(plane, partly, trusted, stack, {}) == Approx(growth).epsilon(0.12));
    }
    const FrameStack stack = stack_of(plane, 1.2f);
    CHECK(growth_of_blur(plane, depth, cv::Mat1f(size, 0.2f), stack, {}) == 0);    // not trusted
    CHECK(growth_of_blur(plane, cv::Mat1f(size, 0.0f), trusted, stack, {}) == 0);  // at an end
    CHECK(growth_of_blur(even, depth, trusted, stack_of(even, 1.2f), {}) == 0);    // no texture
    CHECK(growth_of_blur(plane, depth, trusted, stack_of(plane, 0), {}) == 0);     // no blur
}

TEST_CASE("without the memory for it a merge is not unveiled, and that is said", "[merge][unveil]") {
    const VeiledScene scene(true);
    const Merged merged(scene.frames());
    const MergeResult plain = merged.by("woven", false), own = merged.by("woven", true, 165'000'000),
                      enough = merged.by("woven", true, 400'000'000);
    CHECK(cv::norm(own.picture.pixels, plain.picture.pixels, cv::NORM_INF) <= 1);  // in strips perhaps
    CHECK_FALSE(own.settings.unveil);
    REQUIRE(own.problems.size() == 1);
    CHECK(own.problems[0].what.find("MB of memory") != std::string::npos);
    CHECK(enough.settings.unveil);
    CHECK(enough.problems.empty());
    CHECK(cv::norm(enough.picture.pixels, plain.picture.pixels, cv::NORM_INF) > 1000);
}

TEST_CASE("clipped highlights are not unveiled, and nothing comes out black", "[merge][unveil]") {
    const VeiledScene scene(true);
    const Merged merged(scene.frames());
    MergeResult plain = merged.by("woven", false);
    // As if a highlight lay on the right half of the rim.
    cv::Mat1s highlights((kVeiledSize.height + 1) / 2, (kVeiledSize.width + 1) / 2, kNoHighlight);
    const cv::Rect lamp(70, 40, 20, 40);  // at half size
    highlights(lamp).setTo(5);
    plain.statistics.highlights = highlights;
    AlignedFrames frames(merged.series, merged.geometry, merged.series.chosen(), {{}, kVeiledSize});
    const MergeResult own = unveiled(plain, frames, {}), whole = merged.by("woven", true);
    const cv::Rect inside(2 * lamp.x + 4, 2 * lamp.y + 4, 2 * lamp.width - 8, 2 * lamp.height - 8);
    CHECK(cv::countNonZero(whole.made_by(inside) == uchar(MadeBy::unveiled)) > 100);
    CHECK(cv::countNonZero(own.made_by(inside) == uchar(MadeBy::unveiled)) == 0);
    CHECK(cv::norm(own.picture.pixels(inside), plain.picture.pixels(inside), cv::NORM_INF) == 0);
    for (int y = 20; y < kVeiledSize.height - 20; ++y)
        for (int x = 20; x < kVeiledSize.width - 20; ++x)
            if (whole.made_by(y, x) == uchar(MadeBy::unveiled))
                REQUIRE(whole.picture.pixels.at<cv::Vec3w>(y, x)[1] > 2000);
}

TEST_CASE("a frame that cannot be read is told once, unveiled or not", "[merge][unveil]") {
    const VeiledScene scene(true);
    const Merged merged(scene.frames());
    std::filesystem::resize_file(merged.series.frames[3].path, 100);
    for (const bool unveil : {false, true}) {
        const MergeResult own = merged.by("woven", unveil);
        REQUIRE(own.problems.size() == 1);
        CHECK(own.problems[0].frame_index == 3);
    }
}

TEST_CASE("unveiled: the same pixels for any number of threads", "[merge][unveil]") {
    const VeiledScene scene(true);
    const Merged merged(scene.frames());
    const MergeResult all = merged.by("depth", true);
    const ThreadLimit alone(1);
    CHECK(cv::norm(merged.by("depth", true).picture.pixels, all.picture.pixels, cv::NORM_INF) == 0);
}

TEST_CASE("unveiling can be stopped", "[merge][unveil]") {
    const VeiledScene scene(true);
    const Merged merged(scene.frames());
    MergeResult result = merged.by("depth", false);
    AlignedFrames frames(merged.series, merged.geometry, merged.series.chosen(), {{}, kVeiledSize});
    std::stop_source stop;
    stop.request_stop();
    CHECK_THROWS_AS(unveiled(result, frames, {stop.get_token(), {}}), Cancelled);
}
