// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/pyramid.h"

#include <algorithm>
#include <vector>

#include "core/picture/blur.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

MOORHAZE_CLONES void five_rows(const float* const* rows, float* out, int count) {
    for (int i = 0; i < count; ++i)
        out[i] = (rows[0][i] + rows[4][i]) * (1 / 16.0f) + (rows[1][i] + rows[3][i]) * (4 / 16.0f) +
                 rows[2][i] * (6 / 16.0f);
}

MOORHAZE_CLONES void three_rows(const float* const* rows, float* out, int count) {
    for (int i = 0; i < count; ++i) out[i] = (rows[0][i] + rows[2][i]) * (1 / 8.0f) + rows[1][i] * (6 / 8.0f);
}

MOORHAZE_CLONES void two_rows(const float* const* rows, float* out, int count) {
    for (int i = 0; i < count; ++i) out[i] = (rows[0][i] + rows[1][i]) * 0.5f;
}

/// One output of the binomial filter, by a row's places that the filter reaches.
template <int Channels>
float five_across(const float* row, const int (&places)[5], int channel) {
    const auto at = [&](int i) { return row[places[i] * Channels + channel]; };
    return (at(0) + at(4)) * (1 / 16.0f) + (at(1) + at(3)) * (4 / 16.0f) + at(2) * (6 / 16.0f);
}

template <int Channels>
MOORHAZE_CLONES void downsample_row(const float* row, float* out, int width, int half) {
    const auto at_rim = [&](int x) {
        int places[5];
        for (int i = 0; i < 5; ++i) places[i] = mirrored(2 * x + i - 2, width);
        for (int c = 0; c < Channels; ++c) out[x * Channels + c] = five_across<Channels>(row, places, c);
    };
    const int inner = std::max(1, (width - 1) / 2);  // 2 * x + 2 < width
    at_rim(0);
    for (int x = 1; x < inner; ++x)
        for (int c = 0; c < Channels; ++c) {
            const float* const p = row + 2 * x * Channels + c;
            out[x * Channels + c] = (p[-2 * Channels] + p[2 * Channels]) * (1 / 16.0f) +
                                    (p[-Channels] + p[Channels]) * (4 / 16.0f) + p[0] * (6 / 16.0f);
        }
    for (int x = inner; x < half; ++x) at_rim(x);
}

template <int Channels>
MOORHAZE_CLONES void double_row(const float* row, float* out, int half, int width) {
    const auto at_rim = [&](int x) {
        const int before = x > 0 ? x - 1 : (half > 1 ? 1 : 0), after = x + 1 < half ? x + 1 : half - 1;
        for (int c = 0; c < Channels; ++c) {
            const float here = row[x * Channels + c];
            out[2 * x * Channels + c] =
                (row[before * Channels + c] + row[after * Channels + c]) * (1 / 8.0f) + here * (6 / 8.0f);
            if (2 * x + 1 < width)
                out[(2 * x + 1) * Channels + c] = (here + row[after * Channels + c]) * 0.5f;
        }
    };
    at_rim(0);
    for (int x = 1; x + 1 < half; ++x)
        for (int c = 0; c < Channels; ++c) {
            const float* const p = row + x * Channels + c;
            float* const to = out + 2 * x * Channels + c;
            to[0] = (p[-Channels] + p[Channels]) * (1 / 8.0f) + p[0] * (6 / 8.0f);
            to[Channels] = (p[0] + p[Channels]) * 0.5f;
        }
    if (half > 1) at_rim(half - 1);
}

void dispatch(int channels, auto&& for_one, auto&& for_three) {
    CV_Assert(channels == 1 || channels == 3);
    if (channels == 1)
        for_one();
    else
        for_three();
}

}  // namespace

void pyramid_down_row(const PlaneRows& plane, int y, float* out, float* scratch) {
    const float* rows[5];
    for (int i = 0; i < 5; ++i) rows[i] = plane.row(mirrored(2 * y + i - 2, plane.height));
    five_rows(rows, scratch, plane.width);
    downsample_row<1>(scratch, out, plane.width, (plane.width + 1) / 2);
}

