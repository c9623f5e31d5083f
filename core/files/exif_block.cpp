// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/exif_block.h"

#include <cmath>
#include <exiv2/exiv2.hpp>

namespace moorhaze {
namespace {

Exiv2::URational fraction(double value) {
    if (value > 0 && value < 1 && std::abs(1 / value - std::round(1 / value)) < 1e-6)
        return {1, std::uint32_t(std::lround(1 / value))};
    return {std::uint32_t(std::lround(value * 10000)), 10000};
}

}  // namespace

std::vector<std::uint8_t> exif_block(const ShootingData& data, int width_px) {
    Exiv2::ExifData exif;
    const auto space = data.camera.find(' ');
    if (!data.camera.empty()) {
        exif["Exif.Image.Make"] = data.camera.substr(0, space);
        if (space != std::string::npos) exif["Exif.Image.Model"] = data.camera.substr(space + 1);
    }
    if (data.taken) {
        std::string taken = *data.taken;
        taken[4] = taken[7] = ':';
        exif["Exif.Photo.DateTimeOriginal"] = taken;
    }
    auto set = [&](const char* key, const std::optional<double>& value) {
        if (!value) return;
        Exiv2::URationalValue entry;
        entry.value_.push_back(fraction(*value));
        exif[key].setValue(&entry);
    };
    set("Exif.Photo.FNumber", data.f_number);
    set("Exif.Photo.ExposureTime", data.exposure_s);
    set("Exif.Photo.FocalLength", data.focal_length_mm);
    set("Exif.Photo.SubjectDistance", data.focus_distance_m);
    if (data.iso) exif["Exif.Photo.ISOSpeedRatings"] = std::uint16_t(*data.iso);
    if (data.sensor_width_mm && *data.sensor_width_mm > 0) {
        set("Exif.Photo.FocalPlaneXResolution", width_px / *data.sensor_width_mm * 10);
        exif["Exif.Photo.FocalPlaneResolutionUnit"] = std::uint16_t(3);
    }
    Exiv2::Blob blob;
    Exiv2::ExifParser::encode(blob, Exiv2::littleEndian, exif);
    return {blob.begin(), blob.end()};
}

}  // namespace moorhaze
