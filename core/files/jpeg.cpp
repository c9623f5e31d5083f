// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <csetjmp>
// jpeglib.h needs FILE declared first.
#include <algorithm>
#include <cstdio>
#include <cstdlib>

#include <jerror.h>
#include <jpeglib.h>

#include "core/files/codecs.h"

namespace moorhaze::codecs {
namespace {

/// libjpeg reports a fatal error through a function that must not return: it jumps back to the caller.
struct Errors {
    jpeg_error_mgr base;
    std::jmp_buf back;
    char message[JMSG_LENGTH_MAX];
    bool damaged;
};

void jpeg_fatal(j_common_ptr info) {
    auto* errors = reinterpret_cast<Errors*>(info->err);
    info->err->format_message(info, errors->message);
    std::longjmp(errors->back, 1);
}

/// Level -1 is "corrupt data"; stray bytes between markers are common and harmless.
void warning(j_common_ptr info, int level) {
    auto* errors = reinterpret_cast<Errors*>(info->err);
    if (level >= 0 || info->err->msg_code == JWRN_EXTRANEOUS_DATA) return;
    if (!errors->damaged) info->err->format_message(info, errors->message);
    errors->damaged = true;
}

void install(Errors& errors) {
    jpeg_std_error(&errors.base);
    errors.base.error_exit = jpeg_fatal;
    errors.base.emit_message = warning;
    errors.base.output_message = [](j_common_ptr) {};
    errors.message[0] = 0;
    errors.damaged = false;
}

[[noreturn]] void jpeg_report(const std::filesystem::path& file, const Errors& errors) {
    throw FileError(file.string() + ": the JPEG is damaged or cut off (" + errors.message +
                    "). Copy it again from the card, or leave this frame out.");
}

/// Reads the header. False when libjpeg gave up.
bool start(jpeg_decompress_struct& info, Errors& errors, std::FILE* source,
           const std::vector<std::uint8_t>& bytes) {
    if (setjmp(errors.back)) return false;
    jpeg_create_decompress(&info);
    if (source)
        jpeg_stdio_src(&info, source);
    else
        jpeg_mem_src(&info, bytes.data(), static_cast<unsigned long>(bytes.size()));
    jpeg_save_markers(&info, JPEG_APP0 + 2, 0xFFFF);
    jpeg_read_header(&info, TRUE);
    return true;
}

bool decode_rows(jpeg_decompress_struct& info, Errors& errors, int shrink, cv::Mat& pixels, const Job& job) {
    if (setjmp(errors.back)) return false;
    info.out_color_space = JCS_RGB;
    info.scale_num = 1;
    info.scale_denom = unsigned(shrink);
    jpeg_start_decompress(&info);
    pixels.create(int(info.output_height), int(info.output_width), CV_8UC3);
    while (info.output_scanline < info.output_height) {
        JSAMPROW row = pixels.ptr<std::uint8_t>(int(info.output_scanline));
        jpeg_read_scanlines(&info, &row, 1);
        job.checkpoint();
    }
    jpeg_finish_decompress(&info);
    return true;
}

/// The profile's bytes, to be freed; null where there are none or libjpeg gave up.
JOCTET* read_profile(jpeg_decompress_struct& info, Errors& errors, unsigned& length) {
    JOCTET* bytes = nullptr;
    if (setjmp(errors.back)) return nullptr;
    return jpeg_read_icc_profile(&info, &bytes, &length) ? bytes : nullptr;
}

std::vector<std::uint8_t> icc_of(jpeg_decompress_struct& info, Errors& errors) {
    unsigned length = 0;
    JOCTET* const bytes = read_profile(info, errors, length);
    if (!bytes) return {};
    std::vector<std::uint8_t> icc(bytes, bytes + length);
    std::free(bytes);
    return icc;
}

class Decoder {
  public:
    explicit Decoder(const std::filesystem::path& file) : Decoder(file, open_for_reading(file), {}) {}
    /// @param bytes  a JPEG that lies inside `file`; they outlive the decoder.
    Decoder(const std::filesystem::path& file, const std::vector<std::uint8_t>& bytes)
        : Decoder(file, nullptr, bytes) {}
    Decoder(const std::filesystem::path& file, FileHandle source, const std::vector<std::uint8_t>& bytes)
        : file_(file), source_(std::move(source)) {
        info_.err = &errors_.base;
        install(errors_);
        if (!start(info_, errors_, source_.get(), bytes)) {
            jpeg_destroy_decompress(&info_);
            jpeg_report(file_, errors_);
        }
    }
    Decoder(const Decoder&) = delete;
    Decoder& operator=(const Decoder&) = delete;
    ~Decoder() { jpeg_destroy_decompress(&info_); }

