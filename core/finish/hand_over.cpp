// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/hand_over.h"

#include <algorithm>
#include <cmath>
#include <fstream>
#include <iterator>
#include <opencv2/imgproc.hpp>

#include "core/files/linear_dng.h"
#include "core/finish/fine_detail.h"
#include "core/picture/converted.h"
#include "core/picture/over_white.h"
#include "core/picture/resized.h"
#include "core/work/errors.h"

namespace moorhaze {
namespace {

constexpr double kMillimetresPerInch = 25.4;
constexpr std::size_t kLongestName = 255,
                      kLongestPart = 200;  // bytes; Linux file systems' limit, and room for the rest
constexpr double kMostPixels = 65535;      // more than any picture that is opened

std::string plain(double value) {
    char text[32];
    std::snprintf(text, sizeof text, "%g", value);
    return text;
}

const char* format_name(FileFormat format) {
    switch (format) {
        case FileFormat::jpeg:
            return "JPEG";
        case FileFormat::png:
            return "PNG";
        case FileFormat::jxl:
            return "JPEG XL";
        case FileFormat::raw:
            return "Linear DNG";
        case FileFormat::open_raster:
            return "OpenRaster, layers";
        default:
            return "TIFF";
    }
}

std::string ending_of(FileFormat format) {
    switch (format) {
        case FileFormat::jpeg:
            return ".jpg";
        case FileFormat::png:
            return ".png";
        case FileFormat::jxl:
            return ".jxl";
        case FileFormat::raw:
            return ".dng";
        case FileFormat::open_raster:
            return ".ora";
        default:
            return ".tif";
    }
}

}  // namespace

std::string as_file_name(const std::string& text) {
    std::string name;
    for (const char letter : text)
        name += (unsigned char)letter < 32 || std::string("/\\:*?\"<>|").find(letter) != std::string::npos
                    ? '-'
                    : letter;
    while (!name.empty() && (name.back() == ' ' || name.back() == '.')) name.pop_back();
    const auto first = name.find_first_not_of(" .");
    return first == std::string::npos ? "unnamed" : name.substr(first);
}

std::string shortened(const std::string& text, std::size_t bytes) {
    if (text.size() <= bytes) return text;
    // Not within a letter of several bytes (UTF-8, RFC 3629).
    while (bytes > 0 && ((unsigned char)text[bytes] & 0xc0) == 0x80) --bytes;
    return text.substr(0, bytes);
}

void check(const Output& output) {
    if (output.format == FileFormat::heif)
        throw BadParameter(
            "this kind of file cannot be written; use TIFF, JPEG, PNG, JPEG XL, DNG or OpenRaster");
    const bool keeps_size = output.format == FileFormat::raw || output.format == FileFormat::open_raster;
    if (keeps_size && output.size.wish != SizeWish::full)
        throw BadParameter("a DNG and a layered file keep the full size; choose it, or another kind of file");
    if (output.format == FileFormat::raw && output.bits != 16)
        throw BadParameter("a DNG has 16 bits a sample");
    if (output.bits != 8 && output.bits != 16) throw BadParameter("a picture has 8 or 16 bits a sample");
    if (output.format == FileFormat::jpeg && output.bits == 16)
        throw BadParameter("a JPEG has 8 bits a sample; use TIFF, PNG or JPEG XL for 16");
    if (output.quality < 1 || output.quality > 100)
        throw BadParameter("the quality of JPEG and JPEG XL lies between 1 and 100");
    if (!(output.size.value > 0 && output.size.value <= 1e5))
        throw BadParameter("the size is " + plain(output.size.value) + "; it lies above 0");
    if (!(output.size.dots_per_inch >= 1 && output.size.dots_per_inch <= 10000))
        throw BadParameter("the resolution is " + plain(output.size.dots_per_inch) +
                           " dots an inch; it lies between 1 and 10000");
    if (!(output.sharpen >= 0 && output.sharpen <= 1))
        throw BadParameter("sharpening for the size lies between 0 and 1");
    if (output.name.empty()) throw BadParameter("the file needs a name");
}

std::string in_words(const Output& output) {
    std::string words = format_name(output.format);
    if (output.format != FileFormat::jpeg) words += " " + std::to_string(output.bits) + " bit";
    if (output.format == FileFormat::jpeg || output.format == FileFormat::jxl)
        words += output.format == FileFormat::jxl && output.quality == 100
                     ? ", lossless"
                     : ", quality " + std::to_string(output.quality);
    if (output.profile == ProfileWish::srgb) words += ", sRGB";
    if (output.profile == ProfileWish::wide) words += ", wide";
    if (output.profile == ProfileWish::file) words += ", " + output.profile_file.stem().string();
    const std::string value = plain(output.size.value);
    switch (output.size.wish) {
        case SizeWish::full:
            break;
        case SizeWish::long_side:
            words += ", long side " + value + " px";
            break;
        case SizeWish::width:
            words += ", " + value + " px wide";
            break;
        case SizeWish::height:
            words += ", " + value + " px high";
            break;
        case SizeWish::percent:
            words += ", " + value + " %";
            break;
        case SizeWish::print:
            words += ", " + value + " mm at " + plain(output.size.dots_per_inch) + " dpi";
            break;
    }
    return words;
}

const std::vector<std::string>& name_pattern_parts() {
    static const std::vector<std::string> parts = {"{series}", "{result}", "{method}", "{article}",
                                                   "{date}",   "{size}",   "{width}",  "{height}",
                                                   "{frames}", "{number}", "{format}"};
    return parts;
}

std::string name_of_output(const std::string& pattern, const NameParts& parts, FileFormat format) {
    const std::string format_word = ending_of(format).substr(1);
    const std::string values[] = {shortened(parts.series, kLongestPart),
                                  parts.result,
                                  parts.method,
                                  parts.article,
                                  parts.date,
                                  std::to_string(std::max(parts.width, parts.height)),
                                  std::to_string(parts.width),
                                  std::to_string(parts.height),
                                  std::to_string(parts.frames),
                                  std::string(parts.number < 10 ? "0" : "") + std::to_string(parts.number),
                                  format_word};
    std::string name;
    for (std::size_t at = 0; at < pattern.size();) {
        if (pattern[at] != '{') {
            name += pattern[at++];
            continue;
        }
        const std::size_t end = pattern.find('}', at);
        const std::string part =
            end == std::string::npos ? pattern.substr(at) : pattern.substr(at, end - at + 1);
        const auto& known = name_pattern_parts();
        const auto found = std::find(known.begin(), known.end(), part);
        if (found == known.end()) {
            std::string all;
            for (const std::string& own : known) all += (all.empty() ? "" : " ") + own;
            throw BadParameter(part + " is no part of a name; there are " + all);
        }
        name += values[found - known.begin()];
        at = end + 1;
    }
    if (pattern.find_first_not_of(" .") == std::string::npos) throw BadParameter("the file needs a name");
    name = as_file_name(name);
    const std::string ending = ending_of(format);
    const bool has_ending =
        name.size() > ending.size() && name.compare(name.size() - ending.size(), ending.size(), ending) == 0;
    if (!has_ending) name += ending;
    if (name.size() > kLongestName)
        throw BadParameter("the file's name would have " + std::to_string(name.size()) +
                           " bytes, and file systems take 255; shorten what it is made of");
    return name;
}

std::filesystem::path free_name(const std::filesystem::path& file) {
    std::filesystem::path free = file;
    std::error_code unknown;
    for (int number = 2; std::filesystem::exists(free, unknown); ++number)
        free = file.parent_path() /
               (file.stem().string() + "-" + std::to_string(number) + file.extension().string());
    return free;
}

cv::Size size_of_output(const OutputSize& size, cv::Size picture) {
    double factor = 1;
    const double longest = std::max(picture.width, picture.height);
    switch (size.wish) {
        case SizeWish::full:
            return picture;
        case SizeWish::long_side:
            factor = size.value / longest;
            break;
        case SizeWish::width:
            factor = size.value / picture.width;
            break;
        case SizeWish::height:
            factor = size.value / picture.height;
            break;
        case SizeWish::percent:
            factor = size.value / 100;
            break;
        case SizeWish::print:
            factor = size.value / kMillimetresPerInch * size.dots_per_inch / longest;
            break;
    }
    const double width = std::round(picture.width * factor), height = std::round(picture.height * factor);
    if (!(width >= 1 && height >= 1))
        throw BadParameter("at this size the picture would be less than a pixel high; make it larger");
    if (width > kMostPixels || height > kMostPixels || width * height > 500e6)
        throw BadParameter("at this size the picture would have " + plain(width) + " x " + plain(height) +
                           " pixels; make it smaller");
    return {int(width), int(height)};
}

ColourProfile profile_of_output(const Output& output, const ColourProfile& frames) {
    switch (output.profile) {
        case ProfileWish::as_frames:
            return frames;
        case ProfileWish::srgb:
            return {};
        case ProfileWish::wide:
            return working_profile();
        case ProfileWish::file:
            break;
    }
    if (output.profile_file.empty()) throw BadParameter("no colour profile is chosen; choose a file (.icc)");
    std::ifstream in(output.profile_file, std::ios::binary);
    if (!in)
        throw FileError(output.profile_file.string() +
                        ": cannot be read. Check that it exists and may be read.");
    const ColourProfile profile{{std::istreambuf_iterator<char>(in), {}}};
    if (profile.icc.empty() || !is_rgb_profile(profile))
        throw FileError(output.profile_file.string() +
                        ": is no colour profile for RGB pictures. Choose another one (.icc).");
    return profile;
}

Picture for_output(const Picture& finished, const Output& output, const Job& job) {
    check(output);
    Picture picture = output.format == FileFormat::jpeg ? over_white(finished) : finished;
    const cv::Size size = size_of_output(output.size, picture.pixels.size());
    if (size != picture.pixels.size()) {
        picture = resized(picture, size, job.part(0, 0.5));
        if (output.sharpen > 0) {
            const ToneCurve curve(picture.profile);
            cv::Mat3f light = to_linear(picture, curve), low, high;
            // Steeper edges, without rims: white beside something dark stays white.
            cv::erode(light, low, cv::Mat());
            cv::dilate(light, high, cv::Mat());
            // As wide as the kernel of the reduction softens: about half a pixel.
            sharpen_detail(light, {.sharpening = output.sharpen, .radius_px = 0.5, .threshold = 0}, {}, {}, 1,
                           job.quiet());
            light = cv::min(cv::max(light, low), high);
            picture.pixels = from_linear(light, curve, picture.profile).pixels;
        }
    }
    return converted(picture, profile_of_output(output, picture.profile), job.part(0.5, 1), output.intent);
}

namespace {

constexpr int kPreviewSide = 1024;

void write_dng(const std::filesystem::path& file, const HandedPicture& picture, const SaidInFile& said,
               bool overwrite, const Job& job) {
    if (!picture.raw)
        throw BadParameter(file.string() +
                           ": the frames are no raw files (of three colours) that can be read, so there is "
                           "no DNG to make of them. Use TIFF, 16 bit.");
    const double longest = std::max(picture.finished.width(), picture.finished.height());
    const double scale = std::min(1.0, kPreviewSide / longest);
    const cv::Size size(std::max(1, int(picture.finished.width() * scale)),
                        std::max(1, int(picture.finished.height() * scale)));
    const Picture preview =
        with_bits(converted(resized(over_white(picture.finished), size, job.part(0, 0.2)), {}, {}), 8);
    write_linear_dng(file, picture.framed ? picture.framed(job.part(0.2, 0.5)) : picture.finished,
                     *picture.raw, preview, said, overwrite, job.part(0.5, 1));
}

/// Lowest the merge, then what was painted, then all of it finished: that is what the merged image shows.
void write_layers(const std::filesystem::path& file, const HandedPicture& picture, const Output& output,
                  bool overwrite, const Job& job) {
    const ColourProfile profile = output.profile == ProfileWish::as_frames
                                      ? ColourProfile{}
                                      : profile_of_output(output, picture.finished.profile);
    const Picture merged = converted(picture.finished, profile, {});
    // Through a finished layer that is transparent in places those below it would show.
    const bool covers = merged.alpha.empty();
    const LayerSource layers = [&](const TakeLayer& take, const Job& own) {
        const TakeLayer in_profile = [&](const RasterLayer& layer) {
            take({layer.name, converted(layer.picture, profile, {}), layer.corner,
                  layer.is_visible && covers});
        };
        if (picture.layers)
            picture.layers(in_profile, own);
        else if (picture.framed)
            in_profile({"as it was", picture.framed(own), {}, true});
        take({"finished", merged, {}, true});
    };
    write_open_raster(file, merged, layers, output.bits, overwrite, job);
}

}  // namespace

std::string write_output(const std::filesystem::path& file, const HandedPicture& picture,
                         const Output& output, const SaidInFile& said, bool overwrite, const Job& job) {
    check(output);
    if (output.format == FileFormat::raw) {
        write_dng(file, picture, said, overwrite, job);
        return {};
    }
    if (output.format == FileFormat::open_raster) {
        write_layers(file, picture, output, overwrite, job);
        return {};
    }
    const Picture ready = for_output(picture.finished, output, job.part(0, 0.6));
    WriteSettings write;
    write.format = output.format;
    write.bits = output.bits;
    write.jpeg_quality = output.quality;
    write.compression = output.compression;
    write.overwrite = overwrite;
    write.made_with = said.made_with;
    write.about = said.about;
    write.with_private = said.with_private;
    write.dots_per_inch = output.size.dots_per_inch;
    return write_picture_anyway(file, ready, said.shooting, write, job.part(0.6, 1));
}

}  // namespace moorhaze
