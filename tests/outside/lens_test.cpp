// SPDX-License-Identifier: GPL-3.0-or-later
// Alignment, depth and merges of a real photograph with measured depth, shot with a simulated lens, against
// textbook methods by OpenCV on frames aligned by OpenCV.
#include <algorithm>
#include <catch2/catch.hpp>
#include <opencv2/imgproc.hpp>
#include <optional>
#include <sstream>

#include "core/align/common_area.h"
#include "core/align/measure_series.h"
#include "core/merge/accumulated.h"
#include "core/merge/merge.h"
#include "tests/outside/outside_data.h"
#include "tests/support/lens.h"
#include "tests/support/measures.h"
#include "tests/support/textbook.h"

using namespace moorhaze;

namespace {

/// opencv-doc: aloeL.jpg with its disparity aloeGT.png (0 = unknown). Source of the pair: Scharstein & Pal,
/// "Learning Conditional Random Fields for Stereo", CVPR 2007 (Middlebury 2006 data sets).
std::optional<test::LensScene> aloe(double shrink) {
    const auto folder = test::outside_folder() / "opencv-doc";
    if (!std::filesystem::exists(folder / "aloeL.jpg")) {
        WARN("opencv-doc was not fetched: run tools/outside-data");
        return {};
    }
    const Picture photo = read_picture(folder / "aloeL.jpg");
    test::LensScene scene;
    scene.light = to_linear(photo, ToneCurve(photo.profile));
    const Picture measured = read_picture(folder / "aloeGT.png");
    cv::Mat1f disparity, known;
    cv::Mat channel;
    cv::extractChannel(measured.pixels, channel, 0);
    channel.convertTo(disparity, CV_32F);
    known = cv::Mat1f(disparity.size(), 0.0f);
    known.setTo(1, disparity > 0);
    // What is unknown lies behind an edge: as far as what is around it.
    cv::Mat1f filled = fill_from_around(disparity, known, Job{});
    disparity.copyTo(filled, known > 0);
    cv::medianBlur(filled, filled, 5);
    const cv::Size size(int(scene.light.cols * shrink), int(scene.light.rows * shrink));
    cv::resize(scene.light, scene.light, size, 0, 0, cv::INTER_AREA);
    cv::resize(filled, filled, size, 0, 0, cv::INTER_NEAREST);
    double low = 0, high = 0;
    cv::minMaxLoc(filled, &low, &high);
    scene.depth = (high - filled) / (high - low);
    return scene;
}

struct Shot {
    test::Scratch scratch;
    test::LensSeries truth;
    SeriesGeometry found;
    PixelRect area;
};

void shoot(Shot& shot, const test::LensScene& scene, unsigned seed) {
    test::LensSettings settings;
    settings.seed = seed;
    shot.truth = test::shoot_with_lens(shot.scratch, scene, settings);
    shot.found = register_series(shot.truth.series, shot.truth.reference, {});
    shot.area = common_area(shot.found, shot.truth.series.chosen(), shot.truth.series.size());
}

const Shot& aloe_series() {
    static Shot shot;
    if (shot.truth.series.count() > 0) return shot;
    if (const auto scene = aloe(0.6)) shoot(shot, *scene, 11);
    return shot;
}

/// Greatest distance between found and true position over corners and a 9×9 grid, per frame.
std::vector<double> errors_px(const Shot& shot) {
    const cv::Size size = shot.truth.series.size();
    std::vector<double> errors;
    for (std::size_t i = 0; i < shot.truth.matrices.size(); ++i) {
        double most = 0;
        for (int u = 0; u < 9; ++u)
            for (int v = 0; v < 9; ++v) {
                const cv::Vec3d place((size.width - 1) * u / 8.0, (size.height - 1) * v / 8.0, 1);
                const cv::Vec3d a = shot.truth.matrices[i] * place, b = shot.found.frames[i].matrix * place;
                most = std::max(most, std::hypot(a[0] / a[2] - b[0] / b[2], a[1] / a[2] - b[1] / b[2]));
            }
        errors.push_back(most);
    }
    return errors;
}

/// The mean distance over the places that a frame shows sharp, which are all that a merge takes from it.
double error_where_sharp_px(const Shot& shot, std::size_t frame) {
    const cv::Mat1f& depth = shot.truth.depth;
    const cv::Matx33d to_frame = shot.truth.matrices[frame].inv();
    double sum = 0;
    int count = 0;
    for (int y = 0; y < depth.rows; y += 4)
        for (int x = 0; x < depth.cols; x += 4) {
            if (std::abs(depth(y, x) - double(frame) - 1) > 1) continue;
            const cv::Vec3d found = shot.found.frames[frame].matrix * (to_frame * cv::Vec3d(x, y, 1));
            sum += std::hypot(found[0] / found[2] - x, found[1] / found[2] - y);
            ++count;
        }
    return count > 0 ? sum / count : 0;
}

cv::Mat1f luma_of_values(const cv::Mat3f& values) {
    cv::Mat1f luma;
    cv::transform(values, luma, cv::Matx13f(0.2126f, 0.7152f, 0.0722f));
    return luma;
}

}  // namespace

