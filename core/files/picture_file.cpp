// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/picture_file.h"

#include <lcms2.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <functional>

#include "core/files/codecs.h"
#include "core/files/raw.h"
#include "core/files/safe_write.h"
#include "core/picture/colour_space.h"
#include "core/picture/resized.h"
#include "core/work/decode_budget.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace codecs {

FileHandle open_for_reading(const std::filesystem::path& file) {
    FileHandle handle(std::fopen(file.c_str(), "rb"));
    if (!handle)
        throw FileError(file.string() + ": cannot be opened (" + std::strerror(errno) +
                        "). Check that it exists and may be read.");
    return handle;
}

FileHandle open_for_writing(const std::filesystem::path& file) {
    FileHandle handle(std::fopen(file.c_str(), "wb"));
    if (!handle)
        throw FileError(file.string() + ": cannot be written (" + std::strerror(errno) +
                        "). Choose another folder.");
    return handle;
}

void finish_writing(FileHandle file, const std::filesystem::path& name) {
    const bool flushed =
        std::fflush(file.get()) == 0 && !std::ferror(file.get()) && fsync(fileno(file.get())) == 0;
    const int reason = errno;
    if (std::fclose(file.release()) != 0 || !flushed)
        throw FileError(name.string() + ": could not be written (" + std::strerror(reason) +
                        "). Is the disc full?");
}

void check_size(const std::filesystem::path& file, double width, double height) {
    if (width < 1 || height < 1)
        throw FileError(file.string() + ": says it is empty (" + std::to_string(long(width)) + "x" +
                        std::to_string(long(height)) + " pixels). Copy it again, or leave this frame out.");
    if (width * height > kMaxMegapixels * 1e6 || width > 1e6 || height > 1e6)
        throw FileError(file.string() + ": says it has " + std::to_string(long(width)) + "x" +
                        std::to_string(long(height)) + " pixels, more than the " +
                        std::to_string(int(kMaxMegapixels)) +
                        " megapixels Moorhaze opens. Is it damaged? Else make it smaller first.");
}

void refuse_high_dynamic_range(const std::filesystem::path& file) {
    throw FileError(file.string() +
                    ": its brightness is coded for high-dynamic-range screens (PQ or HLG), which is not read "
                    "yet. Export the frames as TIFF, or as raw files.");
}

cv::Mat upright(const cv::Mat& stored, int orientation) {
    if (stored.empty() || orientation <= 1) return stored;
    cv::Mat turned = stored;
    if (orientation >= 5) cv::transpose(stored, turned);
    // After the transposition of 5..8, which mirror is left.
    static constexpr int none = 2;
    static constexpr int mirror[] = {none, none, 1, -1, 0, none, 1, -1, 0};
    if (mirror[orientation] == none) return turned;
    cv::Mat out;
    cv::flip(turned, out, mirror[orientation]);
    return out;
}

}  // namespace codecs

namespace {

const char* name_of(FileFormat format) {
    switch (format) {
        case FileFormat::jpeg:
            return "JPEG";
        case FileFormat::tiff:
            return "TIFF";
        case FileFormat::png:
            return "PNG";
        case FileFormat::raw:
            return "raw file";
        case FileFormat::heif:
            return "HEIF";
        case FileFormat::jxl:
            return "JPEG XL";
        case FileFormat::open_raster:
            return "OpenRaster file";
    }
    return "";
}

std::string ending_of(const std::filesystem::path& file) {
    std::string ending = file.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](unsigned char c) { return char(std::tolower(c)); });
    return ending;
}

bool has_raw_ending(const std::filesystem::path& file) {
    const auto& known = raw_endings();
    return std::find(known.begin(), known.end(), ending_of(file)) != known.end();
}

