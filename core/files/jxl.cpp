// SPDX-License-Identifier: GPL-3.0-or-later
#include <jxl/decode.h>
#include <jxl/encode.h>
#include <jxl/thread_parallel_runner.h>

#include <algorithm>
#include <cstring>
#include <fstream>
#include <iterator>

#include "core/files/codecs.h"
#include "core/files/interleaved.h"
#include "core/picture/profile_handle.h"
#include "core/work/for_rows.h"

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

/// Which of a file's parts are wanted; the rest is passed over.
enum class Wish { header, pixels, exif };

constexpr int events_of(Wish wish) {
    return wish == Wish::header ? JXL_DEC_BASIC_INFO
           : wish == Wish::exif ? JXL_DEC_BOX
                                : JXL_DEC_BASIC_INFO | JXL_DEC_COLOR_ENCODING | JXL_DEC_FULL_IMAGE;
}

/// Linear light of BT.2020 primaries: wide enough for what a picture's own profile holds, and as floats not
/// even bounded by them.
JxlColorEncoding wide_light() {
    JxlColorEncoding encoding{};
    encoding.color_space = JXL_COLOR_SPACE_RGB;
    encoding.white_point = JXL_WHITE_POINT_D65;
    encoding.primaries = JXL_PRIMARIES_2100;
    encoding.transfer_function = JXL_TRANSFER_FUNCTION_LINEAR;
    encoding.rendering_intent = JXL_RENDERING_INTENT_RELATIVE;
    return encoding;
}
ColourProfile wide_light_profile() {
    return profile_of("BT.2020 primaries, linear", {{0.708, 0.292, 1}, {0.170, 0.797, 1}, {0.131, 0.046, 1}},
                      cmsBuildGamma(nullptr, 1.0));
}

/// A file being decoded. A lossy picture is stored without its profile's colours: they are taken from the
/// decoder as wide light, and brought into the profile by Little CMS.
class JxlReading {
  public:
    JxlReading(const std::filesystem::path& file, Wish wish)
        : file_(file), wish_(wish), bytes_(bytes_of(file)) {
        if (JxlDecoderSubscribeEvents(decoder_.get(), events_of(wish)) != JXL_DEC_SUCCESS) fail_jxl(file);
        JxlDecoderSetDecompressBoxes(decoder_.get(), JXL_TRUE);
        JxlDecoderSetInput(decoder_.get(), bytes_.data(), bytes_.size());
        JxlDecoderCloseInput(decoder_.get());
        while (take(JxlDecoderProcessInput(decoder_.get()))) {
        }
    }

    const Header& header() const { return header_; }
    const std::vector<std::uint8_t>& exif() const { return exif_; }

    Picture picture() const {
        Picture picture = taken_apart(samples_, info_.alpha_premultiplied != 0);
        if (!is_wide_) {
            picture.profile = profile_;
            return picture;
        }
        const int bits = header_.bits > 8 ? 16 : 8;
        Picture made{cv::Mat(samples_.size(), CV_MAKETYPE(bits == 16 ? CV_16U : CV_8U, 3)), {}, profile_};
        if (!picture.alpha.empty())
            picture.alpha.convertTo(made.alpha, made.pixels.depth(), bits == 16 ? 65535 : 255);
        const ProfileHandle wide = open_profile(wide_light_profile()), own = open_profile(profile_);
        const TransformHandle way(wide && own
                                      ? cmsCreateTransform(wide.get(), TYPE_RGB_FLT, own.get(),
                                                           bits == 16 ? TYPE_RGB_16 : TYPE_RGB_8,
                                                           INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOCACHE)
                                      : nullptr);
        if (!way)
            throw FileError(file_.string() +
                            ": there is no way to its colour profile. Convert it to TIFF first.");
        for_rows(made.height(), {}, [&](int y) {
            cmsDoTransform(way.get(), picture.pixels.ptr(y), made.pixels.ptr(y),
                           cmsUInt32Number(made.width()));
        });
        return made;
    }

  private:
    /// True while there is more to be done.
    bool take(JxlDecoderStatus status) {
        switch (status) {
            case JXL_DEC_BASIC_INFO:
                if (JxlDecoderGetBasicInfo(decoder_.get(), &info_) != JXL_DEC_SUCCESS) fail_jxl(file_);
                check_size(file_, info_.xsize, info_.ysize);
                header_ = {int(info_.xsize), int(info_.ysize), info_.bits_per_sample > 8 ? 16 : 8,
                           info_.num_color_channels == 1, 4};
                return wish_ != Wish::header;
            case JXL_DEC_COLOR_ENCODING:
                choose_colours();
                return true;
            case JXL_DEC_NEED_IMAGE_OUT_BUFFER:
                make_room();
                return true;
            case JXL_DEC_FULL_IMAGE:
                has_pixels_ = true;
                return false;  // of an animation, the first
            case JXL_DEC_BOX:
                close_box();
                open_box();
                return true;
            case JXL_DEC_BOX_NEED_MORE_OUTPUT:
                close_box();
                exif_.clear();  // a megabyte of shooting data is none
                return true;
            case JXL_DEC_SUCCESS:
                close_box();
                if (wish_ == Wish::pixels && !has_pixels_) fail_jxl(file_);
                return false;
            default:
                fail_jxl(file_);
        }
    }

