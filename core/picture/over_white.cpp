// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/over_white.h"

#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

template <class Value>
void lay_row(const Picture& picture, int y, Value* out) {
    constexpr std::uint64_t white = Value(-1);
    const Value* from = picture.pixels.ptr<Value>(y);
    const Value* alpha = picture.alpha.ptr<Value>(y);
    for (int i = 0; i < 3 * picture.width(); ++i) {
        const std::uint64_t share = alpha[i / 3];
        out[i] = Value((from[i] * share + white * (white - share) + white / 2) / white);
    }
}

}  // namespace

Picture over_white(const Picture& picture) {
    if (picture.alpha.empty()) return picture;
    Picture made{cv::Mat(picture.pixels.size(), picture.pixels.type()), {}, picture.profile};
    for_rows(made.height(), Job{}, [&](int y) {
        if (picture.bits() == 16)
            lay_row(picture, y, made.pixels.ptr<std::uint16_t>(y));
        else
            lay_row(picture, y, made.pixels.ptr<std::uint8_t>(y));
    });
    return made;
}

}  // namespace moorhaze