/// The signatures of ISO/IEC 10918-1 (JPEG), TIFF 6.0 and BigTIFF, ISO/IEC 15948 (PNG), ISO/IEC 18181-2
/// (JPEG XL) and ISO/IEC 14496-12 (the boxes of HEIF).
FileFormat format_of_content(const std::filesystem::path& file) {
    // Before it is opened: a pipe would wait for somebody to write.
    std::error_code unknown;
    if (const auto kind = std::filesystem::status(file, unknown); std::filesystem::exists(kind) &&
                                                                  !std::filesystem::is_regular_file(kind) &&
                                                                  !std::filesystem::is_directory(kind))
        throw FileError(file.string() + ": is a pipe or a device, and no picture. Leave it out.");
    const auto handle = codecs::open_for_reading(file);
    unsigned char start[8] = {};
    const auto count = std::fread(start, 1, sizeof start, handle.get());
    if (count == 0)
        throw FileError(file.string() + (std::filesystem::is_directory(file)
                                             ? ": is a folder. Name it alone to open the frames in it."
                                             : ": is empty. Copy it again from the card."));
    auto begins = [&](const char* signature, std::size_t length) {
        return count >= length && std::memcmp(start, signature, length) == 0;
    };
    if (begins("\xFF\xD8\xFF", 3)) return FileFormat::jpeg;
    if (begins("\x89PNG\r\n\x1A\n", 8)) return FileFormat::png;
    if (begins("\xFF\x0A", 2) || begins("\0\0\0\x0CJXL ", 8)) return FileFormat::jxl;
    if (has_raw_ending(file)) return FileFormat::raw;
    if (count >= 8 && std::memcmp(start + 4, "ftyp", 4) == 0) return FileFormat::heif;
    if (begins("II*\0", 4) || begins("MM\0*", 4) || begins("II+\0", 4) || begins("MM\0+", 4))
        return FileFormat::tiff;
    throw FileError(
        file.string() +
        ": is not a JPEG, TIFF, PNG, HEIF, JPEG XL or raw file, whatever its name says. Leave it out, or "
        "convert it first.");
}

codecs::Header probe(const std::filesystem::path& file, FileFormat format) {
    switch (format) {
        case FileFormat::jpeg:
            return codecs::probe_jpeg(file);
        case FileFormat::tiff:
            return codecs::probe_tiff(file);
        case FileFormat::png:
            return codecs::probe_png(file);
        case FileFormat::heif:
            return codecs::probe_heif(file);
        case FileFormat::jxl:
            return codecs::probe_jxl(file);
        case FileFormat::raw:
        case FileFormat::open_raster:
            break;  // read_raw_info; never read
    }
    return {};
}

/// A grey profile cannot stay on RGB pixels: the values become sRGB by way of it.
void convert_grey_profile(Picture& picture) {
    if (picture.profile.icc.empty()) return;
    cmsHPROFILE own =
        cmsOpenProfileFromMem(picture.profile.icc.data(), cmsUInt32Number(picture.profile.icc.size()));
    if (!own) {
        picture.profile = {};
        return;
    }
    if (cmsGetColorSpace(own) == cmsSigGrayData) {
        cmsHPROFILE srgb = cmsCreate_sRGBProfile();
        const bool deep = picture.bits() == 16;
        cmsHTRANSFORM way =
            cmsCreateTransform(own, deep ? TYPE_GRAY_16 : TYPE_GRAY_8, srgb, deep ? TYPE_RGB_16 : TYPE_RGB_8,
                               INTENT_RELATIVE_COLORIMETRIC, 0);
        if (way) {
            cv::Mat grey;
            cv::extractChannel(picture.pixels, grey, 0);
            for (int y = 0; y < grey.rows; ++y)
                cmsDoTransform(way, grey.ptr(y), picture.pixels.ptr(y), cmsUInt32Number(grey.cols));
            cmsDeleteTransform(way);
        }
        cmsCloseProfile(srgb);
        picture.profile = {};
    }
    cmsCloseProfile(own);
}

bool lays_itself_upright(FileFormat format) {
    return format == FileFormat::heif || format == FileFormat::jxl;
}

ShootingData shooting_of(const std::filesystem::path& file, FileFormat format) {
    if (!lays_itself_upright(format)) return read_shooting_data(file);
    ShootingData data;
    try {
        data =
            shooting_data_of(format == FileFormat::heif ? codecs::heif_exif(file) : codecs::jxl_exif(file));
    } catch (const FileError&) {
        // Shooting data never stop a series.
    }
    data.orientation = 1;
    return data;
}

