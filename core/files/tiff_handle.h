// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <tiffio.h>

#include <filesystem>
#include <functional>
#include <opencv2/core.hpp>
#include <string>

/// Private to files/.
namespace moorhaze::codecs {

/// An open TIFF whose messages are kept for us instead of printed. Not thread-safe.
class TiffHandle {
  public:
    /// @throws FileError.
    TiffHandle(const std::filesystem::path& file, const char* mode);
    TiffHandle(const TiffHandle&) = delete;
    TiffHandle& operator=(const TiffHandle&) = delete;
    ~TiffHandle() { close(); }

    void close() {
        if (tiff_) TIFFClose(tiff_);
        tiff_ = nullptr;
    }
    TIFF* get() const { return tiff_; }
    const std::string& message() const { return message_; }

    template <class Value>
    Value tag(ttag_t name, Value otherwise) const {
        Value value = otherwise;
        TIFFGetFieldDefaulted(tiff_, name, &value);
        return value;
    }

    [[noreturn]] void fail() const;
    [[noreturn]] void unsupported(const std::string& what) const;

  private:
    std::filesystem::path file_;
    std::string message_;
    TIFF* tiff_ = nullptr;
};

/// Writes all strips of a TIFF whose size and kind of samples are set, compressed at once by all cores as
/// zlib streams (TIFF Technical Note 2).
/// @param rows_of  gives rows as they stand in the file, continuous; called from several threads.
/// @throws FileError.
void write_strips(TiffHandle& tiff, int rows, const std::function<cv::Mat(cv::Range)>& rows_of);
/// The same with whatever compression is set, by libtiff itself, one after the other.
/// The directory is not written yet.
/// @param rows_of  gives rows without a predictor.
void write_plain_strips(TiffHandle& tiff, int rows, const std::function<cv::Mat(cv::Range)>& rows_of);

}  // namespace moorhaze::codecs
