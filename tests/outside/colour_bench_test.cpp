// SPDX-License-Identifier: GPL-3.0-or-later
// Colours from the files of others into files of ours, judged by others.
#include <lcms2.h>

#include <catch2/catch.hpp>
#include <fstream>
#include <nlohmann/json.hpp>

#include "core/files/picture_file.h"
#include "core/finish/hand_over.h"
#include "core/picture/profile_handle.h"
#include "tests/outside/outside_data.h"
#include "tests/support/dng.h"
#include "tests/support/scratch.h"

using namespace moorhaze;

namespace {

void write_icc(const std::filesystem::path& file, const ColourProfile& profile) {
    test::write_all(file, std::string(profile.icc.begin(), profile.icc.end()));
}

/// A profile that is nothing but a table: a cube of 9 corners a side, to Lab, that swaps red and blue.
ColourProfile table_profile() {
    const ProfileHandle made(cmsCreateProfilePlaceholder(nullptr));
    cmsSetProfileVersion(made.get(), 4.3);
    cmsSetDeviceClass(made.get(), cmsSigDisplayClass);
    cmsSetColorSpace(made.get(), cmsSigRgbData);
    cmsSetPCS(made.get(), cmsSigLabData);
    cmsMLU* const name = cmsMLUalloc(nullptr, 1);
    cmsMLUsetASCII(name, "en", "US", "a table");
    cmsWriteTag(made.get(), cmsSigProfileDescriptionTag, name);
    cmsMLUfree(name);
    const ProfileHandle srgb(cmsCreate_sRGBProfile()), lab(cmsCreateLab4Profile(nullptr));
    const TransformHandle to_lab(
        cmsCreateTransform(srgb.get(), TYPE_RGB_16, lab.get(), TYPE_Lab_16, INTENT_RELATIVE_COLORIMETRIC, 0));
    const TransformHandle to_srgb(
        cmsCreateTransform(lab.get(), TYPE_Lab_16, srgb.get(), TYPE_RGB_16, INTENT_RELATIVE_COLORIMETRIC, 0));
    const auto add = [&](cmsTagSignature tag, const TransformHandle& way, bool swaps_before) {
        cmsPipeline* const steps = cmsPipelineAlloc(nullptr, 3, 3);
        cmsStage* const cube = cmsStageAllocCLut16bit(nullptr, 9, 3, 3, nullptr);
        struct Sample {
            const TransformHandle& way;
            bool swaps_before;
        } sample{way, swaps_before};
        cmsStageSampleCLut16bit(
            cube,
            [](const cmsUInt16Number in[], cmsUInt16Number out[], void* own) -> cmsInt32Number {
                const auto& how = *static_cast<Sample*>(own);
                cmsUInt16Number from[3] = {in[0], in[1], in[2]};
                if (how.swaps_before) std::swap(from[0], from[2]);
                cmsDoTransform(how.way.get(), from, out, 1);
                if (!how.swaps_before) std::swap(out[0], out[2]);
                return 1;
            },
            &sample, 0);
        // As the kinds of tables of ICC.1 have it (10.12.1): curves on both sides, here none that bend.
        cmsPipelineInsertStage(steps, cmsAT_END, cmsStageAllocToneCurves(nullptr, 3, nullptr));
        cmsPipelineInsertStage(steps, cmsAT_END, cube);
        cmsPipelineInsertStage(steps, cmsAT_END, cmsStageAllocToneCurves(nullptr, 3, nullptr));
        cmsWriteTag(made.get(), tag, steps);
        cmsPipelineFree(steps);
    };
    add(cmsSigAToB0Tag, to_lab, true);
    add(cmsSigBToA0Tag, to_srgb, false);
    cmsUInt32Number size = 0;
    cmsSaveProfileToMem(made.get(), nullptr, &size);
    REQUIRE(size > 0);
    ColourProfile profile;
    profile.icc.resize(size);
    cmsSaveProfileToMem(made.get(), profile.icc.data(), &size);
    return profile;
}

nlohmann::json judged_by_others(const std::string& what, const std::filesystem::path& folder) {
    const auto ran = test::run(std::string(test::kPython) + " " + MOORHAZE_OUTSIDE_DIR +
                               "/reference_files.py " + what + " " + folder.string());
    INFO(ran.text);
    REQUIRE(ran.code == 0);
    return ran.text.empty() ? nlohmann::json() : nlohmann::json::parse(ran.text);
}

}  // namespace