/// What decoding takes at its height, beside the finished picture: rows as they lie in the file, both lying
/// and upright, and what the libraries themselves hold (measured; JPEG XL works in floats).
std::size_t decoding_bytes(const codecs::Header& header, FileFormat format, int shrink) {
    const double pixels = double(header.width) * header.height / (double(shrink) * shrink);
    const double sample = header.bits > 16  ? 6
                          : header.bits > 8 ? 2
                                            : 1;  // floats are read, then made 16 bit
    const double each = format == FileFormat::jpeg   ? 6
                        : format == FileFormat::jxl  ? 28
                        : format == FileFormat::heif ? 12 * sample
                                                     : (3 + std::max(3, header.samples)) * sample;
    return std::size_t(pixels * each);
}

/// What libraries throw becomes words: it ends one frame, never the series.
template <class Work>
auto of_one_file(const std::filesystem::path& file, const Work& work) {
    constexpr const char* kRemedy = "Make it smaller first, or leave this frame out.";
    try {
        return work();
    } catch (const DecodeBudget::TooLarge& own) {
        throw FileError(file.string() + ": opening it takes " + std::to_string(own.wanted >> 20) +
                        " MB, more than the " + std::to_string(own.most >> 20) +
                        " MB that this machine has for it. " + kRemedy);
    } catch (const std::bad_alloc&) {
        throw FileError(file.string() + ": there is not enough memory to open it. " + kRemedy);
    } catch (const cv::Exception& error) {
        if (error.code == cv::Error::StsNoMem)
            throw FileError(file.string() + ": there is not enough memory to open it. " + kRemedy);
        throw FileError(file.string() + ": cannot be opened (" + error.err + "). Leave this frame out.");
    }
}

Picture decode(const std::filesystem::path& file, FileFormat format, int shrink,
               const Development& development, const Job& job = {}) {
    if (format == FileFormat::raw) return develop_raw(file, development, shrink, job);
    const int reduced_by = format == FileFormat::jpeg ? shrink : 1;
    const codecs::Header header = probe(file, format);
    codecs::check_size(file, header.width, header.height);
    const DecodeBudget::Share share(decode_budget(), decoding_bytes(header, format, reduced_by), job);
    Picture picture = format == FileFormat::jpeg   ? codecs::decode_jpeg(file, shrink, job)
                      : format == FileFormat::tiff ? codecs::decode_tiff(file, job)
                      : format == FileFormat::heif ? codecs::decode_heif(file)
                      : format == FileFormat::jxl  ? codecs::decode_jxl(file)
                                                   : codecs::decode_png(file, job);
    if (picture.profile.icc.empty() && says_op_rgb(file)) picture.profile = op_rgb_profile();
    if (picture.profile == srgb_profile()) picture.profile = {};
    convert_grey_profile(picture);
    const int orientation = lays_itself_upright(format)   ? 1
                            : development.orientation > 0 ? development.orientation
                                                          : read_shooting_data(file).orientation;
    picture.pixels = codecs::upright(picture.pixels, orientation);
    picture.alpha = codecs::upright(picture.alpha, orientation);
    return picture;
}

}  // namespace

const std::vector<std::string>& picture_endings() {
    static const std::vector<std::string> endings = [] {
        std::vector<std::string> all = {".jpg", ".jpeg", ".tif", ".tiff", ".png", ".heic", ".heif", ".jxl"};
        all.insert(all.end(), raw_endings().begin(), raw_endings().end());
        return all;
    }();
    return endings;
}

FileFormat format_of_name(const std::filesystem::path& file) {
    const std::string ending = ending_of(file);
    if (ending == ".jpg" || ending == ".jpeg") return FileFormat::jpeg;
    if (ending == ".tif" || ending == ".tiff") return FileFormat::tiff;
    if (ending == ".png") return FileFormat::png;
    if (ending == ".jxl") return FileFormat::jxl;
    if (ending == ".dng") return FileFormat::raw;
    if (ending == ".ora") return FileFormat::open_raster;
    throw BadParameter(
        file.string() +
        ": the ending says no format that can be written. Use .tif, .jpg, .png, .jxl, .dng or .ora.");
}

