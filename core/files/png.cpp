// SPDX-License-Identifier: GPL-3.0-or-later
#include <png.h>

#include <cmath>
#include <csetjmp>
#include <opencv2/core.hpp>

#include "core/files/codecs.h"
#include "core/files/interleaved.h"

namespace moorhaze::codecs {
namespace {

/// libpng jumps back on a fatal error; the message waits here.
struct Failure {
    std::string message;
};

void png_fatal(png_structp png, png_const_charp message) {
    static_cast<Failure*>(png_get_error_ptr(png))->message = message;
    png_longjmp(png, 1);
}
void png_ignore(png_structp, png_const_charp) {}

[[noreturn]] void png_report(const std::filesystem::path& file, const Failure& failure) {
    throw FileError(file.string() + ": the PNG is damaged or cut off (" + failure.message +
                    "). Copy it again, or leave this frame out.");
}

class Reader {
  public:
    explicit Reader(const std::filesystem::path& file) : file_(file), source_(open_for_reading(file)) {
        png_ = png_create_read_struct(PNG_LIBPNG_VER_STRING, &failure_, png_fatal, png_ignore);
        info_ = png_create_info_struct(png_);
        if (!read_header()) {
            png_destroy_read_struct(&png_, &info_, nullptr);
            png_report(file_, failure_);
        }
    }
    Reader(const Reader&) = delete;
    Reader& operator=(const Reader&) = delete;
    ~Reader() { png_destroy_read_struct(&png_, &info_, nullptr); }

    Header header() const {
        return {int(png_get_image_width(png_, info_)), int(png_get_image_height(png_, info_)),
                png_get_bit_depth(png_, info_) == 16 ? 16 : 8,
                !(png_get_color_type(png_, info_) & PNG_COLOR_MASK_COLOR), 4};
    }

    Picture decode(const Job& job) {
        check_size(file_, png_get_image_width(png_, info_), png_get_image_height(png_, info_));
        cv::Mat with_alpha;
        if (!read_rows(with_alpha, job)) png_report(file_, failure_);
        Picture picture = taken_apart(with_alpha);
        picture.profile.icc = profile();
        return picture;
    }

  private:
    bool read_header() {
        if (setjmp(png_jmpbuf(png_))) return false;
        png_init_io(png_, source_.get());
        png_set_user_limits(png_, 1u << 20, 1u << 20);
        png_read_info(png_, info_);
        return true;
    }

    bool read_rows(cv::Mat& pixels, const Job& job) {
        if (setjmp(png_jmpbuf(png_))) return false;
        png_set_expand(png_);
        png_set_gray_to_rgb(png_);
        if (png_get_bit_depth(png_, info_) == 16) png_set_swap(png_);
        const int passes = png_set_interlace_handling(png_);
        png_read_update_info(png_, info_);
        const int depth = png_get_bit_depth(png_, info_) == 16 ? CV_16U : CV_8U;
        pixels.create(int(png_get_image_height(png_, info_)), int(png_get_image_width(png_, info_)),
                      CV_MAKETYPE(depth, png_get_channels(png_, info_)));
        for (int pass = 0; pass < passes; ++pass)
            for (int y = 0; y < pixels.rows; ++y) {
                png_read_row(png_, pixels.ptr(y), nullptr);
                job.checkpoint();
            }
        png_read_end(png_, nullptr);
        return true;
    }

    std::vector<std::uint8_t> profile() const {
        png_charp name = nullptr;
        png_bytep bytes = nullptr;
        png_uint_32 length = 0;
        int compression = 0;
        if (!png_get_iCCP(png_, info_, &name, &compression, &bytes, &length)) return {};
        return {bytes, bytes + length};
    }

    std::filesystem::path file_;
    FileHandle source_;
    Failure failure_;
    png_structp png_ = nullptr;
    png_infop info_ = nullptr;
};

constexpr double kMetresPerInch = 0.0254;

bool write_rows(png_structp png, png_infop info, std::FILE* target, const cv::Mat& pixels,
                const std::vector<std::uint8_t>& icc, double dots_per_inch) {
    if (setjmp(png_jmpbuf(png))) return false;
    png_init_io(png, target);
    png_set_IHDR(png, info, png_uint_32(pixels.cols), png_uint_32(pixels.rows),
                 pixels.depth() == CV_16U ? 16 : 8,
                 pixels.channels() == 4 ? PNG_COLOR_TYPE_RGB_ALPHA : PNG_COLOR_TYPE_RGB, PNG_INTERLACE_NONE,
                 PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
    if (!icc.empty())
        png_set_iCCP(png, info, "profile", PNG_COMPRESSION_TYPE_BASE, icc.data(), png_uint_32(icc.size()));
    if (dots_per_inch > 0) {
        const auto per_metre = png_uint_32(std::lround(dots_per_inch / kMetresPerInch));
        png_set_pHYs(png, info, per_metre, per_metre, PNG_RESOLUTION_METER);
    }
    png_set_compression_level(png, 4);
    png_write_info(png, info);
    if (pixels.depth() == CV_16U) png_set_swap(png);
    for (int y = 0; y < pixels.rows; ++y) png_write_row(png, pixels.ptr(y));
    png_write_end(png, info);
    return true;
}

}  // namespace

Header probe_png(const std::filesystem::path& file) {
    return Reader(file).header();
}

Picture decode_png(const std::filesystem::path& file, const Job& job) {
    return Reader(file).decode(job);
}

void encode_png(const std::filesystem::path& file, const Picture& picture, double dots_per_inch) {
    const cv::Mat pixels = interleaved(picture);
    FileHandle target = open_for_writing(file);
    Failure failure;
    png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, &failure, png_fatal, png_ignore);
    png_infop info = png_create_info_struct(png);
    const bool written = write_rows(png, info, target.get(), pixels, picture.profile.icc, dots_per_inch);
    png_destroy_write_struct(&png, &info);
    if (!written)
        throw FileError(file.string() + ": could not be written (" + failure.message +
                        "). Is the disc full?");
    finish_writing(std::move(target), file);
}

}  // namespace moorhaze::codecs
