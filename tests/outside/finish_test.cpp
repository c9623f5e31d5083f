// SPDX-License-Identifier: GPL-3.0-or-later
// Finish and hand-over against what we did not write: the 24 patches of a colour chart (Debian's argyll-ref),
// scikit-image, Pillow, ExifTool and libjxl's own tools.
#include <catch2/catch.hpp>
#include <fstream>
#include <iomanip>
#include <nlohmann/json.hpp>
#include <numeric>
#include <sstream>

#include "core/files/float_tiff.h"
#include "core/files/raw.h"
#include "core/finish/finished.h"
#include "core/finish/framing.h"
#include "core/finish/hand_over.h"
#include "core/finish/white_balance.h"
#include "core/picture/converted.h"
#include "core/picture/resized.h"
#include "core/project/handed_picture.h"
#include "tests/outside/outside_data.h"
#include "tests/support/dng.h"
#include "tests/support/scratch.h"
#include "tests/support/series_files.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

constexpr int kPatches = 24, kPatchSide = 16;

/// L*a*b* (D50) of the chart's patches, from the published reference.
std::vector<cv::Vec3d> chart() {
    std::ifstream in(test::outside_folder() / "argyll-ref/ColorChecker.cie");
    std::vector<cv::Vec3d> patches;
    std::string line;
    bool is_data = false;
    while (std::getline(in, line)) {
        if (line == "END_DATA") break;
        std::istringstream words(line);
        std::string name;
        cv::Vec3d lab;
        if (is_data && words >> name >> lab[0] >> lab[1] >> lab[2]) patches.push_back(lab);
        is_data = is_data || line == "BEGIN_DATA";
    }
    return patches;
}

/// CIE 15:2004, 8.2.1, the other way.
cv::Vec3d xyz_of(const cv::Vec3d& lab) {
    const double y = (lab[0] + 16) / 116, x = y + lab[1] / 500, z = y - lab[2] / 200;
    auto cube = [](double root) {
        constexpr double kDelta = 6.0 / 29;
        return root > kDelta ? root * root * root : 3 * kDelta * kDelta * (root - 4.0 / 29);
    };
    return {kD50[0] * cube(x), kD50[1] * cube(y), kD50[2] * cube(z)};
}

/// The chart as a picture in a profile that holds all of it.
Picture chart_picture(const std::vector<cv::Vec3d>& patches) {
    const ColourProfile wide = working_profile();
    const ColourSpace space = colour_space_of(wide);
    cv::Mat3f light(kPatchSide, kPatchSide * int(patches.size()));
    for (int x = 0; x < light.cols; ++x)
        for (int y = 0; y < light.rows; ++y)
            light(y, x) = cv::Vec3f(space.from_xyz * xyz_of(patches[std::size_t(x / kPatchSide)]));
    return from_linear(light, ToneCurve(wide), wide);
}

cv::Vec3d lab_of_patch(const Picture& picture, int patch) {
    const cv::Mat own = picture.pixels(cv::Rect(patch * kPatchSide + 3, 3, kPatchSide - 6, kPatchSide - 6));
    const cv::Scalar mean = cv::mean(to_linear({own, {}, {}}, ToneCurve(picture.profile)));
    return lab_of(colour_space_of(picture.profile).to_xyz * cv::Vec3d(mean[0], mean[1], mean[2]));
}

nlohmann::json reference(const std::string& what, const std::string& input) {
    const test::Scratch scratch;
    test::write_all(scratch / "in.txt", input);
    const auto ran = test::run(std::string(test::kPython) + " " + MOORHAZE_OUTSIDE_DIR +
                               "/reference_colour.py " + what + " < " + (scratch / "in.txt").string());
    INFO(ran.text);
    REQUIRE(ran.code == 0);
    return nlohmann::json::parse(ran.text);
}

std::vector<double> differences(const std::vector<std::pair<cv::Vec3d, cv::Vec3d>>& pairs) {
    std::ostringstream input;
    input << std::setprecision(12);
    for (const auto& [one, other] : pairs)
        input << one[0] << ' ' << one[1] << ' ' << one[2] << ' ' << other[0] << ' ' << other[1] << ' '
              << other[2] << '\n';
    return reference("differ", input.str()).get<std::vector<double>>();
}

}  // namespace