TEST_CASE("colours of every format, profile and depth come out as they went in, as others see them",
          "[outside][colour]") {
    // Drawn and judged by Pillow, tifffile, scikit-image, cjxl, djxl and heif-enc (Debian), and by the
    // published primaries and curves of the spaces.
    const test::Scratch scratch;
    const auto space = [](const char* name, double rx, double ry, double gx, double gy, double bx, double by,
                          cmsToneCurve* curve) {
        return profile_of(name, {{rx, ry, 1}, {gx, gy, 1}, {bx, by, 1}}, curve);
    };
    write_icc(scratch / "srgb.icc", space("sRGB of others", .64, .33, .30, .60, .15, .06, srgb_curve()));
    write_icc(scratch / "oprgb.icc",
              space("opRGB", .64, .33, .21, .71, .15, .06, cmsBuildGamma(nullptr, 563.0 / 256)));
    write_icc(scratch / "p3.icc", space("P3", .68, .32, .265, .69, .15, .06, srgb_curve()));
    write_icc(scratch / "bt2020.icc",
              space("BT.2020", .708, .292, .170, .797, .131, .046, cmsBuildGamma(nullptr, 2.4)));
    const cmsCIExyY d50{0.3457, 0.3585, 1};
    const cmsCIExyYTRIPLE romm{{0.7347, 0.2653, 1}, {0.1596, 0.8404, 1}, {0.0366, 0.0001, 1}};
    cmsToneCurve* const curve = cmsBuildGamma(nullptr, 1.8);
    cmsToneCurve* const curves[] = {curve, curve, curve};
    const ProfileHandle rommrgb(cmsCreateRGBProfile(&d50, &romm, curves));
    cmsFreeToneCurve(curve);
    cmsSaveProfileToFile(rommrgb.get(), (scratch / "rommrgb.icc").c_str());
    write_icc(scratch / "lut.icc", table_profile());
    judged_by_others("draw", scratch.folder());

    std::vector<std::filesystem::path> drawn;
    for (const auto& own : std::filesystem::directory_iterator(scratch.folder()))
        if (own.path().extension() != ".icc") drawn.push_back(own.path());
    std::sort(drawn.begin(), drawn.end());
    REQUIRE(drawn.size() == 6 * 8 + 4 * 2 + 2);
    nlohmann::json list = nlohmann::json::array();
    for (const auto& file : drawn) {
        INFO(file);
        const std::string name = file.filename().string(), like = name.substr(0, name.find('-'));
        const bool lossy_in = file.extension() == ".jpg" || file.extension() == ".avif" ||
                              name.find("-exact") == std::string::npos;
        const Picture picture = read_picture(file);
        CHECK(picture.alpha.empty() == (name.find("-alpha") == std::string::npos));
        if (!picture.alpha.empty()) {
            const cv::Mat1w drawn_alpha(picture.alpha.size(), std::uint16_t(40000));
            CHECK(cv::norm(picture.alpha, drawn_alpha, cv::NORM_INF) <= 65535 / 512);
        }
        // In its own colours in each format, and in the wide ones, which hold all but ROMM's.
        for (const char* ending : {".tif", ".png", ".jpg", ".jxl"})
            for (const bool wide : {false, true}) {
                if (wide &&
                    (like == "rommrgb" || like == "lut" || like == "bt2020" || std::string(ending) != ".tif"))
                    continue;
                Output output;
                output.format = format_of_name(std::string("a") + ending);
                output.bits = output.format == FileFormat::jpeg ? 8 : 16;
                output.quality = 100;
                output.profile = wide ? ProfileWish::wide : ProfileWish::as_frames;
                const std::string out = "out-" + name + (wide ? "-wide" : "") + ending;
                Picture opaque = picture;
                opaque.alpha.release();
                REQUIRE(write_output(scratch / out, {opaque}, output, {}, false, {}).empty());
                list.push_back({{"file", out},
                                {"like", like},
                                {"lossy", lossy_in || output.format == FileFormat::jpeg}});
            }
    }
    test::write_all(scratch / "list.json", list.dump());
    const nlohmann::json outcome = judged_by_others("judge", scratch.folder());
    REQUIRE(outcome.size() == list.size());
    for (std::size_t i = 0; i < outcome.size(); ++i) {
        INFO(outcome[i].dump());
        const bool from_lossy = list[i]["lossy"].get<bool>();
        CHECK(outcome[i]["worst"].get<double>() <= (from_lossy ? 2 : 0.5));
    }
}

TEST_CASE("a published chart comes from a raw file to every format in its colours, as others see them",
          "[outside][colour][raw]") {
    const test::Scratch scratch;
    judged_by_others("light", scratch.folder());
    const nlohmann::json chart = nlohmann::json::parse(test::read_all(scratch / "light.json"));
    constexpr int kSide = 16, kAcross = 6, kDown = 4;
    test::DngSettings settings;
    settings.size = {kSide * kAcross, kSide * kDown};
    settings.white = 60000;
    for (std::size_t i = 0; i < 9; ++i) settings.from_xyz[i] = chart["matrix"][i].get<float>();
    test::write_dng(scratch / "chart.dng", settings, [&](int x, int y) {
        const auto& own = chart["light"][std::size_t(y / kSide * kAcross + x / kSide)];
        const double grain = 1 + 0.002 * ((x * 7 + y * 13) % 5 - 2);  // as every sensor has
        return grain * cv::Vec3d(own[0], own[1], own[2]);
    });
    const Picture picture = read_picture(scratch / "chart.dng");
    nlohmann::json list = nlohmann::json::array();
    for (const char* ending : {".tif", ".png", ".jpg", ".jxl"})
        for (const ProfileWish wish : {ProfileWish::as_frames, ProfileWish::srgb, ProfileWish::wide}) {
            Output output;
            output.format = format_of_name(std::string("a") + ending);
            output.bits = output.format == FileFormat::jpeg ? 8 : 16;
            output.quality = 100;
            output.profile = wish;
            const std::string out = "chart-" + std::to_string(int(wish)) + ending;
            REQUIRE(write_output(scratch / out, {picture}, output, {}, false, {}).empty());
            const bool is_jpeg = output.format == FileFormat::jpeg;
            // One patch, a cyan, lies outside of sRGB.
            list.push_back({{"file", out}, {"most", wish == ProfileWish::srgb ? 3.5 : is_jpeg ? 2 : 0.5}});
        }
    test::write_all(scratch / "list.json", list.dump());
    const nlohmann::json outcome = judged_by_others("chart", scratch.folder());
    REQUIRE(outcome.size() == list.size());
    for (std::size_t i = 0; i < outcome.size(); ++i) {
        INFO(outcome[i].dump());
        CHECK(outcome[i]["worst"].get<double>() <= list[i]["most"].get<double>());
    }
}
