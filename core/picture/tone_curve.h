// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <memory>

#include "core/picture/picture.h"

namespace moorhaze {

/// The way between a profile's encoded values and linear light of the same primaries, each 0..1.
/// Cheap to copy, immutable, thread-safe.
class ToneCurve {
  public:
    static constexpr int kEncodeSteps = 4096;

    /// Reads the profile's tone reproduction curves; a profile without them (tables, not RGB) is treated as
    /// sRGB.
    explicit ToneCurve(const ColourProfile& profile);

    /// Linear light of an encoded 16-bit value. Tables of 65536 and 256 floats, for row kernels.
    const float* linear_of_16(int channel) const { return tables_->decode_16[std::size_t(channel)].data(); }
    const float* linear_of_8(int channel) const { return tables_->decode_8[std::size_t(channel)].data(); }

    /// Encoded value 0..1 of linear light; values outside 0..1 are held at the ends.
    /// Interpolated on a square-root axis: the error stays below 1/65535 for gamma-like curves.
    float encode(float linear, int channel) const;

    /// Encodes one interleaved RGB row of `pixel_count` pixels to 16 bit, or to 8 bit with rounding.
    void encode_row_16(const float* linear, std::uint16_t* encoded, int pixel_count) const;
    void encode_row_8(const float* linear, std::uint8_t* encoded, int pixel_count) const;

  private:
    struct Tables {
        std::array<std::vector<float>, 3> decode_16, decode_8, encode;
    };
    std::shared_ptr<const Tables> tables_;
};

/// Linear light H×W CV_32FC3 of a picture, without resampling.  Thread-safe; peak memory 1 output.
cv::Mat3f to_linear(const Picture& picture, const ToneCurve& curve);

/// 16-bit picture of linear light H×W CV_32FC3.
Picture from_linear(const cv::Mat3f& linear, const ToneCurve& curve, const ColourProfile& profile);

}  // namespace moorhaze
