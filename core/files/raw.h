// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <opencv2/core.hpp>
#include "core/files/development.h"
#include "core/files/shooting_data.h"
#include "core/picture/picture.h"
#include "core/work/job.h"

namespace moorhaze {

/// What a camera raw file or DNG says of itself, without decoding its pixels.
struct RawInfo {
    int width = 0, height = 0;             ///< upright
    int bits = 0;                          ///< of the sensor's values, as its white point tells
    double noted_red = 0, noted_blue = 0;  ///< white balance the camera noted: multipliers against green
    ShootingData shooting;
};

/// Endings of camera raw files, lower case with the dot. Which of them a camera's files are is told by
/// LibRaw.
const std::vector<std::string>& raw_endings();

/// @throws FileError for a file that is no raw LibRaw knows.   Thread-safe.
RawInfo read_raw_info(const std::filesystem::path& file);

/// Develops a raw file upright: 16 bit, primaries of ITU-R BT.2020 with the sRGB curve (working_profile()).
/// Nothing is adjusted to the single picture, so that frames with one development stay alike. Sensor values
/// at the white point come out white.
/// @param shrink  1, or 2: half the size without demosaicing, many times quicker.
/// @throws FileError, also for files that are cut off or damaged; BadParameter.   Thread-safe; peak
/// memory 2.5 pictures.
Picture develop_raw(const std::filesystem::path& file, const Development& development, int shrink,
                    const Job& job = {});

/// How a raw file's light became a picture, to be taken back: for a linear DNG.
struct RawRendering {
    /// Linear light of the picture to the camera's own colours, white balance and exposure taken off; 1 is
    /// the sensor's white point. `camera_offset` is added: what the development took as black.
    cv::Matx33d camera_from_picture;
    cv::Vec3d camera_offset;
    cv::Matx33d from_xyz;  ///< XYZ to the camera's colours, as DNG's ColorMatrix
    int illuminant = 21;   ///< that `from_xyz` is for, as EXIF's LightSource counts (21: D65)
    cv::Vec3d neutral;  ///< camera colour of what is white in the picture, as DNG's AsShotNeutral; at most 1
    double exposure_ev = 0;  ///< of the development
    std::string camera;      ///< maker and model, as DNG's UniqueCameraModel: by it developers know a camera
};

/// @throws as develop_raw.   Thread-safe; decodes no pixels.
RawRendering raw_rendering(const std::filesystem::path& file, const Development& development);

/// The JPEG that the camera put into a raw file; empty if there is none.   Thread-safe.
std::vector<std::uint8_t> read_raw_thumbnail(const std::filesystem::path& file);

/// Profile of developed raw files; always the same bytes.
const ColourProfile& working_profile();

}  // namespace moorhaze
