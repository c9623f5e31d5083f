// SPDX-License-Identifier: GPL-3.0-or-later
// Files that we write, read by others; files that others write, read by us.
#include <catch2/catch.hpp>

#include "core/files/exif_block.h"
#include "core/files/float_tiff.h"
#include "core/files/picture_file.h"
#include "core/picture/colour_space.h"
#include "core/picture/converted.h"
#include "tests/outside/outside_data.h"
#include "tests/support/dng.h"
#include "tests/support/measures.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;
using test::run;

namespace {

WriteSettings tiff(int bits) {
    WriteSettings settings;
    settings.bits = bits;
    return settings;
}

}  // namespace

TEST_CASE("libtiff's own tools find nothing to complain about in our TIFFs", "[outside]") {
    // Debian's libtiff-tools.
    const test::Scratch scratch;
    for (const int bits : {8, 16}) {
        const auto file = scratch / ("a" + std::to_string(bits) + ".tif");
        write_picture(file, test::colourful({123, 77}, bits, bits == 16), {}, tiff(bits), {});
        const auto info = run("tiffinfo -D " + file.string());
        CHECK(info.code == 0);
        CHECK_THAT(info.text, !Catch::Contains("Warning") && !Catch::Contains("Error"));
        CHECK_THAT(info.text, Catch::Contains("Image Width: 123 Image Length: 77") &&
                                  Catch::Contains("Bits/Sample: " + std::to_string(bits)));
    }
    write_plane(scratch / "depth.tif", cv::Mat1f(20, 30, 2.5f));
    const auto plane = run("tiffinfo -D " + (scratch / "depth.tif").string());
    CHECK_THAT(plane.text, Catch::Contains("IEEE floating point") && !Catch::Contains("Warning"));
}

TEST_CASE("HEIF and JPEG XL that others write are read with their shooting data", "[outside]") {
    // Debian's libheif-examples (heif-enc) and libjxl-tools (cjxl); both carry a JPEG's shooting data over.
    const test::Scratch scratch;
    const test::Texture texture(3, 40, 20, 120);  // grey: lossy colour is stored at half size
    const Picture picture =
        with_bits(test::picture_from({160, 96}, [&](int x, int y) { return texture.at(x, y); }), 8);
    ShootingData data;
    data.f_number = 8;
    data.focus_distance_m = 0.21;
    data.taken = "2026-09-12 07:31:05";
    data.exif = exif_block(data, 160);
    const auto jpeg = (scratch / "a.jpg").string(), png = (scratch / "a.png").string();
    write_picture(jpeg, picture, data, {FileFormat::jpeg, 8, 98, true, {}}, {});
    write_picture(png, picture, {}, {FileFormat::png, 8, 90, true, {}}, {});
    REQUIRE(run("heif-enc -q 95 " + jpeg + " -o " + (scratch / "a.heic").string()).code == 0);
    REQUIRE(run("cjxl " + jpeg + " " + (scratch / "a.jxl").string()).code == 0);
    REQUIRE(run("cjxl " + png + " " + (scratch / "lossless.jxl").string() + " -d 0").code == 0);
    CHECK(cv::norm(read_picture(scratch / "lossless.jxl").pixels, picture.pixels, cv::NORM_INF) == 0);
    for (const char* name : {"a.heic", "a.jxl"}) {
        INFO(name);
        const PictureInfo info = read_picture_info(scratch / name);
        CHECK(info.width == 160);
        CHECK(info.height == 96);
        CHECK(info.warning.empty());
        CHECK(info.shooting.f_number.value_or(0) == Approx(8));
        CHECK(info.shooting.focus_distance_m.value_or(0) == Approx(0.21));
        CHECK(info.shooting.taken.value_or("") == "2026-09-12 07:31:05");
        const Picture back = read_picture(scratch / name), source = read_picture(jpeg);
        REQUIRE(back.pixels.size() == picture.pixels.size());
        // Lossy both: some steps of 255 on the mean.
        CHECK(cv::norm(back.pixels, source.pixels, cv::NORM_L1) / double(3 * picture.pixels.total()) < 6);
        const std::string bytes = test::read_all(scratch / name);
        test::write_all(scratch / (std::string("cut-") + name), bytes.substr(0, bytes.size() / 2));
        CHECK_THROWS_AS(read_picture(scratch / (std::string("cut-") + name)), FileError);
    }
}

