// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/dng.h"

#include <tiffio.h>

#include <cmath>
#include <stdexcept>
#include <vector>

namespace moorhaze::test {

// Tags of DNG 1.4 and TIFF/EP, by number: libtiff's older headers don't name all of them.
void write_dng(const std::filesystem::path& file, const DngSettings& settings,
               const std::function<cv::Vec3d(int x, int y)>& light) {
    TIFF* tiff = TIFFOpen(file.c_str(), "w");
    if (!tiff) throw std::runtime_error("cannot write " + file.string());
    const auto width = std::uint32_t(settings.size.width), height = std::uint32_t(settings.size.height);
    TIFFSetField(tiff, TIFFTAG_SUBFILETYPE, 0);
    TIFFSetField(tiff, TIFFTAG_IMAGEWIDTH, width);
    TIFFSetField(tiff, TIFFTAG_IMAGELENGTH, height);
    TIFFSetField(tiff, TIFFTAG_BITSPERSAMPLE, 16);
    TIFFSetField(tiff, TIFFTAG_SAMPLESPERPIXEL, 1);
    TIFFSetField(tiff, TIFFTAG_COMPRESSION, COMPRESSION_NONE);
    TIFFSetField(tiff, TIFFTAG_PHOTOMETRIC, 32803);  // colour filter array
    TIFFSetField(tiff, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(tiff, TIFFTAG_ORIENTATION, settings.orientation);
    TIFFSetField(tiff, TIFFTAG_ROWSPERSTRIP, height);
    TIFFSetField(tiff, TIFFTAG_MAKE, "Moorhaze");
    TIFFSetField(tiff, TIFFTAG_MODEL, "Rig");
    if (!settings.taken.empty()) TIFFSetField(tiff, TIFFTAG_DATETIME, settings.taken.c_str());
    const std::uint16_t pattern_size[2] = {2, 2};
    TIFFSetField(tiff, TIFFTAG_CFAREPEATPATTERNDIM, pattern_size);
    const std::uint8_t pattern[4] = {0, 1, 1, 2};  // red green / green blue
    TIFFSetField(tiff, TIFFTAG_CFAPATTERN, 4, pattern);
    const std::uint8_t version[4] = {1, 4, 0, 0};
    TIFFSetField(tiff, TIFFTAG_DNGVERSION, version);
    TIFFSetField(tiff, TIFFTAG_UNIQUECAMERAMODEL, "Moorhaze Rig");
    const float black = float(settings.black);
    TIFFSetField(tiff, TIFFTAG_BLACKLEVEL, 1, &black);
    const std::uint32_t white = std::uint32_t(settings.white);
    TIFFSetField(tiff, TIFFTAG_WHITELEVEL, 1, &white);
    // DNG's ColorMatrix takes XYZ to the camera's unbalanced colours; this camera's differ by `neutral`
    // alone, which readers find by normalising the rows.
    TIFFSetField(tiff, TIFFTAG_COLORMATRIX1, 9, settings.from_xyz.data());
    TIFFSetField(tiff, TIFFTAG_CALIBRATIONILLUMINANT1, 21);  // D65
    TIFFSetField(tiff, TIFFTAG_ASSHOTNEUTRAL, 3, settings.neutral.data());
    std::vector<std::uint16_t> row(width);
    for (std::uint32_t y = 0; y < height; ++y) {
        for (std::uint32_t x = 0; x < width; ++x) {
            const int channel = pattern[(y % 2) * 2 + x % 2];
            const double value =
                light(int(x), int(y))[channel] * double(settings.neutral[std::size_t(channel)]);
            row[x] = std::uint16_t(std::clamp(
                std::lround(settings.black + value * (settings.white - settings.black)), 0L, 65535L));
        }
        TIFFWriteScanline(tiff, row.data(), y, 0);
    }
    TIFFClose(tiff);
}

}  // namespace moorhaze::test