    void choose_colours() {
        JxlColorEncoding own{};
        const bool is_named =
            JxlDecoderGetColorAsEncodedProfile(decoder_.get(), nullptr, JXL_COLOR_PROFILE_TARGET_ORIGINAL,
                                               &own) == JXL_DEC_SUCCESS;
        if (is_named && (own.transfer_function == JXL_TRANSFER_FUNCTION_PQ ||
                         own.transfer_function == JXL_TRANSFER_FUNCTION_HLG))
            refuse_high_dynamic_range(file_);
        const bool is_srgb = is_named && own.primaries == JXL_PRIMARIES_SRGB &&
                             own.white_point == JXL_WHITE_POINT_D65 &&
                             own.transfer_function == JXL_TRANSFER_FUNCTION_SRGB;
        if (info_.uses_original_profile) {
            if (!is_srgb || header_.grey) profile_ = profile_from_decoder(JXL_COLOR_PROFILE_TARGET_DATA);
            return;
        }
        JxlColorEncoding wanted;
        if (is_srgb || header_.grey) {
            JxlColorEncodingSetToSRGB(&wanted, header_.grey ? JXL_TRUE : JXL_FALSE);
        } else {
            wanted = wide_light();
            is_wide_ = true;
            profile_ = profile_from_decoder(JXL_COLOR_PROFILE_TARGET_ORIGINAL);
        }
        if (JxlDecoderSetPreferredColorProfile(decoder_.get(), &wanted) != JXL_DEC_SUCCESS) fail_jxl(file_);
    }

    ColourProfile profile_from_decoder(JxlColorProfileTarget target) const {
        ColourProfile profile;
        std::size_t size = 0;
        if (JxlDecoderGetICCProfileSize(decoder_.get(), nullptr, target, &size) != JXL_DEC_SUCCESS)
            return profile;
        profile.icc.resize(size);
        JxlDecoderGetColorAsICCProfile(decoder_.get(), nullptr, target, profile.icc.data(), size);
        return profile;
    }

    void make_room() {
        const int channels = info_.alpha_bits > 0 ? 4 : 3;
        const bool deep = header_.bits > 8;
        const JxlDataType type = is_wide_ ? JXL_TYPE_FLOAT : deep ? JXL_TYPE_UINT16 : JXL_TYPE_UINT8;
        samples_.create(header_.height, header_.width,
                        CV_MAKETYPE(is_wide_ ? CV_32F
                                    : deep   ? CV_16U
                                             : CV_8U,
                                    channels));
        const JxlPixelFormat format{std::uint32_t(channels), type, JXL_NATIVE_ENDIAN, 0};
        if (JxlDecoderSetImageOutBuffer(decoder_.get(), &format, samples_.data,
                                        samples_.total() * samples_.elemSize()) != JXL_DEC_SUCCESS)
            fail_jxl(file_);
    }

    void open_box() {
        JxlBoxType type;
        if (JxlDecoderGetBoxType(decoder_.get(), type, JXL_TRUE) != JXL_DEC_SUCCESS ||
            std::memcmp(type, "Exif", 4) != 0)
            return;
        box_.resize(std::size_t(1) << 20);
        JxlDecoderSetBoxBuffer(decoder_.get(), box_.data(), box_.size());
        in_exif_ = true;
    }
    void close_box() {
        if (!in_exif_) return;
        const std::size_t left = JxlDecoderReleaseBoxBuffer(decoder_.get());
        exif_.assign(box_.begin(), box_.end() - std::ptrdiff_t(left));
        in_exif_ = false;
    }

    std::filesystem::path file_;
    Wish wish_;
    std::vector<std::uint8_t> bytes_, box_, exif_;
    std::unique_ptr<JxlDecoder, FreeDecoder> decoder_{JxlDecoderCreate(nullptr)};
    JxlBasicInfo info_{};
    Header header_;
    cv::Mat samples_;        ///< colours, and alpha where there is one
    ColourProfile profile_;  ///< that the picture shall have
    bool is_wide_ = false;   ///< samples_ are wide light, to be brought into it
    bool has_pixels_ = false, in_exif_ = false;
};

struct FreeEncoder {
    void operator()(JxlEncoder* encoder) const noexcept { JxlEncoderDestroy(encoder); }
};
struct FreeRunner {
    void operator()(void* runner) const noexcept { JxlThreadParallelRunnerDestroy(runner); }
};

/// The distance that stands for a quality, where 1 is told from the original by nobody: the encoder's own
/// scale of later versions (libjxl 0.9, encode.cc; from memory).
float distance_of(int quality) {
    if (quality >= 100) return 0;
    if (quality >= 30) return 0.1f + float(100 - quality) * 0.09f;
    return 53.0f / 3000 * float(quality * quality) - 23.0f / 20 * float(quality) + 25;
}

}  // namespace

Header probe_jxl(const std::filesystem::path& file) {
    return JxlReading(file, Wish::header).header();
}

Picture decode_jxl(const std::filesystem::path& file) {
    return JxlReading(file, Wish::pixels).picture();
}

std::vector<std::uint8_t> jxl_exif(const std::filesystem::path& file) {
    return after_exif_offset(JxlReading(file, Wish::exif).exif());
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
    cv::Mat samples = interleaved(picture);
    const JxlPixelFormat format{std::uint32_t(samples.channels()),
                                picture.bits() == 16 ? JXL_TYPE_UINT16 : JXL_TYPE_UINT8, JXL_NATIVE_ENDIAN,
                                0};
    if (JxlEncoderAddImageFrame(settings, &format, samples.data, samples.total() * samples.elemSize()) !=
        JXL_ENC_SUCCESS)
        refuse("its pixels");
    samples.release();  // the encoder has its own
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