TEST_CASE("the chart's colours survive finish, sRGB and a file", "[outside][finish]") {
    const auto patches = chart();
    REQUIRE(patches.size() == kPatches);
    const test::Scratch scratch;
    write_picture(scratch / "chart.tif", chart_picture(patches), {}, {}, {});
    const Picture opened = read_picture(scratch / "chart.tif");
    const Picture finished_chart = finished(*finish_subject(opened, {}, 1, {}), {}, {});
    for (const auto& [name, format, bits] : {std::tuple("out.tif", FileFormat::tiff, 16),
                                             {"out8.png", FileFormat::png, 8},
                                             {"out.jpg", FileFormat::jpeg, 8}}) {
        Output output;
        output.format = format, output.bits = bits, output.profile = ProfileWish::srgb;
        REQUIRE(write_output(scratch / name, finished_chart, output, {}, false, {}).empty());
        const Picture back = read_picture(scratch / name);
        std::vector<std::pair<cv::Vec3d, cv::Vec3d>> pairs;
        for (int i = 0; i < kPatches; ++i) pairs.emplace_back(patches[std::size_t(i)], lab_of_patch(back, i));
        const auto off = differences(pairs);
        const double mean = std::accumulate(off.begin(), off.end(), 0.0) / kPatches;
        INFO(name << ": mean " << mean << ", worst " << *std::max_element(off.begin(), off.end()));
        CHECK(mean < 0.5);
        // One patch, the cyan one, lies outside of sRGB: relative colorimetric brings it to its edge.
        CHECK(std::count_if(off.begin(), off.end(), [](double own) { return own > 1.0; }) <= 1);
        CHECK(*std::max_element(off.begin(), off.end()) < 3);
        const auto own = std::size_t(std::max_element(off.begin(), off.end()) - off.begin());
        if (off[own] > 1) CHECK(own == 17);  // C06
    }
}

TEST_CASE("a white balance picked on one grey patch brings the other greys back", "[outside][finish]") {
    const auto patches = chart();
    REQUIRE(patches.size() == kPatches);
    Picture chart_of_light = chart_picture(patches);
    // The chart as a lamp of 3600 K with a green cast would show it: von Kries by Bradford's cones.
    const ColourSpace space = colour_space_of(chart_of_light.profile);
    const cv::Matx33d cast = white_balance({.warmth_k = 3600, .violet = 5}, space).inv();
    cv::Mat3f light = to_linear(chart_of_light, ToneCurve(chart_of_light.profile));
    for (int y = 0; y < light.rows; ++y)
        for (int x = 0; x < light.cols; ++x) light(y, x) = cv::Vec3f(cast * cv::Vec3d(light(y, x)) * 0.6);
    const Picture seen = from_linear(light, ToneCurve(chart_of_light.profile), chart_of_light.profile);
    const auto subject = finish_subject(seen, {}, 1, {});
    Finish finish;
    const int grey = 21;  // D04, the middle grey
    finish.light =
        with_grey_at(finish.light, light_around(*subject, {kPatchSide * (grey + 0.5), 8}), subject->space);
    finish.light.exposure_ev = std::log2(1 / 0.6);
    const Picture balanced = finished(*subject, finish, {});
    std::vector<std::pair<cv::Vec3d, cv::Vec3d>> pairs;
    // White itself lies above what fits at this exposure in one channel: from the light grey down.
    for (int i = 19; i < kPatches; ++i) {
        const cv::Vec3d own = lab_of_patch(balanced, i);
        pairs.emplace_back(patches[std::size_t(i)], own);
    }
    for (const double off : differences(pairs)) CHECK(off < 1.0);
}

