// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/tiff_handle.h"

#include <libdeflate.h>

#include <algorithm>
#include <memory>
#include <new>
#include <vector>

#include "core/work/errors.h"
#include "core/work/for_rows.h"

namespace moorhaze::codecs {
namespace {

constexpr int kStripRows = 64, kStripsAtOnce = 16;
constexpr int kEffort = 1;  // of 12: pictures with grain gain hardly anything from more

int remember(TIFF*, void* keeper, const char*, const char* format, va_list values) {
    char line[512];
    std::vsnprintf(line, sizeof line, format, values);
    auto* message = static_cast<std::string*>(keeper);
    if (message->empty()) *message = line;
    return 1;
}
int tiff_ignore(TIFF*, void*, const char*, const char*, va_list) {
    return 1;
}

std::vector<std::uint8_t> packed(const cv::Mat& rows) {
    const std::unique_ptr<libdeflate_compressor, void (*)(libdeflate_compressor*)> compressor(
        libdeflate_alloc_compressor(kEffort), &libdeflate_free_compressor);
    if (!compressor) throw std::bad_alloc();
    const std::size_t bytes = rows.total() * rows.elemSize();
    std::vector<std::uint8_t> packed(libdeflate_zlib_compress_bound(compressor.get(), bytes));
    packed.resize(libdeflate_zlib_compress(compressor.get(), rows.data, bytes, packed.data(), packed.size()));
    return packed;
}

}  // namespace

TiffHandle::TiffHandle(const std::filesystem::path& file, const char* mode) : file_(file) {
    std::unique_ptr<TIFFOpenOptions, void (*)(TIFFOpenOptions*)> options(TIFFOpenOptionsAlloc(),
                                                                         TIFFOpenOptionsFree);
    TIFFOpenOptionsSetErrorHandlerExtR(options.get(), remember, &message_);
    TIFFOpenOptionsSetWarningHandlerExtR(options.get(), tiff_ignore, nullptr);
    tiff_ = TIFFOpenExt(file.c_str(), mode, options.get());
    if (!tiff_) fail();
}

void TiffHandle::fail() const {
    throw FileError(file_.string() + ": the TIFF is damaged or cut off (" +
                    (message_.empty() ? "no reason given" : message_) +
                    "). Copy it again, or leave this frame out.");
}

void TiffHandle::unsupported(const std::string& what) const {
    throw FileError(file_.string() + ": " + what +
                    ", which Moorhaze does not read. Save it as 8- or 16-bit RGB and open it again.");
}

void write_strips(TiffHandle& tiff, int rows, const std::function<cv::Mat(cv::Range)>& rows_of) {
    TIFF* out = tiff.get();
    TIFFSetField(out, TIFFTAG_COMPRESSION, COMPRESSION_ADOBE_DEFLATE);
    TIFFSetField(out, TIFFTAG_ROWSPERSTRIP, kStripRows);
    const int strips = (rows + kStripRows - 1) / kStripRows;
    for (int first = 0; first < strips; first += kStripsAtOnce) {
        std::vector<std::vector<std::uint8_t>> ready(std::size_t(std::min(kStripsAtOnce, strips - first)));
        for_rows(int(ready.size()), Job{}, [&](int i) {
            const int from = (first + i) * kStripRows;
            ready[std::size_t(i)] = packed(rows_of({from, std::min(rows, from + kStripRows)}));
        });
        for (std::size_t i = 0; i < ready.size(); ++i)
            if (TIFFWriteRawStrip(out, std::uint32_t(first) + std::uint32_t(i), ready[i].data(),
                                  tmsize_t(ready[i].size())) < 0 ||
                !tiff.message().empty())
                tiff.fail();
    }
    if (!TIFFFlush(out)) tiff.fail();
}

void write_plain_strips(TiffHandle& tiff, int rows, const std::function<cv::Mat(cv::Range)>& rows_of) {
    TIFF* out = tiff.get();
    TIFFSetField(out, TIFFTAG_ROWSPERSTRIP, kStripRows);
    for (int from = 0, strip = 0; from < rows; from += kStripRows, ++strip) {
        cv::Mat own = rows_of({from, std::min(rows, from + kStripRows)});  // libtiff changes it
        if (TIFFWriteEncodedStrip(out, std::uint32_t(strip), own.data,
                                  tmsize_t(own.total() * own.elemSize())) < 0 ||
            !tiff.message().empty())
            tiff.fail();
    }
}

}  // namespace moorhaze::codecs