TEST_CASE("a photographed surface that slants away, shot hand-held, is aligned to a tenth of a pixel",
          "[outside][lens]") {
    auto scene = aloe(0.6);
    if (!scene) return;
    for (int y = 0; y < scene->depth.rows; ++y)
        scene->depth.row(y) = 1 - float(y) / float(scene->depth.rows - 1);
    Shot shot;
    shoot(shot, *scene, 12);
    std::vector<double> errors = errors_px(shot);
    for (const FrameGeometry& frame : shot.found.frames) CHECK(frame.registered);
    std::sort(errors.begin(), errors.end());
    WARN("alignment error median " << errors[errors.size() / 2] << ", worst " << errors.back() << " px");
    CHECK(errors[errors.size() / 2] < 0.10);
    CHECK(errors.back() < 0.35);
}

TEST_CASE("a photograph of leaves before each other, shot hand-held with a simulated lens, is aligned",
          "[outside][lens]") {
    const Shot& shot = aloe_series();
    if (shot.truth.series.count() == 0) return;
    std::vector<double> errors = errors_px(shot);
    std::ostringstream all;
    double worst_sharp = 0;
    for (std::size_t i = 0; i < errors.size(); ++i) {
        CHECK(shot.found.frames[i].registered);
        CHECK(shot.found.frames[i].gain() * shot.truth.gains[i] == Approx(1).margin(0.02));
        all << " " << errors[i];
        worst_sharp = std::max(worst_sharp, error_where_sharp_px(shot, i));
    }
    std::sort(errors.begin(), errors.end());
    WARN("alignment error median " << errors[errors.size() / 2] << ", worst " << errors.back()
                                   << " px; where frames are sharp at most " << worst_sharp
                                   << " px; frame by frame" << all.str());
    CHECK(errors[errors.size() / 2] < 0.10);
    // In the nearest frames the tip of one leaf alone is sharp; what is blurred behind its edges is of no
    // plane, so that the far corners, of which nothing is taken, are off by more.
    CHECK(errors.back() < 2);
    CHECK(worst_sharp < 0.7);
}

TEST_CASE("the woven merge of a photograph beats textbook methods, and knows the measured depth",
          "[outside][lens]") {
    const Shot& shot = aloe_series();
    if (shot.truth.series.count() == 0) return;
    Picture truth = shot.truth.sharp;
    truth.pixels = truth.pixels(shot.area);
    const cv::Mat1f sharp = test::luma_of(truth), depth = shot.truth.depth(shot.area);
    double best = 0;
    const test::TextbookFrames plain = test::textbook_frames(shot.truth.series, shot.truth.reference);
    for (const cv::Mat3f& values :
         {test::sharpness_weighted_mean(plain), test::largest_laplacian_choice(plain),
          test::largest_energy_pyramid(plain)})
        best = std::max(best, test::psnr_db(luma_of_values(values)(shot.area), sharp));
    AlignedFrames frames(shot.truth.series, shot.found, shot.truth.series.chosen(), shot.area);
    const MergeResult result = merge_method("woven").merge(frames, {}, {}, {});
    const double db = test::psnr_db(test::luma_of(result.picture), sharp);
    int within = 0, trusted = 0;
    cv::Mat1f low, high;
    cv::erode(depth, low, cv::Mat(), {-1, -1}, 6);
    cv::dilate(depth, high, cv::Mat(), {-1, -1}, 6);
    for (int y = 0; y < depth.rows; ++y)
        for (int x = 0; x < depth.cols; ++x)
            if (result.trust(y, x) >= MergeSettings{}.trust_floor && high(y, x) - low(y, x) < 1.5f) {
                ++trusted;
                within += std::abs(result.depth(y, x) - depth(y, x)) <= 1;
            }
    WARN("woven " << db << " dB, best textbook method " << best << " dB; depth of "
                  << 100.0 * within / trusted << " % of trusted places ("
                  << 100.0 * trusted / double(depth.total()) << " % of all) within a frame");
    CHECK(db > best + 3);
    CHECK(trusted > int(depth.total()) / 3);
    CHECK(within > 0.95 * trusted);
}