TEST_CASE("strips, tiles, LZW, Deflate and uncompressed TIFFs of others give the same pixels", "[outside]") {
    const test::Scratch scratch;
    for (const int bits : {8, 16}) {
        const Picture picture = test::colourful({150, 101}, bits, false);
        const auto ours = (scratch / ("ours" + std::to_string(bits) + ".tif")).string();
        write_picture(ours, picture, {}, tiff(bits), {});
        for (const char* way : {"-c none -r 7", "-c lzw:2 -r 16", "-c zip:2 -s", "-t -w 32 -l 48 -c none",
                                "-t -w 64 -l 16 -c zip", "-B -c lzw", "-p separate -c none"}) {
            const auto theirs = (scratch / "theirs.tif").string();
            INFO(way << ", " << bits << " bit");
            if (bits == 16 && std::string(way).find("separate") != std::string::npos)
                continue;  // tiffcp itself cannot
            REQUIRE(run("tiffcp " + std::string(way) + " " + ours + " " + theirs).code == 0);
            const Picture back = read_picture(theirs);
            CHECK(cv::norm(back.pixels, picture.pixels, cv::NORM_INF) == 0);
        }
    }
}

TEST_CASE("an independent reader finds our shooting data", "[outside]") {
    // Debian's libimage-exiftool-perl.
    const test::Scratch scratch;
    ShootingData data;
    data.taken = "2026-09-12 07:31:05";
    data.f_number = 8;
    data.exposure_s = 0.25;
    data.iso = 100;
    data.focal_length_mm = 100;
    data.focus_distance_m = 0.225;
    data.camera = "Moorhaze Rig";
    data.exif = exif_block(data, 60);
    for (const auto& [name, format] :
         {std::pair{"a.jpg", FileFormat::jpeg}, {"a.tif", FileFormat::tiff}, {"a.png", FileFormat::png}}) {
        WriteSettings settings;
        settings.format = format;
        settings.bits = 8;
        settings.made_with = "Moorhaze depth merge of 24 frames";
        write_picture(scratch / name, test::colourful({60, 40}, 8, false), data, settings, {});
        const auto told = run("exiftool -s -n -G0 -a " + (scratch / name).string());
        INFO(told.text);
        CHECK_THAT(told.text, Catch::Matches("(.|\\n)*FNumber +: 8\\n(.|\\n)*"));
        CHECK_THAT(told.text, Catch::Matches("(.|\\n)*ExposureTime +: 0.25\\n(.|\\n)*"));
        CHECK_THAT(told.text, Catch::Matches("(.|\\n)*ISO +: 100\\n(.|\\n)*"));
        CHECK_THAT(told.text, Catch::Matches("(.|\\n)*FocalLength +: 100\\n(.|\\n)*"));
        CHECK_THAT(told.text, Catch::Matches("(.|\\n)*SubjectDistance +: 0.225\\n(.|\\n)*"));
        CHECK_THAT(told.text,
                   Catch::Contains("2026:09:12 07:31:05") && Catch::Contains("Moorhaze depth merge"));
        CHECK(run("exiftool -validate -warning -a " + (scratch / name).string()).code == 0);
    }
}

TEST_CASE("pictures that others made are read as others read them", "[outside]") {
    // brick (grey PNG) and coffee (colour PNG) of Debian's python3-skimage.
    const test::Scratch scratch;
    for (const char* name : {"brick.png", "coffee.png"}) {
        const auto file = test::skimage_folder() / "data" / name;
        if (!std::filesystem::exists(file)) {
            WARN(name << " is not in this version of python3-skimage");
            continue;
        }
        const Picture picture = read_picture(file);
        write_picture(scratch / "copy.png", picture, {}, {FileFormat::png, 8, 95, true, {}}, {});
        const auto same =
            run(std::string(test::kPython) +
                " -c \"import sys, numpy as np; from skimage import io, color; a = io.imread('" +
                file.string() + "'); a = a if a.ndim == 3 else color.gray2rgb(a); b = io.imread('" +
                (scratch / "copy.png").string() +
                "'); sys.exit(0 if np.array_equal(a[..., :3], b[..., :3]) else 1)\"");
        INFO(name << " " << same.text);
        CHECK(same.code == 0);
    }
}

