// SPDX-License-Identifier: GPL-3.0-or-later
#include <libheif/heif.h>

#include <algorithm>
#include <cstring>

#include "core/files/codecs.h"

namespace moorhaze::codecs {
namespace {

struct FreeHeif {
    void operator()(heif_context* context) const noexcept { heif_context_free(context); }
    void operator()(heif_image_handle* handle) const noexcept { heif_image_handle_release(handle); }
    void operator()(heif_image* image) const noexcept { heif_image_release(image); }
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
    int bits() const { return std::max(8, heif_image_handle_get_luma_bits_per_pixel(handle_.get())); }

  private:
    std::filesystem::path file_;
    Held<heif_context> context_;
    Held<heif_image_handle> handle_;
};

}  // namespace

Header probe_heif(const std::filesystem::path& file) {
    const OpenedHeif opened(file);
    return {heif_image_handle_get_width(opened.handle()), heif_image_handle_get_height(opened.handle()),
            opened.bits(), false};
}

Picture decode_heif(const std::filesystem::path& file) {
    const OpenedHeif opened(file);
    const bool deep = opened.bits() > 8;
    heif_image* decoded = nullptr;
    check_heif(file, heif_decode_image(opened.handle(), &decoded, heif_colorspace_RGB,
                                       deep ? heif_chroma_interleaved_RRGGBB_LE : heif_chroma_interleaved_RGB,
                                       nullptr));
    const Held<heif_image> image(decoded);
    int stride = 0;
    const std::uint8_t* plane = heif_image_get_plane_readonly(image.get(), heif_channel_interleaved, &stride);
    const int width = heif_image_get_width(image.get(), heif_channel_interleaved),
              height = heif_image_get_height(image.get(), heif_channel_interleaved);
    check_size(file, width, height);
    if (!plane) throw FileError(file.string() + ": holds no pixels. Copy it again.");
    Picture picture;
    picture.pixels.create(height, width, deep ? CV_16UC3 : CV_8UC3);
    for (int y = 0; y < height; ++y)
        std::memcpy(picture.pixels.ptr(y), plane + std::ptrdiff_t(y) * stride,
                    std::size_t(width) * picture.pixels.elemSize());
    if (deep) picture.pixels *= 65535.0 / ((1 << opened.bits()) - 1);
    if (const auto size = heif_image_handle_get_raw_color_profile_size(opened.handle()); size > 0) {
        picture.profile.icc.resize(size);
        check_heif(file,
                   heif_image_handle_get_raw_color_profile(opened.handle(), picture.profile.icc.data()));
    }
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
