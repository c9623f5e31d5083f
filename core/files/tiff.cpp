// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cstring>
#include <opencv2/core.hpp>
#include <vector>

#include "core/files/codecs.h"
#include "core/files/interleaved.h"
#include "core/files/tiff_handle.h"

namespace moorhaze::codecs {
namespace {

struct Layout {
    int width, height, bits, samples;
    std::uint16_t photometric, planar;
    bool is_float() const { return bits == 32; }
    bool grey() const { return photometric <= PHOTOMETRIC_MINISBLACK; }
};

ColourProfile profile_of(const TiffHandle& tiff) {
    std::uint32_t icc_length = 0;
    void* icc = nullptr;
    if (!TIFFGetField(tiff.get(), TIFFTAG_ICCPROFILE, &icc_length, &icc) || icc_length == 0) return {};
    const auto* bytes = static_cast<const std::uint8_t*>(icc);
    return {{bytes, bytes + icc_length}};
}

Layout layout_of(const TiffHandle& tiff, const std::filesystem::path& file) {
    Layout layout{};
    const auto width = tiff.tag<std::uint32_t>(TIFFTAG_IMAGEWIDTH, 0);
    const auto height = tiff.tag<std::uint32_t>(TIFFTAG_IMAGELENGTH, 0);
    check_size(file, width, height);
    layout.width = int(width);
    layout.height = int(height);
    layout.bits = tiff.tag<std::uint16_t>(TIFFTAG_BITSPERSAMPLE, 1);
    layout.samples = tiff.tag<std::uint16_t>(TIFFTAG_SAMPLESPERPIXEL, 1);
    layout.photometric = tiff.tag<std::uint16_t>(TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_MINISBLACK);
    layout.planar = tiff.tag<std::uint16_t>(TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    const auto kind = tiff.tag<std::uint16_t>(TIFFTAG_SAMPLEFORMAT, SAMPLEFORMAT_UINT);
    if (kind == SAMPLEFORMAT_IEEEFP ? layout.bits != 32 : layout.bits != 8 && layout.bits != 16)
        tiff.unsupported("its samples have " + std::to_string(layout.bits) + " bits");
    if (kind != SAMPLEFORMAT_UINT && kind != SAMPLEFORMAT_IEEEFP)
        tiff.unsupported("its samples are signed or complex");
    if (layout.is_float() && profile_of(tiff).icc.empty())
        tiff.unsupported(
            "its samples are floating point and no profile says what light they are: save it with its "
            "profile");
    const bool ycc = layout.photometric == PHOTOMETRIC_YCBCR &&
                     tiff.tag<std::uint16_t>(TIFFTAG_COMPRESSION, COMPRESSION_NONE) == COMPRESSION_JPEG;
    if (layout.photometric == PHOTOMETRIC_PALETTE) tiff.unsupported("it holds a palette");
    if (!layout.grey() && layout.photometric != PHOTOMETRIC_RGB && !ycc)
        tiff.unsupported("its colours are neither grey nor RGB");
    if (ycc) TIFFSetField(tiff.get(), TIFFTAG_JPEGCOLORMODE, JPEGCOLORMODE_RGB);
    if (layout.samples < (layout.grey() ? 1 : 3) || layout.samples > 8)
        tiff.unsupported("it has " + std::to_string(layout.samples) + " samples a pixel");
    return layout;
}

/// All samples, H×W×samples, put together from strips or tiles, interleaved or in planes.
cv::Mat read_samples(const TiffHandle& tiff, const Layout& layout, const Job& job) {
    const int depth = layout.is_float() ? CV_32F : layout.bits == 16 ? CV_16U : CV_8U;
    const std::size_t sample_bytes = std::size_t(layout.bits) / 8;
    cv::Mat all(layout.height, layout.width, CV_MAKETYPE(depth, layout.samples));
    const bool planes = layout.planar == PLANARCONFIG_SEPARATE && layout.samples > 1;
    const int block_samples = planes ? 1 : layout.samples;
    const bool tiled = TIFFIsTiled(tiff.get());

    const auto block_width =
        tiled ? tiff.tag<std::uint32_t>(TIFFTAG_TILEWIDTH, 0) : std::uint32_t(layout.width);
    auto block_height = tiled ? tiff.tag<std::uint32_t>(TIFFTAG_TILELENGTH, 0)
                              : tiff.tag<std::uint32_t>(TIFFTAG_ROWSPERSTRIP, std::uint32_t(layout.height));
    if (!tiled) block_height = std::min(block_height, std::uint32_t(layout.height));
    if (block_width == 0 || block_height == 0) tiff.fail();
    const tmsize_t block_bytes = tiled ? TIFFTileSize(tiff.get()) : TIFFStripSize(tiff.get());
    const std::size_t row_bytes = block_width * std::size_t(block_samples) * sample_bytes;
    if (block_bytes <= 0 || std::size_t(block_bytes) < row_bytes) tiff.fail();
    check_size("TIFF block", block_width, block_height);
    // Not filled: a header may promise much more than the file has.
    const std::unique_ptr<std::uint8_t[]> block(new std::uint8_t[std::size_t(block_bytes)]);

    for (int plane = 0; plane < (planes ? layout.samples : 1); ++plane)
        for (std::uint32_t top = 0; top < std::uint32_t(layout.height); top += block_height)
            for (std::uint32_t left = 0; left < std::uint32_t(layout.width); left += block_width) {
                job.checkpoint();
                const auto sample = std::uint16_t(plane);
                const tmsize_t got =
                    tiled ? TIFFReadEncodedTile(tiff.get(), TIFFComputeTile(tiff.get(), left, top, 0, sample),
                                                block.get(), block_bytes)
                          : TIFFReadEncodedStrip(tiff.get(), TIFFComputeStrip(tiff.get(), top, sample),
                                                 block.get(), block_bytes);
                const int rows = int(std::min(block_height, std::uint32_t(layout.height) - top));
                const int columns = int(std::min(block_width, std::uint32_t(layout.width) - left));
                if (got < 0 || std::size_t(got) < row_bytes * std::size_t(rows - 1) +
                                                      std::size_t(columns * block_samples) * sample_bytes)
                    tiff.fail();
                for (int y = 0; y < rows; ++y) {
                    const std::uint8_t* source = block.get() + std::size_t(y) * row_bytes;
                    std::uint8_t* target = all.ptr(int(top) + y) +
                                           std::size_t(left) * std::size_t(layout.samples) * sample_bytes;
                    if (!planes)
                        std::memcpy(target, source, std::size_t(columns * block_samples) * sample_bytes);
                    else
                        for (int x = 0; x < columns; ++x)
                            std::memcpy(target + std::size_t(x * layout.samples + plane) * sample_bytes,
                                        source + std::size_t(x) * sample_bytes, sample_bytes);
                }
            }
    return all;
}

/// Each sample less the one before it in its row: predictor 2 of TIFF 6.0, section 14.
template <class Value>
void take_differences(Value* row, int count, int samples) {
    for (int i = count - 1; i >= samples; --i) row[i] = Value(row[i] - row[i - samples]);
}

/// Rows as they stand in the file before they are compressed: differences.
cv::Mat rows_of(const Picture& picture, cv::Range range) {
    cv::Mat plain = interleaved(picture, range);
    const int rows = plain.rows;
    const int samples = plain.channels();
    for (int y = 0; y < rows; ++y)
        if (picture.bits() == 16)
            take_differences(plain.ptr<std::uint16_t>(y), plain.cols * samples, samples);
        else
            take_differences(plain.ptr<std::uint8_t>(y), plain.cols * samples, samples);
    return plain;
}

void write(TiffHandle& tiff, const Picture& picture, TiffCompression compression, double dots_per_inch) {
    const int samples = picture.alpha.empty() ? 3 : 4;
    const int bits = picture.bits();
    TIFF* out = tiff.get();
    TIFFSetField(out, TIFFTAG_IMAGEWIDTH, std::uint32_t(picture.width()));
    TIFFSetField(out, TIFFTAG_IMAGELENGTH, std::uint32_t(picture.height()));
    TIFFSetField(out, TIFFTAG_SAMPLESPERPIXEL, samples);
    TIFFSetField(out, TIFFTAG_BITSPERSAMPLE, bits);
    TIFFSetField(out, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
    TIFFSetField(out, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(out, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
    TIFFSetField(out, TIFFTAG_COMPRESSION,
                 compression == TiffCompression::none  ? COMPRESSION_NONE
                 : compression == TiffCompression::lzw ? COMPRESSION_LZW
                                                       : COMPRESSION_ADOBE_DEFLATE);
    // The predictor belongs to a compression, and is set after it.
    if (compression != TiffCompression::none) TIFFSetField(out, TIFFTAG_PREDICTOR, PREDICTOR_HORIZONTAL);
    TIFFSetField(out, TIFFTAG_SOFTWARE, "Moorhaze");
    if (dots_per_inch > 0) {
        TIFFSetField(out, TIFFTAG_XRESOLUTION, float(dots_per_inch));
        TIFFSetField(out, TIFFTAG_YRESOLUTION, float(dots_per_inch));
        TIFFSetField(out, TIFFTAG_RESOLUTIONUNIT, RESUNIT_INCH);
    }
    if (samples == 4) {
        const std::uint16_t kind = EXTRASAMPLE_UNASSALPHA;
        TIFFSetField(out, TIFFTAG_EXTRASAMPLES, 1, &kind);
    }
    if (!picture.profile.icc.empty())
        TIFFSetField(out, TIFFTAG_ICCPROFILE, std::uint32_t(picture.profile.icc.size()),
                     picture.profile.icc.data());

    if (compression == TiffCompression::deflate)
        write_strips(tiff, picture.height(), [&](cv::Range rows) { return rows_of(picture, rows); });
    else
        write_plain_strips(tiff, picture.height(),
                           [&](cv::Range rows) { return interleaved(picture, rows); });
    if (!TIFFFlush(tiff.get())) tiff.fail();
}

}  // namespace

Header probe_tiff(const std::filesystem::path& file) {
    const TiffHandle tiff(file, "r");
    const Layout layout = layout_of(tiff, file);
    return {layout.width, layout.height, layout.bits, layout.grey(), layout.samples};
}

Picture decode_tiff(const std::filesystem::path& file, const Job& job) {
    const TiffHandle tiff(file, "r");
    const Layout layout = layout_of(tiff, file);
    cv::Mat all = read_samples(tiff, layout, job);
    // Values of 0 to 1 by the file's profile, as 16 bits; what lies beyond is clipped, what is no number
    // black.
    if (layout.is_float()) {
        cv::patchNaNs(all, 0);
        all.convertTo(all, CV_16U, 65535);
    }
    Picture picture;
    picture.pixels.create(all.size(), CV_MAKETYPE(all.depth(), 3));
    const int grey_routes[] = {0, 0, 0, 1, 0, 2}, colour_routes[] = {0, 0, 1, 1, 2, 2};
    cv::mixChannels(&all, 1, &picture.pixels, 1, layout.grey() ? grey_routes : colour_routes, 3);
    // Only the grey is turned round: alpha counts the same in every TIFF.
    if (layout.photometric == PHOTOMETRIC_MINISWHITE) cv::bitwise_not(picture.pixels, picture.pixels);

    std::uint16_t extra_count = 0;
    std::uint16_t* extra_kinds = nullptr;
    TIFFGetFieldDefaulted(tiff.get(), TIFFTAG_EXTRASAMPLES, &extra_count, &extra_kinds);
    const int alpha_place = layout.grey() ? 1 : 3;
    if (extra_count > 0 && layout.samples > alpha_place && extra_kinds[0] != EXTRASAMPLE_UNSPECIFIED) {
        cv::extractChannel(all, picture.alpha, alpha_place);
        if (extra_kinds[0] == EXTRASAMPLE_ASSOCALPHA) unassociate(picture);
    }
    picture.profile = profile_of(tiff);
    return picture;
}

void encode_tiff(const std::filesystem::path& file, const Picture& picture, TiffCompression compression,
                 double dots_per_inch) {
    const double bytes = double(picture.pixels.total()) * double(picture.pixels.elemSize());
    TiffHandle tiff(file, bytes > 3.5e9 ? "w8" : "w");
    try {
        write(tiff, picture, compression, dots_per_inch);
        tiff.close();
        if (!tiff.message().empty()) tiff.fail();
    } catch (const FileError&) {
        throw FileError(file.string() + ": could not be written (" + tiff.message() + "). Is the disc full?");
    }
}

}  // namespace moorhaze::codecs