TEST_CASE("L*a*b* is that of scikit-image", "[outside][finish]") {
    std::ostringstream input;
    std::vector<cv::Vec3d> own;
    for (int i = 0; i < 40; ++i) {
        const cv::Vec3d xyz(0.02 + 0.023 * i, 0.003 * i * (i % 7), 0.9 - 0.02 * i);
        input << xyz[0] << ' ' << xyz[1] << ' ' << xyz[2] << '\n';
        own.push_back(lab_of(xyz));
    }
    const auto theirs = reference("lab", input.str());
    for (int i = 0; i < 40; ++i)
        for (int c = 0; c < 3; ++c)
            CHECK(own[std::size_t(i)][c] ==
                  Approx(theirs[std::size_t(i)][std::size_t(c)].get<double>()).margin(0.02));
}

namespace {

cv::Mat1f by_pillow(const test::Scratch& scratch, const cv::Mat1f& light, cv::Size to) {
    write_plane(scratch / "light.tif", light);
    const auto ran =
        test::run(std::string(test::kPython) + " " + MOORHAZE_OUTSIDE_DIR + "/reference_colour.py resize " +
                  (scratch / "light.tif").string() + " " + (scratch / "small.tif").string() + " " +
                  std::to_string(to.width) + " " + std::to_string(to.height));
    INFO(ran.text);
    REQUIRE(ran.code == 0);
    return read_plane(scratch / "small.tif");
}

/// What was resampled along the rows, held within the range of the pixels under the kernel's middle lobe
/// where it was reduced, and under all of it where it was enlarged: a plain twin of what keeps rims away.
cv::Mat1f held_along_rows(const cv::Mat1f& made, const cv::Mat1f& from) {
    cv::Mat1f held = made.clone();
    const double step = double(from.cols) / made.cols, reach = step > 1 ? step : 3;
    for (int y = 0; y < made.rows; ++y)
        for (int x = 0; x < made.cols; ++x) {
            const double centre = (x + 0.5) * step - 0.5;
            float low = 1e9f, high = -1e9f;
            for (int u = int(std::floor(centre - reach)); u <= int(std::ceil(centre + reach)); ++u) {
                if (std::abs(u - centre) >= reach) continue;
                const float value = from(y, std::clamp(u, 0, from.cols - 1));
                low = std::min(low, value), high = std::max(high, value);
            }
            held(y, x) = std::clamp(made(y, x), low, high);
        }
    return held;
}

}  // namespace

TEST_CASE("resampling is Pillow's with the same kernel, in linear light, and without its rims",
          "[outside][finish]") {
    const test::Scratch scratch;
    const test::Texture texture(31, 60, 4, 60);
    const cv::Size size(157, 113);
    const Picture picture = test::picture_from(size, [&](int x, int y) { return texture.at(x, y); });
    const ToneCurve curve(picture.profile);
    cv::Mat1f light(size);
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x)
            light(y, x) = curve.linear_of_16(1)[picture.pixels.at<cv::Vec3w>(y, x)[1]];
    for (const cv::Size to : {cv::Size(61, 40), {157, 60}, {300, 250}}) {
        INFO(to);
        const cv::Mat1f across = held_along_rows(by_pillow(scratch, light, {to.width, size.height}), light);
        const cv::Mat1f down = by_pillow(scratch, across, to);
        const cv::Mat1f theirs = held_along_rows(cv::Mat1f(down.t()), cv::Mat1f(across.t())).t();
        const Picture ours = resized(picture, to, {});
        double worst = 0;
        // At the border Pillow leaves out what lies outside, ours repeats the edge.
        const int rim = int(std::ceil(3 * std::max(1.0, double(to.height) / size.height))) + 1;
        for (int y = rim; y < to.height - rim; ++y)
            for (int x = rim; x < to.width - rim; ++x)
                worst = std::max(worst,
                                 std::abs(double(curve.linear_of_16(1)[ours.pixels.at<cv::Vec3w>(y, x)[1]]) -
                                          std::clamp(double(theirs(y, x)), 0.0, 1.0)));
        CHECK(worst < 1e-3);
    }
}

