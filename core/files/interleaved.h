// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/picture/picture.h"

/// Private to core/files: colours and alpha as files hold them, beside one another.
namespace moorhaze::codecs {

/// Rows of a picture with three samples a pixel, or four where it has alpha, in one piece of memory of their
/// own; `rows` are those wanted.
cv::Mat interleaved(const Picture& picture, cv::Range rows);
inline cv::Mat interleaved(const Picture& picture) {
    return interleaved(picture, {0, picture.height()});
}

/// The way back: three or four channels (8 or 16 bit, or float) become colours and alpha. The profile is left
/// empty.
/// @param is_associated  colours were multiplied by their alpha ("premultiplied"); they are divided by it.
Picture taken_apart(const cv::Mat& samples, bool is_associated = false);

/// Colours that were multiplied by their alpha, divided by it.
void unassociate(Picture& picture);

}  // namespace moorhaze::codecs
