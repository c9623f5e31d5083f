// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdio>
#include <filesystem>
#include <memory>

#include "core/files/picture_file.h"
#include "core/picture/picture.h"
#include "core/work/job.h"

/// Private to core/files: one decoder and one encoder per file format.
/// Decoders return pixels as they lie in the file (orientation not applied), widened to RGB; those that take
/// a job check it row by row.
namespace moorhaze::codecs {

/// What a file's header says.
struct Header {
    int width = 0, height = 0, bits = 0;
    bool grey = false;
    int samples = 3;  ///< a pixel, as they lie in the file; alpha among them
};

struct EncodeOptions {
    int jpeg_quality = 95;     ///< 1..100; from 90 on colour is stored at full resolution
    double dots_per_inch = 0;  ///< 0: nothing is said
};

inline constexpr double kMaxMegapixels =
    500;  ///< more than any camera of today; guards against damaged headers
inline constexpr double kMaxThumbnailMegapixels = 4;  ///< decoded; larger ones are no help

struct FileCloser {
    void operator()(std::FILE* file) const noexcept { std::fclose(file); }
};
using FileHandle = std::unique_ptr<std::FILE, FileCloser>;

/// @throws FileError with the system's reason.
FileHandle open_for_reading(const std::filesystem::path& file);
FileHandle open_for_writing(const std::filesystem::path& file);
/// Flushes to the disc. @throws FileError when the disc is full or gone.
void finish_writing(FileHandle file, const std::filesystem::path& name);

/// @throws FileError when a header's size is impossible.
void check_size(const std::filesystem::path& file, double width, double height);

/// @throws FileError saying that curves for brightness beyond the paper's white (PQ and HLG of ITU-R BT.2100)
/// are not developed.
[[noreturn]] void refuse_high_dynamic_range(const std::filesystem::path& file);

/// EXIF orientation 1..8 (tag 0x0112): lays stored pixels upright.
cv::Mat upright(const cv::Mat& stored, int orientation);

Header probe_jpeg(const std::filesystem::path& file);
Header probe_tiff(const std::filesystem::path& file);
Header probe_png(const std::filesystem::path& file);
Header probe_heif(const std::filesystem::path& file);
Header probe_jxl(const std::filesystem::path& file);

/// @param shrink  1, 2, 4 or 8: decode at that fraction of the size (JPEG only; others ignore it).
Picture decode_jpeg(const std::filesystem::path& file, int shrink, const Job& job = {});
/// A JPEG that lies inside another file, reduced while it is decoded as far as that leaves it as long as is
/// asked for, or as far as thumbnails may be large.
/// @param file  for messages.   @throws FileError, also for one that no thumbnail is.
Picture decode_jpeg_bytes(const std::filesystem::path& file, const std::vector<std::uint8_t>& bytes,
                          int longest_side_px);
Picture decode_tiff(const std::filesystem::path& file, const Job& job = {});
Picture decode_png(const std::filesystem::path& file, const Job& job = {});
/// HEIF (ISO/IEC 23008-12) and JPEG XL (ISO/IEC 18181): their decoders lay the picture upright themselves.
Picture decode_heif(const std::filesystem::path& file);
Picture decode_jxl(const std::filesystem::path& file);
/// The shooting data as a TIFF-structured block; empty if there are none. @throws FileError.
std::vector<std::uint8_t> heif_exif(const std::filesystem::path& file);
std::vector<std::uint8_t> jxl_exif(const std::filesystem::path& file);

/// Takes off the four bytes that say where the TIFF header begins after them, and what lies before it; empty
/// when there is no header. ISO/IEC 23008-12, A.2.1 (HEIF) and ISO/IEC 18181-2 (JPEG XL).
std::vector<std::uint8_t> after_exif_offset(std::vector<std::uint8_t> block);

void encode_jpeg(const std::filesystem::path& file, const Picture& picture, const EncodeOptions& options);
/// Encoders embed the picture's profile as it is: for sRGB they are handed srgb_profile().
/// @param dots_per_inch  0: nothing is said.
void encode_tiff(const std::filesystem::path& file, const Picture& picture, TiffCompression compression,
                 double dots_per_inch);
void encode_png(const std::filesystem::path& file, const Picture& picture, double dots_per_inch);
/// @param quality  1..100; 100 is lossless.
void encode_jxl(const std::filesystem::path& file, const Picture& picture, int quality,
                const MetadataBlocks& metadata);

}  // namespace moorhaze::codecs
