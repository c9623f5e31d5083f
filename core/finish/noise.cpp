// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/noise.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/picture/luma.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kColourRadiusPx = 4;
constexpr double kColourEdge = 0.02;  // steps of luma beyond it keep their colours apart
constexpr int kSide = 8;              // of a block
constexpr int kEvery = 2;             // px from block to block
constexpr int kBandRows = 32;
constexpr float kStandsOut = 2.7f;      // times the noise
constexpr double kLeastNoise = 0.0003;  // of luma: less is seen by nobody
constexpr int kTile = 16;
constexpr double kMostNoise = 0.1;  // that is suggested

int colour_radius(double scale) {
    return int(std::lround(kColourRadiusPx / scale));
}

cv::Mat1f box_mean(const cv::Mat1f& plane, int radius) {
    cv::Mat1f mean;
    const cv::Size window(2 * radius + 1, 2 * radius + 1);
    cv::boxFilter(plane, mean, CV_32F, window, {-1, -1}, true, cv::BORDER_REFLECT_101);
    return mean;
}

void smooth_colour(cv::Mat3f& light, double share, int radius, const Job& job) {
    const cv::Mat1f luma = perceptual_luma(light, job);
    cv::Mat1f colour[3];
    for (cv::Mat1f& plane : colour) plane.create(light.size());
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x)
            for (int c = 0; c < 3; ++c)
                colour[c](y, x) = std::sqrt(std::max(0.0f, light(y, x)[c])) - luma(y, x);
    });
    const cv::Mat1f mean = box_mean(luma, radius), square = box_mean(luma.mul(luma), radius);
    for (cv::Mat1f& plane : colour) {
        job.checkpoint();
        const cv::Mat1f own = box_mean(plane, radius), both = box_mean(plane.mul(luma), radius);
        cv::Mat1f slope(light.size()), offset(light.size());
        for_rows(light.rows, job, [&](int y) {
            for (int x = 0; x < light.cols; ++x) {
                const float m = mean(y, x), variance = std::max(0.0f, square(y, x) - m * m);
                slope(y, x) = (both(y, x) - own(y, x) * m) / (variance + float(kColourEdge * kColourEdge));
                offset(y, x) = own(y, x) - slope(y, x) * m;
            }
        });
        slope = box_mean(slope, radius);
        offset = box_mean(offset, radius);
        for_rows(light.rows, job, [&](int y) {
            for (int x = 0; x < light.cols; ++x) {
                const float smoothed = slope(y, x) * luma(y, x) + offset(y, x);
                plane(y, x) += float(share) * (smoothed - plane(y, x));
            }
        });
    }
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x)
            for (int c = 0; c < 3; ++c) {
                const float root = std::max(0.0f, luma(y, x) + colour[c](y, x));
                light(y, x)[c] = root * root;
            }
    });
}

/// A row of a block.
using Row = float __attribute__((vector_size(kSide * sizeof(float))));

/// The cosine transform of eight values (type II, orthonormal), split by symmetry: even outputs come from
/// sums of opposite inputs, odd ones from their differences.
struct Cosines {
    float even[4][4], odd[4][4];
};
const Cosines& cosines() {
    static const Cosines made = [] {
        Cosines own{};
        const double pi = std::acos(-1.0);
        for (int k = 0; k < 4; ++k)
            for (int n = 0; n < 4; ++n) {
                const double weight = k == 0 ? std::sqrt(1.0 / 8) : 0.5;
                own.even[k][n] = float(weight * std::cos(pi * (2 * n + 1) * (2 * k) / 16));
                own.odd[k][n] = float(0.5 * std::cos(pi * (2 * n + 1) * (2 * k + 1) / 16));
            }
        return own;
    }();
    return made;
}

/// Down the columns of a block. Inlined into functions that are built for several processors.
[[gnu::always_inline]] inline void transform(Row* rows, const Cosines& table) {
    Row sums[4], differences[4];
    for (int n = 0; n < 4; ++n) {
        sums[n] = rows[n] + rows[7 - n];
        differences[n] = rows[n] - rows[7 - n];
    }
    for (int k = 0; k < 4; ++k) {
        Row even = table.even[k][0] * sums[0], odd = table.odd[k][0] * differences[0];
        for (int n = 1; n < 4; ++n) {
            even += table.even[k][n] * sums[n];
            odd += table.odd[k][n] * differences[n];
        }
        rows[2 * k] = even;
        rows[2 * k + 1] = odd;
    }
}
[[gnu::always_inline]] inline void transform_back(Row* rows, const Cosines& table) {
    Row sums[4], differences[4];
    for (int n = 0; n < 4; ++n) {
        Row even = table.even[0][n] * rows[0], odd = table.odd[0][n] * rows[1];
        for (int k = 1; k < 4; ++k) {
            even += table.even[k][n] * rows[2 * k];
            odd += table.odd[k][n] * rows[2 * k + 1];
        }
        sums[n] = even + odd;
        differences[n] = even - odd;
    }
    for (int n = 0; n < 4; ++n) {
        rows[n] = sums[n];
        rows[7 - n] = differences[n];
    }
}

