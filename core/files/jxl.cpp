#include <jxl/decode.h>

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

[[noreturn]] void fail(const std::filesystem::path& file) {
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
    if (JxlDecoderSubscribeEvents(decoder.get(), events) != JXL_DEC_SUCCESS) fail(file);
    JxlDecoderSetDecompressBoxes(decoder.get(), JXL_TRUE);
    JxlDecoderSetInput(decoder.get(), bytes.data(), bytes.size());
    JxlDecoderCloseInput(decoder.get());
    for (;;) {
        const JxlDecoderStatus status = JxlDecoderProcessInput(decoder.get());
        if (status == JXL_DEC_BASIC_INFO) {
            if (JxlDecoderGetBasicInfo(decoder.get(), &info) != JXL_DEC_SUCCESS) fail(file);
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
                fail(file);
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
            if ((events & JXL_DEC_FULL_IMAGE) && !has_pixels) fail(file);
            return wanted;
        } else if (status == JXL_DEC_BOX_NEED_MORE_OUTPUT) {
            close_box();
            wanted.exif.clear();  // a megabyte of shooting data is none
        } else {
            fail(file);
        }
    }
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

}  // namespace moorhaze::codecs