void pyramid_up_row(const PlaneRows& plane, int y, int width, float* out, float* scratch) {
    const int middle = y / 2, before = middle > 0 ? middle - 1 : (plane.height > 1 ? 1 : 0),
              after = std::min(middle + 1, plane.height - 1);
    if (y % 2 == 0) {
        const float* rows[] = {plane.row(before), plane.row(middle), plane.row(after)};
        three_rows(rows, scratch, plane.width);
    } else {
        const float* rows[] = {plane.row(middle), plane.row(after)};
        two_rows(rows, scratch, plane.width);
    }
    double_row<1>(scratch, out, plane.width, width);
}

cv::Mat pyramid_down(const cv::Mat& picture, const Job& job) {
    CV_Assert(picture.depth() == CV_32F && !picture.empty());
    cv::Mat out((picture.rows + 1) / 2, (picture.cols + 1) / 2, picture.type());
    const int values = picture.cols * picture.channels();
    for_rows(out.rows, job, [&](int y) {
        std::vector<float> filtered(static_cast<std::size_t>(values));
        const float* rows[5];
        for (int i = 0; i < 5; ++i) rows[i] = picture.ptr<float>(mirrored(2 * y + i - 2, picture.rows));
        five_rows(rows, filtered.data(), values);
        dispatch(
            picture.channels(),
            [&] { downsample_row<1>(filtered.data(), out.ptr<float>(y), picture.cols, out.cols); },
            [&] { downsample_row<3>(filtered.data(), out.ptr<float>(y), picture.cols, out.cols); });
    });
    return out;
}

UpsampledRows::UpsampledRows(const cv::Mat& picture, cv::Size size) : picture_(picture), size_(size) {
    CV_Assert(picture.depth() == CV_32F && picture.cols == (size.width + 1) / 2 &&
              picture.rows == (size.height + 1) / 2);
}

void UpsampledRows::row(int y, float* out, float* scratch) const {
    const int values = picture_.cols * picture_.channels();
    const int middle = y / 2;
    const int before = middle > 0 ? middle - 1 : (picture_.rows > 1 ? 1 : 0);
    const int after = middle + 1 < picture_.rows ? middle + 1 : picture_.rows - 1;
    if (y % 2 == 0) {
        const float* rows[] = {picture_.ptr<float>(before), picture_.ptr<float>(middle),
                               picture_.ptr<float>(after)};
        three_rows(rows, scratch, values);
    } else {
        const float* rows[] = {picture_.ptr<float>(middle), picture_.ptr<float>(after)};
        two_rows(rows, scratch, values);
    }
    dispatch(
        picture_.channels(), [&] { double_row<1>(scratch, out, picture_.cols, size_.width); },
        [&] { double_row<3>(scratch, out, picture_.cols, size_.width); });
}

const float* UpsampledRows::row(int y, std::vector<float>& out) const {
    std::vector<float> scratch(std::size_t(picture_.cols * picture_.channels()));
    out.resize(std::size_t(size_.width * picture_.channels()));
    row(y, out.data(), scratch.data());
    return out.data();
}

cv::Mat pyramid_up(const cv::Mat& picture, cv::Size size, const Job& job) {
    cv::Mat out(size, picture.type());
    const UpsampledRows rows(picture, size);
    for_rows(size.height, job, [&](int y) {
        std::vector<float> scratch(std::size_t(picture.cols * picture.channels()));
        rows.row(y, out.ptr<float>(y), scratch.data());
    });
    return out;
}

int pyramid_levels(cv::Size size, int least_side) {
    int levels = 0;
    for (; std::min(size.width, size.height) >= least_side; ++levels)
        size = {(size.width + 1) / 2, (size.height + 1) / 2};
    return std::max(levels, 1);
}

}  // namespace moorhaze
