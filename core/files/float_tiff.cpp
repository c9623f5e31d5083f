// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/float_tiff.h"

#include "core/files/codecs.h"
#include "core/files/safe_write.h"
#include "core/files/tiff_handle.h"
#include "core/work/errors.h"

namespace moorhaze {

void write_plane(const std::filesystem::path& file, const cv::Mat& plane) {
    if (plane.type() != CV_32FC1 && plane.type() != CV_16UC1 && plane.type() != CV_8UC1)
        throw BadParameter("a plane is written from 32-bit float, 16-bit or 8-bit values");
    write_beside_then_rename(file, true, [&](const std::filesystem::path& temporary) {
        codecs::TiffHandle tiff(temporary, plane.total() * plane.elemSize() > 3'500'000'000u ? "w8" : "w");
        TIFF* out = tiff.get();
        TIFFSetField(out, TIFFTAG_IMAGEWIDTH, std::uint32_t(plane.cols));
        TIFFSetField(out, TIFFTAG_IMAGELENGTH, std::uint32_t(plane.rows));
        TIFFSetField(out, TIFFTAG_SAMPLESPERPIXEL, 1);
        TIFFSetField(out, TIFFTAG_BITSPERSAMPLE, int(8 * plane.elemSize()));
        TIFFSetField(out, TIFFTAG_SAMPLEFORMAT,
                     plane.depth() == CV_32F ? SAMPLEFORMAT_IEEEFP : SAMPLEFORMAT_UINT);
        TIFFSetField(out, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_MINISBLACK);
        TIFFSetField(out, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
        // No predictor: the floating-point one is unknown to several readers.
        try {
            codecs::write_strips(tiff, plane.rows, [&](cv::Range rows) {
                const cv::Mat own = plane.rowRange(rows);
                return own.isContinuous() ? own : own.clone();
            });
            tiff.close();
            if (!tiff.message().empty()) tiff.fail();
        } catch (const FileError&) {
            throw FileError(file.string() + ": could not be written (" + tiff.message() +
                            "). Is the disc full?");
        }
    });
}

cv::Mat read_plane(const std::filesystem::path& file) {
    const codecs::TiffHandle tiff(file, "r");
    const auto width = tiff.tag<std::uint32_t>(TIFFTAG_IMAGEWIDTH, 0);
    const auto height = tiff.tag<std::uint32_t>(TIFFTAG_IMAGELENGTH, 0);
    const auto bits = tiff.tag<std::uint16_t>(TIFFTAG_BITSPERSAMPLE, 1);
    const auto samples = tiff.tag<std::uint16_t>(TIFFTAG_SAMPLESPERPIXEL, 1);
    codecs::check_size(file, width, height);
    if ((bits != 8 && bits != 16 && bits != 32) || samples != 1)
        throw FileError(file.string() +
                        ": is not a plane of 8-bit, 16-bit or float numbers. Write it again.");
    cv::Mat plane(int(height), int(width), bits == 32 ? CV_32FC1 : bits == 16 ? CV_16UC1 : CV_8UC1);
    for (int y = 0; y < plane.rows; ++y)
        if (TIFFReadScanline(tiff.get(), plane.ptr(y), std::uint32_t(y), 0) != 1)
            throw FileError(file.string() + ": is cut off. Write it again.");
    return plane;
}

}  // namespace moorhaze
