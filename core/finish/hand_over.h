// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/files/picture_file.h"
#include "core/files/raw.h"
#include "core/finish/open_raster.h"
#include "core/picture/converted.h"
#include "core/work/job.h"

/// How a finished picture leaves: one description per file, and what is said about the picture in all of
/// them.
namespace moorhaze {

/// The colours that a file's values are in.
enum class ProfileWish {
    as_frames,  ///< those of the frames; of layered files, whose readers know no other, sRGB
    srgb,       ///< IEC 61966-2-1
    wide,       ///< working_profile() of raw files: no colour that a camera sees of surfaces lies outside
    file        ///< those of an ICC profile
};

enum class SizeWish { full, long_side, width, height, percent, print };

struct OutputSize {
    SizeWish wish = SizeWish::full;
    double value = 1500;         ///< px, or %, or of `print` the long side in mm
    double dots_per_inch = 300;  ///< of `print`; written to every file
    bool operator==(const OutputSize&) const = default;
};

struct Output {
    /// TIFF, JPEG, PNG, JPEG XL; raw: linear DNG of a raw series; OpenRaster. The last two keep the full
    /// size.
    FileFormat format = FileFormat::tiff;
    int bits = 16;     ///< 8 or 16; JPEG is always 8
    int quality = 95;  ///< of JPEG and JPEG XL, 1..100; JPEG XL: 100 is lossless
    TiffCompression compression = TiffCompression::deflate;
    ProfileWish profile = ProfileWish::as_frames;
    std::filesystem::path profile_file;  ///< of ProfileWish::file
    ColourIntent intent = ColourIntent::relative;
    OutputSize size;
    double sharpen = 0;                    ///< 0..1: for its size, after it was made smaller
    std::string name = "{series}-merged";  ///< see name_of_output(); without an ending
    bool is_off = false;                   ///< not written
    bool operator==(const Output&) const = default;
};

struct HandOver {
    std::vector<Output> outputs = {Output{}};
    AboutPicture about;
    std::string article;                 ///< number or name that the pattern's {article} stands for
    std::filesystem::path article_list;  ///< where none is typed: a table of numbers (see articles.h)
    /// Where the frames were taken, by whose camera, and its and the lens's numbers go along in the files.
    bool with_private = false;
    bool operator==(const HandOver&) const = default;
};

/// @throws BadParameter naming the first value that is outside its range, or a format that cannot be written
/// or does not have so many bits.
void check(const Output& output);
/// "TIFF 16 bit, sRGB, long side 1500 px".
std::string in_words(const Output& output);

/// What the names of files are made from.
struct NameParts {
    std::string series, result, method, article;
    std::string date;  ///< 2026-11-24
    int width = 0, height = 0;
    int frames = 0;
    int number = 1;  ///< that counts on from file to file
    bool operator==(const NameParts&) const = default;
};
/// The pattern with {series}, {result}, {method}, {article}, {date}, {size} (the long side), {width},
/// {height}, {frames}, {number} (two digits or more) and {format} replaced; characters that file systems
/// refuse become '-'. Its ending comes with it.
/// @throws BadParameter for an unknown part, which is named with those there are, or an empty name.
std::string name_of_output(const std::string& pattern, const NameParts& parts, FileFormat format);
/// The parts that a pattern may hold, with their braces.
const std::vector<std::string>& name_pattern_parts();
/// A text as the name of a file: what file systems and shells of today refuse, and control characters, become
/// '-'; nothing hidden. "unnamed" where nothing is left: no name is ever empty, "." or "..".
std::string as_file_name(const std::string& text);
/// The beginning of a text, at most so many bytes long, of whole letters (UTF-8).
std::string shortened(const std::string& text, std::size_t bytes);
/// "name" or the first of "name-2", "name-3", ... that is not there.
std::filesystem::path free_name(const std::filesystem::path& file);

/// The size that a picture is given.   @throws BadParameter for less than a pixel or more than is opened.
cv::Size size_of_output(const OutputSize& size, cv::Size picture);

/// The profile's bytes; empty for sRGB. Those of the frames where that is wished for.
/// @throws FileError for a file that is no profile of RGB pictures, BadParameter where none is named.
ColourProfile profile_of_output(const Output& output, const ColourProfile& frames);

/// The picture as a file of that kind holds it: resized, sharpened, in its profile. Grey stays grey.
/// A JPEG has no transparency: it is laid on white.
/// @throws as the parts. Thread-safe; peak memory 2 outputs.
Picture for_output(const Picture& finished, const Output& output, const Job& job);

/// What files are made of. Refers to what its functions refer to.
struct HandedPicture {
    HandedPicture(Picture finished_picture) : finished(std::move(finished_picture)) {}

    Picture finished;
    /// As it was merged and mended, framed like `finished`; for a DNG. Empty: as finished.
    std::function<Picture(const Job&)> framed;
    /// The layers of a layered file, the lowest first, without the finished one; places in the finished
    /// picture. Empty: there are none.
    LayerSource layers;
    /// How the frames were developed; none: they were no raw files.
    std::optional<RawRendering> raw;
};

/// Writes one output.
/// @param file  with its ending.
/// @param said  its resolution and colours are the output's own.
/// @return  what could not be put into the file, in a sentence, as write_picture_anyway().
/// @throws as write_picture_anyway(), write_linear_dng() and write_open_raster(); BadParameter for a DNG of
/// frames that were no raw files.
[[nodiscard]] std::string write_output(const std::filesystem::path& file, const HandedPicture& picture,
                                       const Output& output, const SaidInFile& said, bool overwrite,
                                       const Job& job);

}  // namespace moorhaze
