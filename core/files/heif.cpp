// SPDX-License-Identifier: GPL-3.0-or-later
#include <libheif/heif.h>

#include <algorithm>
#include <cstring>

#include "core/files/codecs.h"
#include "core/files/interleaved.h"
#include "core/picture/profile_handle.h"

namespace moorhaze::codecs {
namespace {

struct FreeHeif {
    void operator()(heif_context* context) const noexcept { heif_context_free(context); }
    void operator()(heif_image_handle* handle) const noexcept { heif_image_handle_release(handle); }
    void operator()(heif_image* image) const noexcept { heif_image_release(image); }
    void operator()(heif_color_profile_nclx* colours) const noexcept {
        heif_nclx_color_profile_free(colours);
    }
};
template <class T>
using Held = std::unique_ptr<T, FreeHeif>;

void check_heif(const std::filesystem::path& file, const heif_error& error) {
    if (error.code != heif_error_Ok)
        throw FileError(file.string() +
                        ": the HEIF picture is damaged, cut off or of a kind that cannot be read (" +
                        error.message + "). Copy it again, or convert it to TIFF.");
}

/// The file's first picture.
class OpenedHeif {
  public:
    explicit OpenedHeif(const std::filesystem::path& file) : file_(file), context_(heif_context_alloc()) {
        check_heif(file, heif_context_read_from_file(context_.get(), file.c_str(), nullptr));
        heif_image_handle* handle = nullptr;
        check_heif(file, heif_context_get_primary_image_handle(context_.get(), &handle));
        handle_.reset(handle);
    }
    heif_image_handle* handle() const { return handle_.get(); }
    bool has_alpha() const { return heif_image_handle_has_alpha_channel(handle()) != 0; }
    int bits() const { return std::max(8, heif_image_handle_get_luma_bits_per_pixel(handle_.get())); }

