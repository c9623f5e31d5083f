// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/files/development.h"
#include "core/files/shooting_data.h"
#include "core/picture/picture.h"
#include "core/work/job.h"

namespace moorhaze {

/// OpenRaster, layered, is only written (see open_raster.h); raw files are read, and written as linear DNG.
enum class FileFormat { jpeg, tiff, png, raw, heif, jxl, open_raster };

/// What a picture file holds, without decoding its pixels.
struct PictureInfo {
    FileFormat format = FileFormat::jpeg;
    int width = 0, height = 0;             ///< upright, in pixels
    int bits = 8;                          ///< per sample
    double noted_red = 0, noted_blue = 0;  ///< raw: the white balance the camera noted; 0: none
    ShootingData shooting;
    std::string warning;  ///< e.g. that the name's ending tells another format; empty if none
};

/// The endings that are offered and looked for, lower case with the dot; raw files' among them.
const std::vector<std::string>& picture_endings();

/// The format that a name's ending tells. @throws BadParameter naming the endings that can be written.
FileFormat format_of_name(const std::filesystem::path& file);

/// Looks at the first bytes; the name counts only where they don't tell (most raw files begin as TIFFs do).
/// @throws FileError for a missing, empty, damaged, oversized or foreign file.   Thread-safe.
PictureInfo read_picture_info(const std::filesystem::path& file);

/// Decodes a picture upright; grey becomes RGB (a grey profile is converted to sRGB), the profile is kept.
/// @param development  of raw files; others ignore it.
/// @param job  asked row by row, by raw files between their steps, by HEIF and JPEG XL not at all.
/// @throws FileError, also where there is not enough memory for it; BadParameter, Cancelled.   Thread-safe;
/// what it takes is asked of the decode_budget() first; peak memory 1 picture, 2 when it must be turned, 2.5
/// for raw files.
Picture read_picture(const std::filesystem::path& file, const Development& development = {},
                     const Job& job = {});

/// A smaller picture, at least `longest_side_px` long where the file is; quick for JPEG and raw files.
/// @throws FileError, BadParameter.   Thread-safe.
Picture read_preview(const std::filesystem::path& file, int longest_side_px,
                     const Development& development = {});

/// The thumbnail that the camera put into the file, as it lies there (not turned), or else a preview of
/// `longest_side_px`. Quick; for telling pictures apart, not for looking at.
/// @throws FileError, BadParameter.   Thread-safe.
Picture read_thumbnail(const std::filesystem::path& file, int longest_side_px,
                       const Development& development = {});

enum class TiffCompression { none, lzw, deflate };

struct WriteSettings {
    FileFormat format = FileFormat::tiff;
    int bits = 16;           ///< 8 or 16; JPEG is always 8
    int jpeg_quality = 95;   ///< 1..100, of JPEG and JPEG XL; 100 leaves JPEG XL without loss
    bool overwrite = false;  ///< otherwise an existing file is an error
    std::string made_with;   ///< how the picture was made, for the file's metadata; may be empty
    TiffCompression compression = TiffCompression::deflate;
    AboutPicture about = {};
    double dots_per_inch = 0;   ///< said in the file; 0: nothing is
    bool with_private = false;  ///< see SaidInFile
};

/// Writes beside the target and renames when complete: a failed or cancelled write leaves no file and never
/// harms an existing one. The profile goes with it (that of sRGB, too), and what is said of the picture.
/// 16 bits become 8 by ordered dither (but in JPEG, whose quantisation takes it away), so that smooth
/// backdrops show no steps. What was written is opened once before it counts.
/// @throws FileError, also where what is said cannot be put in, BadParameter, Cancelled.   Thread-safe for
/// different files.
void write_picture(const std::filesystem::path& file, const Picture& picture, const ShootingData& shooting,
                   const WriteSettings& settings, const Job& job);

/// The same for a picture that is worth more than what is said of it: where that cannot be put in, it is
/// written without.
/// @return  what could not be put into the file, in a sentence; empty: all is in it.
/// @throws FileError, BadParameter, Cancelled.   Thread-safe for different files.
[[nodiscard]] std::string write_picture_anyway(const std::filesystem::path& file, const Picture& picture,
                                               const ShootingData& shooting, const WriteSettings& settings,
                                               const Job& job);

/// Same pixels at another depth: ×257 up, rounded to the nearest down.
Picture with_bits(const Picture& picture, int bits);
/// The same where 16 bits become 8 and nothing comes after: what lies between two values of 8 bits becomes
/// one or the other by its place, grey the same for all three colours, and exact values stay. Alpha is
/// rounded.
Picture dithered_to_8(const Picture& picture);

}  // namespace moorhaze