[[gnu::always_inline]] inline void transpose(Row* r) {
    Row a[8], b[8];
    for (int i = 0; i < 4; ++i) {
        a[2 * i] = __builtin_shufflevector(r[2 * i], r[2 * i + 1], 0, 8, 2, 10, 4, 12, 6, 14);
        a[2 * i + 1] = __builtin_shufflevector(r[2 * i], r[2 * i + 1], 1, 9, 3, 11, 5, 13, 7, 15);
    }
    for (int i = 0; i < 8; i += 4)
        for (int k = 0; k < 2; ++k) {
            b[i + k] = __builtin_shufflevector(a[i + k], a[i + k + 2], 0, 1, 8, 9, 4, 5, 12, 13);
            b[i + k + 2] = __builtin_shufflevector(a[i + k], a[i + k + 2], 2, 3, 10, 11, 6, 7, 14, 15);
        }
    for (int i = 0; i < 4; ++i) {
        r[i] = __builtin_shufflevector(b[i], b[i + 4], 0, 1, 2, 3, 8, 9, 10, 11);
        r[i + 4] = __builtin_shufflevector(b[i], b[i + 4], 4, 5, 6, 7, 12, 13, 14, 15);
    }
}

[[gnu::always_inline]] inline void transform_block(const float* const* rows, int x, Row* block,
                                                   const Cosines& table) {
    for (int i = 0; i < kSide; ++i) __builtin_memcpy(&block[i], rows[i] + x, sizeof(Row));
    transform(block, table);
    transpose(block);
    transform(block, table);
}

[[gnu::always_inline]] inline void add_block(Row* block, float* const* onto, int x, const Cosines& table) {
    transform_back(block, table);
    transpose(block);
    transform_back(block, table);
    for (int i = 0; i < kSide; ++i) {
        if (!onto[i]) continue;
        Row sum;
        __builtin_memcpy(&sum, onto[i] + x, sizeof(Row));
        sum += block[i];
        __builtin_memcpy(onto[i] + x, &sum, sizeof(Row));
    }
}

/// A row of blocks: the eight rows of luma that they lie in, and the same rows of the sum, null where a band
/// does not have them.
struct BlockRow {
    const float* luma[kSide];
    const float* guess[kSide];  ///< of what is without noise; for the second pass
    float* onto[kSide];
    int first = 0, columns = 0;  ///< column of the first block, and how many the picture has
};

/// What stands out of the noise is kept as it is.
MOORHAZE_CLONES void keep_what_stands_out(const BlockRow& row, float noise, const Cosines& table) {
    const float threshold = kStandsOut * noise;
    for (int x = row.first; x + kSide <= row.columns; x += kEvery) {
        Row block[kSide];
        transform_block(row.luma, x, block, table);
        const float mean = block[0][0];
        for (Row& part : block) {
            const Row size = part < 0 ? -part : part;
            part = size > threshold ? part : Row{};
        }
        block[0][0] = mean;
        add_block(block, row.onto, x, table);
    }
}

/// Everything is kept by its share in what is expected with the noise: Wiener's filter.
MOORHAZE_CLONES void keep_by_share(const BlockRow& row, float noise, const Cosines& table) {
    const float power = noise * noise;
    for (int x = row.first; x + kSide <= row.columns; x += kEvery) {
        Row block[kSide], expected[kSide];
        transform_block(row.luma, x, block, table);
        transform_block(row.guess, x, expected, table);
        const float mean = block[0][0];
        for (int i = 0; i < kSide; ++i) {
            const Row square = expected[i] * expected[i];
            block[i] *= square / (square + power);
        }
        block[0][0] = mean;
        add_block(block, row.onto, x, table);
    }
}

/// The first place of a block that lies at or behind the corner.
int first_block(int corner) {
    const int over = ((corner % kEvery) + kEvery) % kEvery;
    return over == 0 ? 0 : kEvery - over;
}

/// How many of the blocks along one side hold a place.
std::vector<int> blocks_over(int first, int count) {
    std::vector<int> over(std::size_t(count), 0);
    for (int start = first; start + kSide <= count; start += kEvery)
        for (int i = 0; i < kSide; ++i) ++over[std::size_t(start + i)];
    return over;
}