TEST_CASE("ExifTool reads what is said about a picture", "[outside][finish]") {
    const test::Scratch scratch;
    const Picture picture = test::colourful({64, 48}, 16, false);
    const AboutPicture about{
        "Cups", "Lichen on the heath", "The warden", "Free to show", {"lichen", "heath"}};
    for (const auto& [name, format] : {std::pair("a.tif", FileFormat::tiff),
                                       {"a.jpg", FileFormat::jpeg},
                                       {"a.png", FileFormat::png},
                                       {"a.jxl", FileFormat::jxl}}) {
        INFO(name);
        Output output;
        output.format = format;
        output.bits = format == FileFormat::jpeg ? 8 : 16;
        output.size.dots_per_inch = 240;
        REQUIRE(
            write_output(scratch / name, picture, output,
                         {.shooting = {}, .made_with = "Moorhaze woven merge of 24 frames", .about = about},
                         false, {})
                .empty());
        const auto ran = test::run(
            "exiftool -j -Warning -Title -Description -Creator -Rights -Subject -Artist -Copyright "
            "-XResolution -UserComment -Software " +
            (scratch / name).string());
        REQUIRE(ran.code == 0);
        const auto read = nlohmann::json::parse(ran.text)[0];
        INFO(read.dump());
        CHECK_FALSE(read.contains("Warning"));
        CHECK(read["Title"] == "Cups");
        CHECK(read["Description"] == "Lichen on the heath");
        CHECK(read["Creator"] == "The warden");
        CHECK(read["Rights"] == "Free to show");
        CHECK(read["Subject"] == nlohmann::json({"lichen", "heath"}));
        CHECK(read["Artist"] == "The warden");
        CHECK(read["Copyright"] == "Free to show");
        CHECK(read["XResolution"] == 240);
        CHECK(read["UserComment"] == "Moorhaze woven merge of 24 frames");
        CHECK(read["Software"] == "Moorhaze");
    }
}

TEST_CASE("libjxl's own decoder gives a lossless JPEG XL back exactly", "[outside][finish]") {
    const test::Scratch scratch;
    for (const bool with_alpha : {false, true}) {
        const Picture picture = test::colourful({101, 67}, 16, with_alpha);
        Output output;
        output.format = FileFormat::jxl, output.quality = 100;
        REQUIRE(write_output(scratch / "a.jxl", picture, output, {}, true, {}).empty());
        const auto ran = test::run("djxl --quiet " + (scratch / "a.jxl").string() + " " +
                                   (scratch / "a.png").string() + " 2>&1");
        INFO(ran.text);
        REQUIRE(ran.code == 0);
        const Picture back = read_picture(scratch / "a.png");
        REQUIRE(back.bits() == 16);
        CHECK(cv::norm(back.pixels, picture.pixels, cv::NORM_INF) == 0);
        CHECK(back.alpha.empty() == !with_alpha);
        if (with_alpha) CHECK(cv::norm(back.alpha, picture.alpha, cv::NORM_INF) == 0);
    }
}