PictureInfo read_picture_info(const std::filesystem::path& file) {
    PictureInfo info;
    info.format = format_of_content(file);
    if (info.format == FileFormat::raw) {
        const RawInfo raw = read_raw_info(file);
        info.width = raw.width;
        info.height = raw.height;
        info.bits = raw.bits;
        info.noted_red = raw.noted_red;
        info.noted_blue = raw.noted_blue;
        info.shooting = raw.shooting;
        return info;
    }
    const codecs::Header header = probe(file, info.format);
    codecs::check_size(file, header.width, header.height);
    info.shooting = shooting_of(file, info.format);
    info.width = header.width;
    info.height = header.height;
    if (info.shooting.orientation >= 5) std::swap(info.width, info.height);
    info.bits = header.bits;
    const std::string ending = ending_of(file);
    if ((info.format == FileFormat::heif && (ending == ".heic" || ending == ".heif")) ||
        (info.format == FileFormat::jxl && ending == ".jxl"))
        return info;
    try {
        if (format_of_name(file) != info.format)
            info.warning =
                file.string() + ": holds a " + name_of(info.format) + ", though its name says otherwise";
    } catch (const BadParameter&) {
        info.warning =
            file.string() + ": holds a " + name_of(info.format) + ", though its name does not say so";
    }
    return info;
}

Picture read_picture(const std::filesystem::path& file, const Development& development, const Job& job) {
    return of_one_file(file, [&] { return decode(file, format_of_content(file), 1, development, job); });
}

namespace {

Picture preview_of(const std::filesystem::path& file, int longest_side_px, const Development& development) {
    const FileFormat format = format_of_content(file);
    const PictureInfo info = format == FileFormat::raw ? read_picture_info(file) : PictureInfo{};
    const codecs::Header header =
        format == FileFormat::raw ? codecs::Header{info.width, info.height, 16, false} : probe(file, format);
    int shrink = 1;
    while (shrink < 8 && std::max(header.width, header.height) / (2 * shrink) >= longest_side_px) shrink *= 2;
    Picture picture = decode(file, format, shrink, development);
    const double factor = double(longest_side_px) / std::max(picture.width(), picture.height());
    if (factor >= 1) return picture;
    const cv::Size size(std::max(1, int(std::lround(picture.width() * factor))),
                        std::max(1, int(std::lround(picture.height() * factor))));
    return with_bits(resized(picture, size, {}), picture.bits());
}

}  // namespace

Picture read_preview(const std::filesystem::path& file, int longest_side_px, const Development& development) {
    if (longest_side_px < 1) throw BadParameter("a preview needs at least 1 pixel");
    return of_one_file(file, [&] { return preview_of(file, longest_side_px, development); });
}

Picture read_thumbnail(const std::filesystem::path& file, int longest_side_px,
                       const Development& development) {
    const auto bytes =
        format_of_content(file) == FileFormat::raw ? read_raw_thumbnail(file) : read_exif_thumbnail(file);
    if (!bytes.empty()) try {
            return of_one_file(file, [&] { return codecs::decode_jpeg_bytes(file, bytes, longest_side_px); });
        } catch (const FileError&) {
            // A damaged thumbnail says nothing of the picture.
        }
    return read_preview(file, longest_side_px, development);
}

Picture with_bits(const Picture& picture, int bits) {
    if (bits != 8 && bits != 16) throw BadParameter("a picture has 8 or 16 bits a sample");
    if (picture.bits() == bits) return picture;
    Picture converted{{}, {}, picture.profile};
    const int depth = bits == 16 ? CV_16U : CV_8U;
    const double scale = bits == 16 ? 257.0 : 1.0 / 257.0;
    picture.pixels.convertTo(converted.pixels, depth, scale);
    if (!picture.alpha.empty()) picture.alpha.convertTo(converted.alpha, depth, scale);
    return converted;
}

Picture dithered_to_8(const Picture& picture) {
    if (picture.bits() == 8) return picture;
    Picture made = with_bits({picture.pixels.rowRange(0, 0), picture.alpha, picture.profile}, 8);
    made.pixels.create(picture.pixels.size(), CV_8UC3);
    for_rows(made.height(), {}, [&](int y) {
        const auto* from = picture.pixels.ptr<std::uint16_t>(y);
        auto* to = made.pixels.ptr<std::uint8_t>(y);
        for (int x = 0; x < made.width(); ++x) {
            // A lattice by the plastic number: any few neighbours cover 0..1 evenly, so that the eye, and a
            // JPEG's block, see the mean. Source: Roberts, "The Unreasonable Effectiveness of Quasirandom
            // Sequences", 2018 (from memory).
            const double along = 0.7548776662466927 * x + 0.5698402909980532 * y;
            const auto threshold = unsigned(257 * (along - std::floor(along)));
            for (int c = 0; c < 3; ++c) to[3 * x + c] = std::uint8_t((from[3 * x + c] + threshold) / 257u);
        }
    });
    return made;
}