/// One pass over all blocks.
/// @param guess  empty in the first pass.
cv::Mat1f pass_over(const cv::Mat1f& luma, const cv::Mat1f& guess, cv::Point corner, double noise,
                    const Job& job) {
    const int left = first_block(corner.x), top = first_block(corner.y);
    const std::vector<int> across = blocks_over(left, luma.cols), down = blocks_over(top, luma.rows);
    cv::Mat1f made(luma.size(), 0.0f);
    const Cosines& table = cosines();
    const int bands = (luma.rows + kBandRows - 1) / kBandRows;
    for_rows(bands, job, [&](int band) {
        const int begin = band * kBandRows, end = std::min(luma.rows, begin + kBandRows);
        // Every block that holds some of the band's rows, in an order that no cut changes.
        int y = top + std::max(0, (begin - kSide + 1 - top + kEvery - 1) / kEvery) * kEvery;
        for (; y < end && y + kSide <= luma.rows; y += kEvery) {
            BlockRow blocks;
            blocks.first = left, blocks.columns = luma.cols;
            for (int i = 0; i < kSide; ++i) {
                blocks.luma[i] = luma[y + i];
                blocks.guess[i] = guess.empty() ? nullptr : guess[y + i];
                blocks.onto[i] = y + i >= begin && y + i < end ? made[y + i] : nullptr;
            }
            if (guess.empty())
                keep_what_stands_out(blocks, float(noise), table);
            else
                keep_by_share(blocks, float(noise), table);
        }
        for (int row = begin; row < end; ++row)
            for (int x = 0; x < luma.cols; ++x) {
                const int count = down[std::size_t(row)] * across[std::size_t(x)];
                made(row, x) = count > 0 ? made(row, x) / float(count) : luma(row, x);
            }
    });
    return made;
}

cv::Mat1f without_noise(const cv::Mat1f& luma, cv::Point corner, double noise, const Job& job) {
    const cv::Mat1f guess = pass_over(luma, {}, corner, noise, job);
    return pass_over(luma, guess, corner, noise, job);
}

void smooth_luma(cv::Mat3f& light, cv::Point corner, double noise, const Job& job) {
    const cv::Mat1f luma = perceptual_luma(light, job);
    // Beyond its ends the picture is mirrored: as many blocks lie over its last row and column as over any
    // other, whatever its size leaves over.
    cv::Mat1f wide;
    cv::copyMakeBorder(luma, wide, kSide, kSide, kSide, kSide, cv::BORDER_REFLECT_101);
    const cv::Mat1f smooth = without_noise(wide, corner - cv::Point(kSide, kSide), noise,
                                           job)(cv::Rect({kSide, kSide}, luma.size()));
    for_rows(light.rows, job, [&](int y) {
        const float *before = luma[y], *after = smooth[y];
        auto* row = light.ptr<float>(y);
        for (int x = 0; x < light.cols; ++x)
            for (int c = 0; c < 3; ++c) {
                const float root = std::sqrt(std::max(0.0f, row[3 * x + c])) + after[x] - before[x];
                row[3 * x + c] = std::max(0.0f, root) * std::max(0.0f, root);
            }
    });
}

bool smooths_luma(const Detail& detail, double scale) {
    return detail.noise / scale >= kLeastNoise;
}

}  // namespace

int noise_border(const Detail& detail, double scale) {
    if (detail.is_off) return 0;
    int border = 0;
    if (smooths_luma(detail, scale)) border += 2 * kSide;
    if (detail.colour_noise > 0) border += 2 * colour_radius(scale);
    return border;
}

void reduce_noise(cv::Mat3f& light, const Detail& detail, cv::Point corner, double scale, const Job& job) {
    if (detail.is_off) return;
    if (smooths_luma(detail, scale)) smooth_luma(light, corner, detail.noise / scale, job);
    if (const int radius = colour_radius(scale); detail.colour_noise > 0 && radius > 0)
        smooth_colour(light, detail.colour_noise, radius, job);
}

double noise_of(const Picture& picture, const ToneCurve& curve, const Job& job) {
    const cv::Mat1f luma = perceptual_luma(picture, curve, job);
    const int columns = (luma.cols - 2) / kTile, rows = (luma.rows - 2) / kTile;
    if (columns < 4 || rows < 4) return 0;
    // Of each tile; below 0 where it is black or clipped.
    cv::Mat1f found(rows, columns, -1.0f);
    for_rows(rows, job, [&](int row) {
        for (int column = 0; column < columns; ++column) {
            double rough = 0, mean = 0;
            for (int y = 1 + row * kTile; y < 1 + (row + 1) * kTile; ++y)
                for (int x = 1 + column * kTile; x < 1 + (column + 1) * kTile; ++x) {
                    const float *before = luma[y - 1] + x, *own = luma[y] + x, *after = luma[y + 1] + x;
                    const float mask = before[-1] - 2 * before[0] + before[1] - 2 * own[-1] + 4 * own[0] -
                                       2 * own[1] + after[-1] - 2 * after[0] + after[1];
                    rough += double(mask) * double(mask);
                    mean += double(own[0]);
                }
            mean /= kTile * kTile;
            if (mean > 0.03 && mean < 0.97 && rough > 0)
                found(row, column) = float(std::sqrt(rough / (36.0 * kTile * kTile)));
        }
    });
    std::vector<float> told;
    for (const float own : found)
        if (own > 0) told.push_back(own);
    if (told.size() < 16) return 0;
    // Detail only adds: the quiet tenth tells, but for the luck of single tiles.
    const auto quiet = told.begin() + std::ptrdiff_t(told.size() / 10);
    std::nth_element(told.begin(), quiet, told.end());
    return std::min(kMostNoise, double(*quiet));
}

}  // namespace moorhaze