  private:
    std::filesystem::path file_;
    Held<heif_context> context_;
    Held<heif_image_handle> handle_;
};

/// The colours that a description by numbers names (ISO/IEC 23091-2, tables 2 and 3); sRGB where it names
/// none that is known.
ColourProfile profile_of_numbers(const std::filesystem::path& file, const heif_color_profile_nclx& colours) {
    const auto transfer = colours.transfer_characteristics;
    if (transfer == heif_transfer_characteristic_ITU_R_BT_2100_0_PQ ||
        transfer == heif_transfer_characteristic_ITU_R_BT_2100_0_HLG)
        refuse_high_dynamic_range(file);
    const cmsCIExyYTRIPLE srgb{{0.640, 0.330, 1}, {0.300, 0.600, 1}, {0.150, 0.060, 1}},
        bt2020{{0.708, 0.292, 1}, {0.170, 0.797, 1}, {0.131, 0.046, 1}},
        p3{{0.680, 0.320, 1}, {0.265, 0.690, 1}, {0.150, 0.060, 1}};
    const auto primaries = colours.color_primaries;
    const bool is_wide = primaries == heif_color_primaries_ITU_R_BT_2020_2_and_2100_0,
               is_p3 = primaries == heif_color_primaries_SMPTE_EG_432_1;
    cmsToneCurve* curve = nullptr;
    switch (transfer) {
        case heif_transfer_characteristic_linear:
            curve = cmsBuildGamma(nullptr, 1.0);
            break;
        case heif_transfer_characteristic_ITU_R_BT_470_6_System_M:
            curve = cmsBuildGamma(nullptr, 2.2);
            break;
        case heif_transfer_characteristic_ITU_R_BT_470_6_System_B_G:
            curve = cmsBuildGamma(nullptr, 2.8);
            break;
        case heif_transfer_characteristic_ITU_R_BT_709_5:
        case heif_transfer_characteristic_ITU_R_BT_601_6:
        case heif_transfer_characteristic_ITU_R_BT_2020_2_10bit:
        case heif_transfer_characteristic_ITU_R_BT_2020_2_12bit: {
            // ITU-R BT.709-6, 1.2, turned round.
            const cmsFloat64Number values[5] = {1 / 0.45, 1 / 1.099, 0.099 / 1.099, 1 / 4.5, 0.081};
            curve = cmsBuildParametricToneCurve(nullptr, 4, values);
            break;
        }
        default:
            if (!is_wide && !is_p3) return {};
            curve = srgb_curve();
    }
    return profile_of(is_wide ? "BT.2020"
                      : is_p3 ? "P3, D65"
                              : "BT.709",
                      is_wide ? bt2020
                      : is_p3 ? p3
                              : srgb,
                      curve);
}

/// The profile's bytes where the file holds them, else what its numbers say.
ColourProfile profile_of_heif(const std::filesystem::path& file, const OpenedHeif& opened) {
    ColourProfile profile;
    if (const auto size = heif_image_handle_get_raw_color_profile_size(opened.handle()); size > 0) {
        profile.icc.resize(size);
        check_heif(file, heif_image_handle_get_raw_color_profile(opened.handle(), profile.icc.data()));
        return profile;
    }
    heif_color_profile_nclx* numbers = nullptr;
    const heif_error none = heif_image_handle_get_nclx_color_profile(opened.handle(), &numbers);
    const Held<heif_color_profile_nclx> held(numbers);
    return none.code == heif_error_Ok && held ? profile_of_numbers(file, *held) : profile;
}

}  // namespace

Header probe_heif(const std::filesystem::path& file) {
    const OpenedHeif opened(file);
    return {heif_image_handle_get_width(opened.handle()), heif_image_handle_get_height(opened.handle()),
            opened.bits(), false, 4};
}

Picture decode_heif(const std::filesystem::path& file) {
    const OpenedHeif opened(file);
    // Before anything is decoded: a header of some bytes may say anything.
    check_size(file, heif_image_handle_get_width(opened.handle()),
               heif_image_handle_get_height(opened.handle()));
    const ColourProfile profile = profile_of_heif(file, opened);
    const bool deep = opened.bits() > 8, has_alpha = opened.has_alpha();
    const heif_chroma chroma =
        deep        ? has_alpha ? heif_chroma_interleaved_RRGGBBAA_LE : heif_chroma_interleaved_RRGGBB_LE
        : has_alpha ? heif_chroma_interleaved_RGBA
                    : heif_chroma_interleaved_RGB;
    heif_image* decoded = nullptr;
    check_heif(file, heif_decode_image(opened.handle(), &decoded, heif_colorspace_RGB, chroma, nullptr));
    const Held<heif_image> image(decoded);
    int stride = 0;
    const std::uint8_t* plane = heif_image_get_plane_readonly(image.get(), heif_channel_interleaved, &stride);
    const int width = heif_image_get_width(image.get(), heif_channel_interleaved),
              height = heif_image_get_height(image.get(), heif_channel_interleaved);
    check_size(file, width, height);
    if (!plane) throw FileError(file.string() + ": holds no pixels. Copy it again.");
    cv::Mat samples(height, width, CV_MAKETYPE(deep ? CV_16U : CV_8U, has_alpha ? 4 : 3));
    for (int y = 0; y < height; ++y)
        std::memcpy(samples.ptr(y), plane + std::ptrdiff_t(y) * stride,
                    std::size_t(width) * samples.elemSize());
    if (deep) samples *= 65535.0 / ((1 << opened.bits()) - 1);
    Picture picture = taken_apart(samples, heif_image_handle_is_premultiplied_alpha(opened.handle()) != 0);
    picture.profile = profile;
    return picture;
}

std::vector<std::uint8_t> after_exif_offset(std::vector<std::uint8_t> block) {
    if (block.size() < 8) return {};
    const std::size_t offset = 4 + ((std::size_t(block[0]) << 24) | (std::size_t(block[1]) << 16) |
                                    (std::size_t(block[2]) << 8) | std::size_t(block[3]));
    if (offset >= block.size()) return {};
    block.erase(block.begin(), block.begin() + std::ptrdiff_t(offset));
    return block;
}

std::vector<std::uint8_t> heif_exif(const std::filesystem::path& file) {
    const OpenedHeif opened(file);
    heif_item_id id = 0;
    if (heif_image_handle_get_list_of_metadata_block_IDs(opened.handle(), "Exif", &id, 1) < 1) return {};
    std::vector<std::uint8_t> block(heif_image_handle_get_metadata_size(opened.handle(), id));
    check_heif(file, heif_image_handle_get_metadata(opened.handle(), id, block.data()));
    return after_exif_offset(std::move(block));
}

}  // namespace moorhaze::codecs
