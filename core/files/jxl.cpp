// SPDX-License-Identifier: GPL-3.0-or-later
#include <jxl/decode.h>
#include <jxl/encode.h>
#include <jxl/thread_parallel_runner.h>

#include <algorithm>
#include <cstring>
#include <fstream>
#include <iterator>

#include "core/files/codecs.h"

namespace moorhaze::codecs {
namespace {

struct FreeDecoder {
    void operator()(JxlDecoder* decoder) const noexcept { JxlDecoderDestroy(decoder); }
};

[[noreturn]] void fail_jxl(const std::filesystem::path& file) {
    throw FileError(file.string() +
                    ": the JPEG XL picture is damaged or cut off. Copy it again, or leave this frame out.");
}

std::vector<std::uint8_t> bytes_of(const std::filesystem::path& file) {
    std::ifstream in(file, std::ios::binary);
    return {std::istreambuf_iterator<char>(in), {}};
}

/// What is wanted of a file; the rest is passed over.
struct Wanted {
    Header header;
    Picture picture;
    std::vector<std::uint8_t> exif;
};

/// Runs the decoder through a whole file.
/// @param events  JXL_DEC_* that are wanted.
Wanted run(const std::filesystem::path& file, int events) {
    const auto bytes = bytes_of(file);
    const std::unique_ptr<JxlDecoder, FreeDecoder> decoder(JxlDecoderCreate(nullptr));
    Wanted wanted;
    JxlBasicInfo info{};
    bool has_pixels = false;
    std::vector<std::uint8_t> box(std::size_t(1) << 20);
    bool in_exif = false;
    const auto close_box = [&] {
        if (!in_exif) return;
        const std::size_t left = JxlDecoderReleaseBoxBuffer(decoder.get());
        wanted.exif.assign(box.begin(), box.end() - std::ptrdiff_t(left));
        in_exif = false;
    };
    if (JxlDecoderSubscribeEvents(decoder.get(), events) != JXL_DEC_SUCCESS) fail_jxl(file);
    JxlDecoderSetDecompressBoxes(decoder.get(), JXL_TRUE);
    JxlDecoderSetInput(decoder.get(), bytes.data(), bytes.size());
    JxlDecoderCloseInput(decoder.get());
    for (;;) {
        const JxlDecoderStatus status = JxlDecoderProcessInput(decoder.get());
        if (status == JXL_DEC_BASIC_INFO) {
            if (JxlDecoderGetBasicInfo(decoder.get(), &info) != JXL_DEC_SUCCESS) fail_jxl(file);
            check_size(file, info.xsize, info.ysize);
            wanted.header = {int(info.xsize), int(info.ysize), info.bits_per_sample > 8 ? 16 : 8,
                             info.num_color_channels == 1};
            if (!(events & (JXL_DEC_FULL_IMAGE | JXL_DEC_BOX))) return wanted;
        } else if (status == JXL_DEC_COLOR_ENCODING) {
            std::size_t size = 0;
            if (JxlDecoderGetICCProfileSize(decoder.get(), nullptr, JXL_COLOR_PROFILE_TARGET_DATA, &size) ==
                JXL_DEC_SUCCESS) {
                wanted.picture.profile.icc.resize(size);
                JxlDecoderGetColorAsICCProfile(decoder.get(), nullptr, JXL_COLOR_PROFILE_TARGET_DATA,
                                               wanted.picture.profile.icc.data(), size);
            }
        } else if (status == JXL_DEC_NEED_IMAGE_OUT_BUFFER) {
            const bool deep = wanted.header.bits > 8;
            const JxlPixelFormat format{3, deep ? JXL_TYPE_UINT16 : JXL_TYPE_UINT8, JXL_NATIVE_ENDIAN, 0};
            wanted.picture.pixels.create(wanted.header.height, wanted.header.width,
                                         deep ? CV_16UC3 : CV_8UC3);
            if (JxlDecoderSetImageOutBuffer(
                    decoder.get(), &format, wanted.picture.pixels.data,
                    wanted.picture.pixels.total() * wanted.picture.pixels.elemSize()) != JXL_DEC_SUCCESS)
                fail_jxl(file);
        } else if (status == JXL_DEC_FULL_IMAGE) {
            has_pixels = true;
        } else if (status == JXL_DEC_BOX) {
            close_box();
            JxlBoxType type;
            if (JxlDecoderGetBoxType(decoder.get(), type, JXL_TRUE) == JXL_DEC_SUCCESS &&
                std::memcmp(type, "Exif", 4) == 0) {
                JxlDecoderSetBoxBuffer(decoder.get(), box.data(), box.size());
                in_exif = true;
            }
        } else if (status == JXL_DEC_SUCCESS) {
            close_box();
            if ((events & JXL_DEC_FULL_IMAGE) && !has_pixels) fail_jxl(file);
            return wanted;
        } else if (status == JXL_DEC_BOX_NEED_MORE_OUTPUT) {
            close_box();
            wanted.exif.clear();  // a megabyte of shooting data is none
        } else {
            fail_jxl(file);
        }
    }
}

struct FreeEncoder {
    void operator()(JxlEncoder* encoder) const noexcept { JxlEncoderDestroy(encoder); }
};
struct FreeRunner {
    void operator()(void* runner) const noexcept { JxlThreadParallelRunnerDestroy(runner); }
};

/// Interleaved samples as the encoder takes them.
cv::Mat samples_of(const Picture& picture) {
    if (picture.alpha.empty()) return picture.pixels.isContinuous() ? picture.pixels : picture.pixels.clone();
    cv::Mat all(picture.pixels.size(), CV_MAKETYPE(picture.pixels.depth(), 4));
    const cv::Mat parts[] = {picture.pixels, picture.alpha};
    const int routes[] = {0, 0, 1, 1, 2, 2, 3, 3};
    cv::mixChannels(parts, 2, &all, 1, routes, 4);
    return all;
}

/// The distance that stands for a quality, where 1 is told from the original by nobody: the encoder's own
/// scale of later versions (libjxl 0.9, encode.cc; from memory).
float distance_of(int quality) {
    if (quality >= 100) return 0;
    if (quality >= 30) return 0.1f + float(100 - quality) * 0.09f;
    return 53.0f / 3000 * float(quality * quality) - 23.0f / 20 * float(quality) + 25;
}

}  // namespace

Header probe_jxl(const std::filesystem::path& file) {
    return run(file, JXL_DEC_BASIC_INFO).header;
}

Picture decode_jxl(const std::filesystem::path& file) {
    return run(file, JXL_DEC_BASIC_INFO | JXL_DEC_COLOR_ENCODING | JXL_DEC_FULL_IMAGE).picture;
}

std::vector<std::uint8_t> jxl_exif(const std::filesystem::path& file) {
    return after_exif_offset(run(file, JXL_DEC_BOX).exif);
}

void encode_jxl(const std::filesystem::path& file, const Picture& picture, int quality,
                const MetadataBlocks& metadata) {
    const auto refuse = [&](const char* what) {
        throw FileError(file.string() + ": cannot be made a JPEG XL (" + what + "). Use TIFF instead.");
    };
    const std::unique_ptr<JxlEncoder, FreeEncoder> encoder(JxlEncoderCreate(nullptr));
    const std::unique_ptr<void, FreeRunner> runner(
        JxlThreadParallelRunnerCreate(nullptr, JxlThreadParallelRunnerDefaultNumWorkerThreads()));
    if (!encoder ||
        JxlEncoderSetParallelRunner(encoder.get(), JxlThreadParallelRunner, runner.get()) != JXL_ENC_SUCCESS)
        refuse("no encoder");
    JxlBasicInfo info;
    JxlEncoderInitBasicInfo(&info);
    info.xsize = std::uint32_t(picture.width());
    info.ysize = std::uint32_t(picture.height());
    info.bits_per_sample = std::uint32_t(picture.bits());
    const bool has_alpha = !picture.alpha.empty();
    info.num_extra_channels = has_alpha ? 1 : 0;
    info.alpha_bits = has_alpha ? info.bits_per_sample : 0;
    const float distance = distance_of(quality);
    info.uses_original_profile = distance == 0 ? JXL_TRUE : JXL_FALSE;
    if (JxlEncoderUseBoxes(encoder.get()) != JXL_ENC_SUCCESS ||
        JxlEncoderSetBasicInfo(encoder.get(), &info) != JXL_ENC_SUCCESS)
        refuse("its size or depth");
    if (picture.profile.icc.empty()) {
        JxlColorEncoding srgb;
        JxlColorEncodingSetToSRGB(&srgb, JXL_FALSE);
        if (JxlEncoderSetColorEncoding(encoder.get(), &srgb) != JXL_ENC_SUCCESS) refuse("its colours");
    } else if (JxlEncoderSetICCProfile(encoder.get(), picture.profile.icc.data(),
                                       picture.profile.icc.size()) != JXL_ENC_SUCCESS) {
        refuse("its colour profile");
    }
    // ISO/IEC 18181-2: four bytes say where the TIFF header begins after them.
    std::vector<std::uint8_t> exif(4, 0);
    exif.insert(exif.end(), metadata.exif.begin(), metadata.exif.end());
    if (!metadata.exif.empty() &&
        JxlEncoderAddBox(encoder.get(), "Exif", exif.data(), exif.size(), JXL_FALSE) != JXL_ENC_SUCCESS)
        refuse("its shooting data");
    if (!metadata.xmp.empty() &&
        JxlEncoderAddBox(encoder.get(), "xml ", reinterpret_cast<const std::uint8_t*>(metadata.xmp.data()),
                         metadata.xmp.size(), JXL_FALSE) != JXL_ENC_SUCCESS)
        refuse("what is said about it");
    JxlEncoderCloseBoxes(encoder.get());
    JxlEncoderFrameSettings* settings = JxlEncoderFrameSettingsCreate(encoder.get(), nullptr);
    JxlEncoderSetFrameDistance(settings, distance);
    if (distance == 0) JxlEncoderSetFrameLossless(settings, JXL_TRUE);
    JxlEncoderFrameSettingsSetOption(settings, JXL_ENC_FRAME_SETTING_EFFORT, 4);  // of 9: 24 MP in seconds
    const cv::Mat samples = samples_of(picture);
    const JxlPixelFormat format{std::uint32_t(samples.channels()),
                                picture.bits() == 16 ? JXL_TYPE_UINT16 : JXL_TYPE_UINT8, JXL_NATIVE_ENDIAN,
                                0};
    if (JxlEncoderAddImageFrame(settings, &format, samples.data, samples.total() * samples.elemSize()) !=
        JXL_ENC_SUCCESS)
        refuse("its pixels");
    JxlEncoderCloseInput(encoder.get());
    FileHandle out = open_for_writing(file);
    std::vector<std::uint8_t> buffer(std::size_t(1) << 20);
    for (JxlEncoderStatus status = JXL_ENC_NEED_MORE_OUTPUT; status == JXL_ENC_NEED_MORE_OUTPUT;) {
        std::uint8_t* next = buffer.data();
        std::size_t left = buffer.size();
        status = JxlEncoderProcessOutput(encoder.get(), &next, &left);
        if (status == JXL_ENC_ERROR) refuse("the encoder gave up");
        std::fwrite(buffer.data(), 1, buffer.size() - left, out.get());
    }
    finish_writing(std::move(out), file);
}

}  // namespace moorhaze::codecs