    Header header() const {
        return {int(info_.image_width), int(info_.image_height), info_.data_precision,
                info_.num_components == 1, info_.num_components};
    }

    Picture decode(int shrink, const Job& job) {
        check_size(file_, info_.image_width, info_.image_height);
        if (info_.num_components == 4)
            throw FileError(file_.string() +
                            ": this is a CMYK picture for print. Save it as RGB and open it again.");
        Picture picture;
        picture.profile.icc = icc_of(info_, errors_);
        if (!decode_rows(info_, errors_, shrink, picture.pixels, job) || errors_.damaged)
            jpeg_report(file_, errors_);
        return picture;
    }

  private:
    std::filesystem::path file_;
    FileHandle source_;
    Errors errors_{};
    jpeg_decompress_struct info_{};
};

bool encode_rows(jpeg_compress_struct& info, Errors& errors, std::FILE* target, const Picture& picture,
                 const EncodeOptions& options) {
    if (setjmp(errors.back)) return false;
    jpeg_create_compress(&info);
    jpeg_stdio_dest(&info, target);
    info.image_width = JDIMENSION(picture.width());
    info.image_height = JDIMENSION(picture.height());
    info.input_components = 3;
    info.in_color_space = JCS_RGB;
    jpeg_set_defaults(&info);
    if (options.dots_per_inch > 0) {
        info.density_unit = 1;  // dots an inch (JFIF 1.02)
        info.X_density = info.Y_density = UINT16(std::lround(options.dots_per_inch));
    }
    jpeg_set_quality(&info, options.jpeg_quality, TRUE);
    if (options.jpeg_quality >= 90) info.comp_info[0].h_samp_factor = info.comp_info[0].v_samp_factor = 1;
    info.optimize_coding = TRUE;
    jpeg_start_compress(&info, TRUE);
    if (!picture.profile.icc.empty())
        jpeg_write_icc_profile(&info, picture.profile.icc.data(), unsigned(picture.profile.icc.size()));
    while (info.next_scanline < info.image_height) {
        // libjpeg's interface is older than const.
        JSAMPROW row = const_cast<JSAMPROW>(picture.pixels.ptr<std::uint8_t>(int(info.next_scanline)));
        jpeg_write_scanlines(&info, &row, 1);
    }
    jpeg_finish_compress(&info);
    return true;
}

}  // namespace

Header probe_jpeg(const std::filesystem::path& file) {
    return Decoder(file).header();
}

Picture decode_jpeg(const std::filesystem::path& file, int shrink, const Job& job) {
    return Decoder(file).decode(shrink, job);
}

Picture decode_jpeg_bytes(const std::filesystem::path& file, const std::vector<std::uint8_t>& bytes,
                          int longest_side_px) {
    if (bytes.empty()) throw FileError(file.string() + ": holds no thumbnail.");
    Decoder decoder(file, bytes);
    const Header header = decoder.header();
    const auto megapixels = [&](int shrink) {
        return double(header.width) * header.height / (double(shrink) * shrink) / 1e6;
    };
    int shrink = 1;
    while (shrink < 8 && (std::max(header.width, header.height) / (2 * shrink) >= longest_side_px ||
                          megapixels(shrink) > kMaxThumbnailMegapixels))
        shrink *= 2;
    if (megapixels(shrink) > kMaxThumbnailMegapixels)
        throw FileError(file.string() + ": its thumbnail is too large for one.");
    return decoder.decode(shrink, {});
}

void encode_jpeg(const std::filesystem::path& file, const Picture& picture, const EncodeOptions& options) {
    if (picture.width() > JPEG_MAX_DIMENSION || picture.height() > JPEG_MAX_DIMENSION)
        throw FileError(file.string() + ": a JPEG holds at most 65500 pixels a side. Save as TIFF.");
    FileHandle target = open_for_writing(file);
    Errors errors{};
    jpeg_compress_struct info{};
    info.err = &errors.base;
    install(errors);
    const bool written = encode_rows(info, errors, target.get(), picture, options);
    jpeg_destroy_compress(&info);
    if (!written)
        throw FileError(file.string() + ": could not be written (" + errors.message + "). Is the disc full?");
    finish_writing(std::move(target), file);
}

}  // namespace moorhaze::codecs
