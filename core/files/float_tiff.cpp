#include "core/files/float_tiff.h"

#include <tiffio.h>

#include <memory>

#include "core/files/safe_write.h"
#include "core/work/errors.h"

namespace moorhaze {
namespace {

struct Closer {
    void operator()(TIFF* tiff) const noexcept { TIFFClose(tiff); }
};
using Handle = std::unique_ptr<TIFF, Closer>;

}  // namespace

void write_plane(const std::filesystem::path& file, const cv::Mat& plane) {
    if (plane.type() != CV_32FC1 && plane.type() != CV_16UC1)
        throw BadParameter("a plane is written from 32-bit float or 16-bit values");
    write_beside_then_rename(file, true, [&](const std::filesystem::path& temporary) {
        const Handle tiff(
            TIFFOpen(temporary.c_str(), plane.total() * plane.elemSize() > 3'500'000'000u ? "w8" : "w"));
        if (!tiff) throw FileError(file.string() + ": cannot be written. Choose another folder.");
        const bool floating = plane.depth() == CV_32F;
        TIFFSetField(tiff.get(), TIFFTAG_IMAGEWIDTH, std::uint32_t(plane.cols));
        TIFFSetField(tiff.get(), TIFFTAG_IMAGELENGTH, std::uint32_t(plane.rows));
        TIFFSetField(tiff.get(), TIFFTAG_SAMPLESPERPIXEL, 1);
        TIFFSetField(tiff.get(), TIFFTAG_BITSPERSAMPLE, floating ? 32 : 16);
        TIFFSetField(tiff.get(), TIFFTAG_SAMPLEFORMAT, floating ? SAMPLEFORMAT_IEEEFP : SAMPLEFORMAT_UINT);
        TIFFSetField(tiff.get(), TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_MINISBLACK);
        TIFFSetField(tiff.get(), TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
        TIFFSetField(tiff.get(), TIFFTAG_COMPRESSION, COMPRESSION_ADOBE_DEFLATE);
        // No predictor: the floating-point one is unknown to several readers.
        TIFFSetField(tiff.get(), TIFFTAG_ROWSPERSTRIP, 64);
        cv::Mat row;
        for (int y = 0; y < plane.rows; ++y) {
            plane.row(y).copyTo(row);
            if (TIFFWriteScanline(tiff.get(), row.data, std::uint32_t(y), 0) != 1)
                throw FileError(file.string() + ": could not be written. Is the disc full?");
        }
    });
}

cv::Mat read_plane(const std::filesystem::path& file) {
    const Handle tiff(TIFFOpen(file.c_str(), "r"));
    std::uint32_t width = 0, height = 0;
    std::uint16_t bits = 0, samples = 1;
    if (!tiff || !TIFFGetField(tiff.get(), TIFFTAG_IMAGEWIDTH, &width) ||
        !TIFFGetField(tiff.get(), TIFFTAG_IMAGELENGTH, &height) ||
        !TIFFGetField(tiff.get(), TIFFTAG_BITSPERSAMPLE, &bits))
        throw FileError(file.string() + ": cannot be read as a plane of numbers. Write it again.");
    TIFFGetFieldDefaulted(tiff.get(), TIFFTAG_SAMPLESPERPIXEL, &samples);
    if ((bits != 16 && bits != 32) || samples != 1)
        throw FileError(file.string() + ": is not a plane of 16-bit or float numbers. Write it again.");
    cv::Mat plane(int(height), int(width), bits == 32 ? CV_32FC1 : CV_16UC1);
    for (int y = 0; y < plane.rows; ++y)
        if (TIFFReadScanline(tiff.get(), plane.ptr(y), std::uint32_t(y), 0) != 1)
            throw FileError(file.string() + ": is cut off. Write it again.");
    return plane;
}

}  // namespace moorhaze
