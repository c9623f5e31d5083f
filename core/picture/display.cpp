// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/display.h"

#include <algorithm>

#include "core/picture/profile_handle.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

/// sRGB for what is no profile of RGB.
ProfileHandle usable(const ColourProfile& profile) {
    ProfileHandle own = open_profile(profile);
    return own && cmsGetColorSpace(own.get()) == cmsSigRgbData ? std::move(own) : open_profile({});
}

/// The way to the screen's colours; none when they are the picture's.
TransformHandle way_to_screen(const Picture& picture, const ColourProfile& screen) {
    if (picture.profile == screen) return nullptr;
    const ProfileHandle own = usable(picture.profile), shown = usable(screen);
    // NOCACHE: rows are converted by several threads at once.
    return TransformHandle(cmsCreateTransform(own.get(), picture.bits() == 8 ? TYPE_RGB_8 : TYPE_RGB_16,
                                              shown.get(), TYPE_RGB_8, INTENT_RELATIVE_COLORIMETRIC,
                                              cmsFLAGS_NOCACHE));
}

std::uint8_t over_surround(int value, int alpha_255) {
    return std::uint8_t((value * alpha_255 + kSurroundGrey * (255 - alpha_255) + 127) / 255);
}

/// Fills `area` of the half-size level from the finer one.
void halve(const cv::Mat4b& fine, cv::Mat4b& half, PixelRect area) {
    for_rows(area.height, Job{}, [&](int row) {
        const int y = area.y + row;
        const cv::Vec4b* upper = fine[std::min(2 * y, fine.rows - 1)];
        const cv::Vec4b* lower = fine[std::min(2 * y + 1, fine.rows - 1)];
        cv::Vec4b* out = half[y];
        for (int x = area.x; x < area.x + area.width; ++x) {
            const int right = std::min(2 * x + 1, fine.cols - 1);
            for (int channel = 0; channel < 3; ++channel)
                out[x][channel] = std::uint8_t((upper[2 * x][channel] + upper[right][channel] +
                                                lower[2 * x][channel] + lower[right][channel] + 2) /
                                               4);
            out[x][3] = 255;
        }
    });
}

}  // namespace

cv::Mat4b to_display(const Picture& picture, const Job& job, const ColourProfile& screen) {
    const TransformHandle way = way_to_screen(picture, screen);
    cv::Mat4b shown(picture.pixels.size());
    const bool deep = picture.bits() == 16;
    for_rows(shown.rows, job, [&](int y) {
        std::vector<std::uint8_t> row(3 * std::size_t(shown.cols));
        if (way) {
            cmsDoTransform(way.get(), picture.pixels.ptr(y), row.data(), cmsUInt32Number(shown.cols));
        } else if (deep) {
            const auto* from = picture.pixels.ptr<std::uint16_t>(y);
            for (std::size_t i = 0; i < row.size(); ++i)
                row[i] = std::uint8_t((from[i] * 255u + 32767u) / 65535u);
        } else {
            std::copy_n(picture.pixels.ptr(y), row.size(), row.data());
        }
        cv::Vec4b* out = shown[y];
        for (int x = 0; x < shown.cols; ++x) {
            const std::uint8_t* rgb = row.data() + 3 * x;
            out[x] = {rgb[2], rgb[1], rgb[0], 255};
        }
        if (picture.alpha.empty()) return;
        for (int x = 0; x < shown.cols; ++x) {
            const int alpha =
                deep ? picture.alpha.at<std::uint16_t>(y, x) / 257 : picture.alpha.at<std::uint8_t>(y, x);
            if (alpha < 255)
                for (int channel = 0; channel < 3; ++channel)
                    out[x][channel] = over_surround(out[x][channel], alpha);
        }
    });
    return shown;
}

std::vector<cv::Mat4b> display_levels(const Picture& picture, const Job& job, const ColourProfile& screen) {
    constexpr int kSmallest = 64;
    std::vector<cv::Mat4b> levels{to_display(picture, job, screen)};
    while (std::max(levels.back().cols, levels.back().rows) > kSmallest) {
        job.checkpoint();
        cv::Mat4b half((levels.back().rows + 1) / 2, (levels.back().cols + 1) / 2);
        halve(levels.back(), half, PixelRect({}, half.size()));
        levels.push_back(half);
    }
    return levels;
}

void replace_in_levels(std::vector<cv::Mat4b>& levels, const cv::Mat4b& patch, cv::Point at) {
    PixelRect area(at, patch.size());
    patch.copyTo(levels[0](area));
    for (std::size_t k = 1; k < levels.size(); ++k) {
        const int left = area.x / 2, top = area.y / 2;
        area =
            PixelRect(left, top, (area.x + area.width + 1) / 2 - left, (area.y + area.height + 1) / 2 - top);
        halve(levels[k - 1], levels[k], area);
    }
}

}  // namespace moorhaze
