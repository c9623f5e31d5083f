// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/linear_dng.h"

#include <tiffio.h>

#include <algorithm>
#include <cmath>

#include "core/files/safe_write.h"
#include "core/files/tiff_handle.h"
#include "core/picture/tone_curve.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kLinearRaw = 34892;  // DNG 1.4, PhotometricInterpretation
constexpr float kFull = 65535;

void set_size(TIFF* out, cv::Size size, int bits) {
    TIFFSetField(out, TIFFTAG_IMAGEWIDTH, std::uint32_t(size.width));
    TIFFSetField(out, TIFFTAG_IMAGELENGTH, std::uint32_t(size.height));
    TIFFSetField(out, TIFFTAG_BITSPERSAMPLE, bits);
    TIFFSetField(out, TIFFTAG_SAMPLESPERPIXEL, 3);
    TIFFSetField(out, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(out, TIFFTAG_COMPRESSION, COMPRESSION_NONE);
    TIFFSetField(out, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
}

/// The preview's directory holds what is said of the whole file.
void write_preview(codecs::TiffHandle& tiff, const Picture& preview, const RawRendering& rendering) {
    TIFF* out = tiff.get();
    TIFFSetField(out, TIFFTAG_SUBFILETYPE, FILETYPE_REDUCEDIMAGE);
    set_size(out, preview.pixels.size(), 8);
    TIFFSetField(out, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
    TIFFSetField(out, TIFFTAG_MAKE, "Moorhaze");
    TIFFSetField(out, TIFFTAG_MODEL, rendering.camera.c_str());
    TIFFSetField(out, TIFFTAG_SOFTWARE, "Moorhaze");
    const std::uint8_t version[] = {1, 4, 0, 0}, oldest_reader[] = {1, 1, 0, 0};
    TIFFSetField(out, TIFFTAG_DNGVERSION, version);
    TIFFSetField(out, TIFFTAG_DNGBACKWARDVERSION, oldest_reader);
    TIFFSetField(out, TIFFTAG_UNIQUECAMERAMODEL, rendering.camera.c_str());
    float matrix[9], neutral[3];
    for (int i = 0; i < 9; ++i) matrix[i] = float(rendering.from_xyz.val[i]);
    for (int c = 0; c < 3; ++c) neutral[c] = float(rendering.neutral[c]);
    TIFFSetField(out, TIFFTAG_COLORMATRIX1, 9, matrix);
    TIFFSetField(out, TIFFTAG_CALIBRATIONILLUMINANT1, rendering.illuminant);
    TIFFSetField(out, TIFFTAG_ASSHOTNEUTRAL, 3, neutral);
    TIFFSetField(out, TIFFTAG_BASELINEEXPOSURE, float(rendering.exposure_ev));
    const std::uint64_t none = 0;
    TIFFSetField(out, TIFFTAG_SUBIFD, 1, &none);  // the next directory
    codecs::write_plain_strips(tiff, preview.height(),
                               [&](cv::Range rows) { return preview.pixels.rowRange(rows).clone(); });
    if (!TIFFWriteDirectory(out)) tiff.fail();
}

void write_light(codecs::TiffHandle& tiff, const Picture& picture, const RawRendering& rendering,
                 const Job& job) {
    TIFF* out = tiff.get();
    TIFFSetField(out, TIFFTAG_SUBFILETYPE, 0);
    set_size(out, picture.pixels.size(), 16);
    TIFFSetField(out, TIFFTAG_PHOTOMETRIC, kLinearRaw);
    const float black[] = {0, 0, 0};
    const std::uint32_t white[] = {65535, 65535, 65535};
    TIFFSetField(out, TIFFTAG_BLACKLEVEL, 3, black);
    TIFFSetField(out, TIFFTAG_WHITELEVEL, 3, white);
    const ToneCurve curve(picture.profile);
    const cv::Matx33f to_camera(rendering.camera_from_picture);
    const cv::Vec3f offset(rendering.camera_offset);
    codecs::write_plain_strips(tiff, picture.height(), [&](cv::Range range) {
        job.checkpoint(double(range.start) / picture.height());
        cv::Mat3w rows(range.size(), picture.width());
        for_rows(rows.rows, job.quiet(), [&](int y) {
            const auto* from = picture.pixels.ptr<std::uint16_t>(range.start + y);
            for (int x = 0; x < rows.cols; ++x) {
                cv::Vec3f light;
                for (int c = 0; c < 3; ++c) light[c] = curve.linear_of_16(c)[from[3 * x + c]];
                const cv::Vec3f camera = to_camera * light + offset;
                for (int c = 0; c < 3; ++c)
                    rows(y, x)[c] = std::uint16_t(std::clamp(camera[c], 0.0f, 1.0f) * kFull + 0.5f);
            }
        });
        return cv::Mat(rows);
    });
    if (!TIFFWriteDirectory(out)) tiff.fail();
}

}  // namespace

void write_linear_dng(const std::filesystem::path& file, const Picture& picture,
                      const RawRendering& rendering, const Picture& preview, SaidInFile said, bool overwrite,
                      const Job& job) {
    said.dots_per_inch = 0;
    said.in_srgb = false;
    if (picture.bits() != 16 || picture.profile != working_profile())
        throw BadParameter(file.string() + ": only a merge of raw frames becomes a DNG; use TIFF");
    write_beside_then_rename(file, overwrite, [&](const std::filesystem::path& temporary) {
        {
            codecs::TiffHandle tiff(temporary, "w");
            try {
                write_preview(tiff, preview, rendering);
                write_light(tiff, picture, rendering, job.part(0, 0.9));
                tiff.close();
                if (!tiff.message().empty()) tiff.fail();
            } catch (const FileError&) {
                throw FileError(file.string() + ": could not be written (" + tiff.message() +
                                "). Is the disc full?");
            }
        }
        write_said(temporary, said);
        job.checkpoint(1);
    });
}

}  // namespace moorhaze
