// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/shooting_data.h"

#include <catch2/catch.hpp>
#include <exiv2/exiv2.hpp>

#include "core/files/exif_block.h"
#include "core/files/picture_file.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

ShootingData some_data() {
    ShootingData data;
    data.taken = "2026-09-12 07:31:05";
    data.f_number = 7.1;
    data.exposure_s = 1.0 / 160;
    data.iso = 200;
    data.focal_length_mm = 60;
    data.focus_distance_m = 0.185;
    data.sensor_width_mm = 23.5;
    data.camera = "Moorhaze Rig";
    return data;
}

}  // namespace

TEST_CASE("shooting data go through JPEG, TIFF and PNG", "[files]") {
    const test::Scratch scratch;
    for (const auto& [name, format] :
         {std::pair{"a.jpg", FileFormat::jpeg}, {"a.tif", FileFormat::tiff}, {"a.png", FileFormat::png}}) {
        ShootingData data = some_data();
        data.exif = exif_block(data, 64);
        WriteSettings settings;
        settings.format = format;
        settings.bits = 8;
        settings.made_with = "test of the heath";
        write_picture(scratch / name, test::colourful({64, 40}, 8, false), data, settings, {});
        const ShootingData back = read_shooting_data(scratch / name);
        CHECK(back.taken == data.taken);
        CHECK(back.f_number.value_or(0) == Approx(7.1).epsilon(1e-3));
        CHECK(back.exposure_s.value_or(0) == Approx(1.0 / 160).epsilon(1e-3));
        CHECK(back.iso.value_or(0) == Approx(200));
        CHECK(back.focal_length_mm.value_or(0) == Approx(60));
        CHECK(back.focus_distance_m.value_or(0) == Approx(0.185).epsilon(1e-3));
        CHECK(back.sensor_width_mm.value_or(0) == Approx(23.5).epsilon(0.01));
        CHECK_THAT(back.camera, Catch::Contains("Moorhaze Rig"));
        CHECK(back.orientation == 1);
    }
}

TEST_CASE("where it was shot and whose camera it was leaves only if the person wants it", "[files]") {
    const test::Scratch scratch;
    ShootingData data = some_data();
    Exiv2::ExifData exif;
    const auto block = exif_block(data, 64);
    Exiv2::ExifParser::decode(exif, block.data(), std::uint32_t(block.size()));
    exif["Exif.GPSInfo.GPSLatitude"] = "54/1 30/1 0/1";
    exif["Exif.Photo.BodySerialNumber"] = "B-1789";
    exif["Exif.Photo.LensSerialNumber"] = "L-1789";
    exif["Exif.Photo.CameraOwnerName"] = "the warden";
    exif["Exif.Image.Artist"] = "the painter";
    Exiv2::Blob blob;
    Exiv2::ExifParser::encode(blob, Exiv2::littleEndian, exif);
    data.exif = std::vector<std::uint8_t>(blob.begin(), blob.end());
    for (const bool wanted : {false, true}) {
        WriteSettings settings;
        settings.format = FileFormat::jpeg;
        settings.with_private = wanted;
        settings.overwrite = true;
        write_picture(scratch / "a.jpg", test::colourful({64, 40}, 8, false), data, settings, {});
        const std::string bytes = test::read_all(scratch / "a.jpg");
        const auto image = Exiv2::ImageFactory::open(Exiv2::BasicIo::AutoPtr(
            new Exiv2::MemIo(reinterpret_cast<const Exiv2::byte*>(bytes.data()), long(bytes.size()))));
        image->readMetadata();
        const auto has = [&](const char* key) {
            return image->exifData().findKey(Exiv2::ExifKey(key)) != image->exifData().end();
        };
        for (const char* key : {"Exif.GPSInfo.GPSLatitude", "Exif.Photo.BodySerialNumber",
                                "Exif.Photo.LensSerialNumber", "Exif.Photo.CameraOwnerName"}) {
            INFO(key);
            CHECK(has(key) == wanted);
        }
        CHECK(has("Exif.Image.Artist"));  // who made it is no secret of the camera's
        CHECK(has("Exif.Photo.FNumber"));
    }
}

TEST_CASE(
    "shooting data that cannot be put in stop a picture, or are said to be left out where it counts more",
    "[files]") {
    const test::Scratch scratch;
    ShootingData data = some_data();
    data.exif = exif_block(data, 64);
    WriteSettings settings;
    settings.format = FileFormat::jpeg;
    settings.about.description = std::string(70'000, 'x');  // a JPEG's segments hold at most 64 KiB
    const Picture picture = test::colourful({64, 40}, 8, false);
    CHECK_THROWS_WITH(write_picture(scratch / "a.jpg", picture, data, settings, {}),
                      Catch::Contains("shooting data"));
    CHECK(std::filesystem::is_empty(scratch.folder()));
    const std::string unsaid = write_picture_anyway(scratch / "a.jpg", picture, data, settings, {});
    CHECK_THAT(unsaid, Catch::Contains("without shooting data") && !Catch::Contains(".moorhaze-"));
    CHECK(read_picture(scratch / "a.jpg").width() == 64);
}

TEST_CASE("a large picture within the shooting data serves as a thumbnail, reduced while it is decoded",
          "[files]") {
    const test::Scratch scratch;
    const test::Texture texture(8, 40, 40, 200);
    const Picture large =
        with_bits(test::picture_from({4000, 3000}, [&](int x, int y) { return texture.at(x, y); }), 8);
    WriteSettings settings;
    settings.format = FileFormat::jpeg;
    settings.jpeg_quality = 40;
    write_picture(scratch / "inner.jpg", large, {}, settings, {});
    const std::string inner = test::read_all(scratch / "inner.jpg");
    REQUIRE(inner.size() < 4'000'000);
    // A TIFF-structured block (TIFF 6.0) of one empty directory and one with a preview, as EXIF 2.32, 4.5.8
    // has them. It is too large for a JPEG's segment, so it lies in a TIFF's own directory.
    Exiv2::ExifData exif;
    exif["Exif.Image.ImageWidth"] = std::uint32_t(1);
    Exiv2::ExifThumb(exif).setJpegThumbnail(reinterpret_cast<const Exiv2::byte*>(inner.data()),
                                            long(inner.size()));
    Exiv2::Blob blob;
    Exiv2::ExifParser::encode(blob, Exiv2::littleEndian, exif);
    test::write_all(scratch / "a.tif", std::string(blob.begin(), blob.end()));
    if (read_exif_thumbnail(scratch / "a.tif").empty()) {
        WARN("this version of exiv2 keeps no large thumbnails");
        return;
    }
    const Picture small = read_thumbnail(scratch / "a.tif", 400);
    CHECK(small.width() == 500);
    CHECK(small.height() == 375);
}

TEST_CASE("a file without shooting data gives an empty value", "[files]") {
    const test::Scratch scratch;
    WriteSettings settings;
    settings.bits = 8;
    write_picture(scratch / "a.tif", test::colourful({8, 8}, 8, false), {}, settings, {});
    const ShootingData data = read_shooting_data(scratch / "a.tif");
    CHECK_FALSE(data.f_number);
    CHECK_FALSE(data.focus_distance_m);
    CHECK(read_shooting_data(scratch / "missing.jpg") == ShootingData{});
}