namespace {

/// Encodes into a file that nobody sees yet, and opens it again.
/// @return  what could not be said in it.
std::string encode(const std::filesystem::path& file, const Picture& picture, const WriteSettings& settings,
                   const SaidInFile& said, const Job& job) {
    std::string unsaid;
    const auto without = [&](const FileError& error) {
        unsaid = std::string("it was written without shooting data: ") + error.what();
    };
    switch (settings.format) {
        case FileFormat::jpeg:
            codecs::encode_jpeg(file, picture, {settings.jpeg_quality, settings.dots_per_inch});
            break;
        case FileFormat::tiff:
            codecs::encode_tiff(file, picture, settings.compression, settings.dots_per_inch);
            break;
        case FileFormat::png:
            codecs::encode_png(file, picture, settings.dots_per_inch);
            break;
        case FileFormat::jxl: {
            MetadataBlocks blocks;
            try {
                blocks = metadata_blocks(said);
            } catch (const FileError& error) {
                without(error);
            }
            codecs::encode_jxl(file, picture, settings.jpeg_quality, blocks);
            break;
        }
        case FileFormat::raw:
        case FileFormat::heif:
        case FileFormat::open_raster:
            throw BadParameter(file.string() + ": a " + name_of(settings.format) + " cannot be written");
    }
    job.checkpoint(0.8);
    if (settings.format != FileFormat::jxl) try {
            write_said(file, said);
        } catch (const FileError& error) {
            without(error);
        }
    const codecs::Header header = probe(file, settings.format);
    if (header.width != picture.width() || header.height != picture.height())
        throw FileError(file.string() + ": could not be written: what was read back is another size.");
    return unsaid;
}

/// @param take_unsaid  gets what could not be said before the file counts.
void write_or_tell(const std::filesystem::path& file, const Picture& picture, const ShootingData& shooting,
                   const WriteSettings& settings, const Job& job,
                   const std::function<void(const std::string& unsaid)>& take_unsaid) {
    if (picture.pixels.empty()) throw BadParameter(file.string() + ": there is no picture to write");
    if (settings.jpeg_quality < 1 || settings.jpeg_quality > 100)
        throw BadParameter("the quality of JPEG and JPEG XL lies between 1 and 100");
    const int bits = settings.format == FileFormat::jpeg ? 8 : settings.bits;
    // A JPEG's quantisation takes dither away again, and what is left of it moves flat colours.
    Picture ready =
        bits == 8 && settings.format != FileFormat::jpeg ? dithered_to_8(picture) : with_bits(picture, bits);
    const bool in_srgb = ready.profile.icc.empty();
    // JPEG XL has a name for it.
    if (in_srgb && settings.format != FileFormat::jxl) ready.profile = srgb_profile();
    const SaidInFile said{shooting, settings.made_with,   settings.about, settings.dots_per_inch,
                          in_srgb,  settings.with_private};
    write_beside_then_rename(file, settings.overwrite, [&](const std::filesystem::path& temporary) {
        job.checkpoint(0.1);
        std::string unsaid = encode(temporary, ready, settings, said, job);
        if (const auto place = unsaid.find(temporary.string()); place != std::string::npos)
            unsaid.replace(place, temporary.string().size(), file.string());
        if (!unsaid.empty()) take_unsaid(unsaid);
        job.checkpoint(1.0);
    });
}

}  // namespace

void write_picture(const std::filesystem::path& file, const Picture& picture, const ShootingData& shooting,
                   const WriteSettings& settings, const Job& job) {
    write_or_tell(file, picture, shooting, settings, job,
                  [](const std::string& unsaid) { throw FileError(unsaid); });
}

std::string write_picture_anyway(const std::filesystem::path& file, const Picture& picture,
                                 const ShootingData& shooting, const WriteSettings& settings,
                                 const Job& job) {
    std::string left_out;
    write_or_tell(file, picture, shooting, settings, job,
                  [&](const std::string& unsaid) { left_out = unsaid; });
    return left_out;
}

}  // namespace moorhaze