TEST_CASE("colours that a camera marks by Exif alone are read as opRGB, and our files say what theirs are",
          "[outside]") {
    const test::Scratch scratch;
    const auto marked = scratch / "marked.jpg", plain = scratch / "plain.jpg";
    Picture picture{cv::Mat3b(48, 64, cv::Vec3b(200, 100, 50)), {}, {}};
    WriteSettings jpeg;
    jpeg.format = FileFormat::jpeg;
    jpeg.bits = 8;
    jpeg.jpeg_quality = 100;
    write_picture(plain, picture, {}, jpeg, {});
    std::filesystem::copy_file(plain, marked);
    // As cameras of several makers do it (DCF 2.0).
    const auto set =
        run("exiftool -n -overwrite_original -ICC_Profile:all= -ExifIFD:ColorSpace=65535 "
            "-InteropIFD:InteropIndex=R03 -IFD0:Make=Heath -IFD0:Model=Vasculum " +
            marked.string());
    INFO(set.text);
    REQUIRE(set.code == 0);
    CHECK(read_picture(plain).profile.icc.empty());
    const Picture read = read_picture(marked);
    CHECK(read.profile == op_rgb_profile());
    // To XYZ by IEC 61966-2-5, to linear sRGB by IEC 61966-2-1: published matrices.
    const cv::Matx33d to_xyz{0.57667, 0.18556, 0.18823, 0.29734, 0.62736, 0.07529, 0.02703, 0.07069, 0.99134},
        to_srgb{3.2406, -1.5372, -0.4986, -0.9689, 1.8758, 0.0415, 0.0557, -0.2040, 1.0570};
    const auto light = [](double value) { return std::pow(value / 255, 563.0 / 256); };
    const cv::Vec3d srgb = to_srgb * (to_xyz * cv::Vec3d(light(200), light(100), light(50)));
    const Picture ours = converted(with_bits(read, 16), {}, {});
    for (int c = 0; c < 3; ++c)
        CHECK(ours.pixels.at<cv::Vec3w>(20, 30)[c] / 257.0 ==
              Approx(255 * tone_of_light(std::clamp(srgb[c], 0.0, 1.0))).margin(2));  // a JPEG's rounding

    // What leaves says what it is: sRGB as such, others by their profile, no word of the frame's own space.
    const ShootingData data = read_shooting_data(marked);
    REQUIRE(data.camera_model == "Vasculum");
    for (const FileFormat format : {FileFormat::jpeg, FileFormat::tiff, FileFormat::png})
        for (const bool in_srgb : {true, false}) {
            WriteSettings write = jpeg;
            write.format = format;
            const auto file = scratch / ("out-" + std::to_string(int(format)) + std::to_string(in_srgb) +
                                         (format == FileFormat::jpeg   ? ".jpg"
                                          : format == FileFormat::tiff ? ".tif"
                                                                       : ".png"));
            write_picture(file, in_srgb ? picture : read, data, write, {});
            const auto said = run(
                "exiftool -s3 -n -ExifIFD:ColorSpace -InteropIFD:InteropIndex -IFD0:Model " + file.string());
            INFO(file << ": " << said.text);
            CHECK(said.text == (in_srgb ? "1\nVasculum\n" : "65535\nVasculum\n"));
            const Picture back = read_picture(file);
            CHECK(back.profile.icc.empty() == in_srgb);
        }
}

TEST_CASE("nothing of how a raw file's values are to be read goes into a finished picture", "[outside]") {
    const test::Scratch scratch;
    const auto raw = scratch / "a.dng";
    test::write_dng(raw, {}, [](int, int) { return cv::Vec3d(0.3, 0.3, 0.3); });
    const ShootingData data = read_shooting_data(raw);
    WriteSettings jpeg;
    jpeg.format = FileFormat::jpeg;
    jpeg.bits = 8;
    write_picture(scratch / "a.jpg", test::colourful({40, 30}, 8, false), data, jpeg, {});
    const auto said = run("exiftool -s -a -G1 --ICC_Profile:all " + (scratch / "a.jpg").string());
    INFO(said.text);
    for (const char* word :
         {"DNG", "CFA", "BlackLevel", "WhiteLevel", "Matrix", "AsShot", "Illuminant", "Strip"})
        CHECK_THAT(said.text, !Catch::Contains(word));
}