TEST_CASE("the layers of an OpenRaster file, put together outside, give its merged image",
          "[outside][finish]") {
    const test::Scratch scratch;
    test::write_series(scratch, test::strip_series({240, 140}, 5));
    const Series series = open_series({scratch.folder()}, {}).series;
    const SeriesGeometry geometry = unmoved(series, 2);
    const PixelRect area(0, 0, 240, 140);
    AlignedFrames aligned(series, geometry, series.chosen(), area);
    const MergeResult merge = merge_method("blend").merge(aligned, {}, {}, {});
    const FrameSource frames(series, geometry, std::make_shared<FrameShelf>(std::size_t(100) << 20));
    // Hard and soft, over each other, from two frames, wiped back again.
    Stroke soft{series.frames[0].id, 25, 0.9, 0.6, {{60, 60}, {150, 80}}},
        hard{series.frames[4].id, 9, 0, 1, {{100, 70}, {140, 90}}},
        wiped{WipeBack{}, 6, 0.5, 1, {{120, 60}, {120, 100}}};
    const SharedList<Stroke> strokes(std::vector<Stroke>{soft, hard, wiped});
    const MendSources sources{frames};
    for (const double turn : {0.0, 5.0}) {
        Finish finish;
        finish.framing = with_turn({}, merge.area, turn);
        if (turn == 0) finish.framing.crop = PixelRect(30, 20, 180, 100);
        const auto subject = finish_subject(mended(merge, strokes, sources, area, {}), {}, 1, {});
        HandedPicture handed = handed_picture(subject, finish, {});
        handed.layers = [&](const TakeLayer& take, const Job& job) {
            layers_of(merge, strokes, sources, finish, take, job);
        };
        Output output;
        output.format = FileFormat::open_raster;
        REQUIRE(write_output(scratch / "cups.ora", handed, output, {}, true, {}).empty());
        const auto ran = test::run(std::string(test::kPython) + " " + MOORHAZE_OUTSIDE_DIR +
                                   "/reference_layers.py " + (scratch / "cups.ora").string());
        INFO(ran.text);
        REQUIRE(ran.code == 0);
        const auto read = nlohmann::json::parse(ran.text);
        INFO(read.dump());
        CHECK(read["first_entry"] == "mimetype");
        CHECK(read["mimetype_stored"] == true);
        CHECK(read["mimetype"] == "image/openraster");
        CHECK(read["size"] == nlohmann::json({handed.finished.width(), handed.finished.height()}));
        CHECK(read["thumbnail_side"].get<int>() <= 256);
        CHECK(read["layers"] ==
              nlohmann::json({"merge", "from frame 1", "from frame 5", "wiped back", "finished"}));
        // All of them, and without the finished one on top, which with a neutral finish is the same picture;
        // the reader gives 8 bits of transparent ones (the core's test looks at 16):
        // steps of 16 bits; a turned layer's rim is resampled with its transparency.
        CHECK(read["difference"].get<double>() <= 2);
        CHECK(read["difference_below_finished"].get<double>() <= (turn == 0 ? 257 : 65535 * 0.02));
    }
}

TEST_CASE("ExifTool and LibRaw read a linear DNG without a word of warning", "[outside][finish][raw]") {
    const test::Scratch scratch;
    test::write_dng(scratch / "frame.dng", {},
                    [](int x, int y) { return cv::Vec3d(0.2 + 0.004 * x, 0.3 + 0.003 * y, 0.25); });
    const Development development{.red = 1.8, .blue = 1.5};
    HandedPicture handed(develop_raw(scratch / "frame.dng", development, 1));
    handed.raw = raw_rendering(scratch / "frame.dng", development);
    Output output;
    output.format = FileFormat::raw;
    REQUIRE(write_output(scratch / "merged.dng", handed, output,
                         {.shooting = {},
                          .made_with = "Moorhaze woven merge",
                          .about = {"Cups", "", "The warden", "", {}}},
                         false, {})
                .empty());
    const auto ran = test::run(
        "exiftool -j -n -G1 -Warning -Error -validate -PhotometricInterpretation -DNGVersion -AsShotNeutral "
        "-Artist -UserComment -SubfileType -Title " +
        (scratch / "merged.dng").string());
    INFO(ran.text);
    REQUIRE(ran.code == 0);
    const auto read = nlohmann::json::parse(ran.text)[0];
    for (const auto& [key, value] : read.items()) {
        CHECK(key.find("Warning") == std::string::npos);
        CHECK(key.find("Error") == std::string::npos);
    }
    CHECK(read["SubIFD:PhotometricInterpretation"] == 34892);
    CHECK(read["IFD0:Artist"] == "The warden");
    CHECK(read["XMP-dc:Title"] == "Cups");
    const auto identified = test::run("exiftool -b -PreviewImage -ImageWidth " +
                                      (scratch / "merged.dng").string() + " > /dev/null");
    CHECK(identified.code == 0);
    const Picture again = read_picture(scratch / "merged.dng", development);
    CHECK(cv::norm(again.pixels, handed.finished.pixels, cv::NORM_L1) / double(3 * again.pixels.total()) <
          65535 * 2.0 / 255);
}
