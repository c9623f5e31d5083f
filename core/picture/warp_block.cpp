// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/picture/warp_block.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <numbers>
#include <vector>

#include "core/work/clones.h"
#include "core/work/lanes.h"

namespace moorhaze {
namespace {

constexpr int kTaps = 6;
constexpr int kPhaseBits = 10,
              kPhases = 1 << kPhaseBits;  // position error below 1/2048 px, far under the registration's own
constexpr int kTileWidth = 192, kTileHeight = 48;

/// Two pixels of four floats.
using Lanes = float __attribute__((vector_size(32)));
using Pixel = float __attribute__((vector_size(16)));

struct KernelTable {
    float down[kPhases + 1][8];                ///< one weight a tap
    alignas(32) Lanes across[kPhases + 1][3];  ///< each weight four times, two taps side by side
    KernelTable() {
        constexpr double pi = std::numbers::pi;
        auto lanczos = [](double t) {
            if (std::abs(t) < 1e-12) return 1.0;
            if (std::abs(t) >= 3.0) return 0.0;
            return 3.0 * std::sin(pi * t) * std::sin(pi * t / 3.0) / (pi * pi * t * t);
        };
        for (int phase = 0; phase <= kPhases; ++phase) {
            double sum = 0, raw[kTaps];
            for (int tap = 0; tap < kTaps; ++tap)
                sum += raw[tap] = lanczos(tap - 2 - double(phase) / kPhases);
            for (int tap = 0; tap < 8; ++tap) down[phase][tap] = tap < kTaps ? float(raw[tap] / sum) : 0.0f;
            for (int lane = 0; lane < 24; ++lane) across[phase][lane / 8][lane % 8] = down[phase][lane / 4];
        }
    }
};

const KernelTable& kernel_table() {
    static const KernelTable table;
    return table;
}

struct RowPlan;
using WarpPiece = void (*)(const RowPlan& plan, std::int64_t x, std::int64_t y, std::int64_t step_x,
                           std::int64_t step_y, int count, float* out);

/// A row of the grid, from a patch of the source.
struct RowPlan {
    const float* patch;
    int left, top, width, height;  ///< of the patch, source pixels
    const double* matrix;          ///< places of the grid to source pixels, row by row
    float gains[4];
    const KernelTable* kernel;
    WarpPiece piece;
    int channels;
};

/// Positions are worked out exactly at the ends of short pieces of a row and go evenly between them, in parts
/// of 2^-32 pixels: for slight perspective that is true to a ten-thousandth of a pixel.
constexpr int kPiece = 32;

/// A part of 2^-32 of a pixel, held so that the kernel stays within the patch; so is what is no number, where
/// a plane is seen edge on.
std::int64_t held_place(double place, int size) {
    const double last = size - 4, held = place > 2.0 ? (place < last ? place : last) : 2.0;
    return std::int64_t(held * 4294967296.0);
}

MOORHAZE_CLONES void warp_piece(const RowPlan& plan, std::int64_t x, std::int64_t y, std::int64_t step_x,
                                std::int64_t step_y, int count, float* out) {
    const std::ptrdiff_t stride = 4 * std::ptrdiff_t(plan.width);
    Pixel gains;
    load_lanes(plan.gains, gains);
    constexpr int shift = 32 - kPhaseBits;
    for (int i = 0; i < count; ++i, x += step_x, y += step_y) {
        const Lanes* across = plan.kernel->across[(x & 0xffffffff) >> shift];
        const float* down = plan.kernel->down[(y & 0xffffffff) >> shift];
        const float* corner = plan.patch + ((y >> 32) - 2) * stride + 4 * ((x >> 32) - 2);
        Lanes one = {}, two = {}, three = {};
        for (int row = 0; row < kTaps; ++row) {
            const float* const line = corner + row * stride;
            Lanes first, second, third;
            load_lanes(line, first), load_lanes(line + 8, second), load_lanes(line + 16, third);
            one += first * down[row];
            two += second * down[row];
            three += third * down[row];
        }
        const Lanes sum = one * across[0] + two * across[1] + three * across[2];
        Pixel root =
            __builtin_shufflevector(sum, sum, 0, 1, 2, 3) + __builtin_shufflevector(sum, sum, 4, 5, 6, 7);
        root = root > 0 ? root : Pixel{};
        const Pixel light = root * root * gains;
        // The fourth lane falls into the next pixel, which follows; the last pixel has none.
        if (i + 1 < count)
            store_lanes(light, out + 3 * i);
        else
            for (int channel = 0; channel < 3; ++channel) out[3 * i + channel] = light[channel];
    }
}

/// The same for one float a pixel, which stays on its square-root scale.
MOORHAZE_CLONES void warp_luma_piece(const RowPlan& plan, std::int64_t x, std::int64_t y, std::int64_t step_x,
                                     std::int64_t step_y, int count, float* out) {
    const std::ptrdiff_t stride = plan.width;
    constexpr int shift = 32 - kPhaseBits;
    for (int i = 0; i < count; ++i, x += step_x, y += step_y) {
        Lanes across;
        load_lanes(plan.kernel->down[(x & 0xffffffff) >> shift], across);  // the last two weights are 0
        const float* down = plan.kernel->down[(y & 0xffffffff) >> shift];
        const float* corner = plan.patch + ((y >> 32) - 2) * stride + ((x >> 32) - 2);
        Lanes sum = {};
        for (int row = 0; row < kTaps; ++row) {
            Lanes line;
            load_lanes(corner + row * stride, line);
            sum += line * down[row];
        }
        sum *= across;
        const Pixel half =
            __builtin_shufflevector(sum, sum, 0, 1, 2, 3) + __builtin_shufflevector(sum, sum, 4, 5, 6, 7);
        const float root = (half[0] + half[1]) + (half[2] + half[3]);
        out[i] = root > 0 ? root : 0;
    }
}

void warp_row(const RowPlan& plan, int row, int from_column, int count, float* out) {
    const double* matrix = plan.matrix;
    auto source = [&](int column) {
        const double x = from_column + column, y = row;
        const double scale = 1.0 / (matrix[6] * x + matrix[7] * y + matrix[8]);
        return std::pair((matrix[0] * x + matrix[1] * y + matrix[2]) * scale - plan.left,
                         (matrix[3] * x + matrix[4] * y + matrix[5]) * scale - plan.top);
    };
    auto inside = [&](const std::pair<double, double>& place) {
        return place.first >= 2 && place.second >= 2 && place.first <= plan.width - 4 &&
               place.second <= plan.height - 4;
    };
    // Half a phase is added, so that the nearest is taken.
    const auto half_phase = std::int64_t(1) << (32 - kPhaseBits - 1);
    for (int from = 0; from < count; from += kPiece) {
        const int piece = std::min(kPiece, count - from);
        const auto first = source(from), last = source(from + piece - 1);
        if (inside(first) && inside(last)) {
            const std::int64_t x = held_place(first.first, plan.width),
                               y = held_place(first.second, plan.height);
            const int steps = std::max(1, piece - 1);
            plan.piece(plan, x + half_phase, y + half_phase, (held_place(last.first, plan.width) - x) / steps,
                       (held_place(last.second, plan.height) - y) / steps, piece, out + plan.channels * from);
        } else {
            // Outside the frame its edge is repeated: each place is held by itself.
            for (int i = from; i < from + piece; ++i) {
                const auto place = source(i);
                plan.piece(plan, held_place(place.first, plan.width) + half_phase,
                           held_place(place.second, plan.height) + half_phase, 0, 0, 1,
                           out + plan.channels * i);
            }
        }
    }
}

/// Brings a row's light to what the reference frame has there.
void level_row(const WarpGrid& grid, int row, int from_column, int count, int channels, float* out) {
    const double middle_x = (grid.frame.width - 1) / 2.0, middle_y = (grid.frame.height - 1) / 2.0,
                 diagonal = middle_x * middle_x + middle_y * middle_y;
    auto fall = [&](const cv::Vec3d& place) {
        const double x = place[0] / place[2] - middle_x, y = place[1] / place[2] - middle_y;
        const double r2 = (x * x + y * y) / diagonal;
        return r2 * (grid.vignetting.square + grid.vignetting.fourth * r2);
    };
    for (int i = 0; i < count; ++i) {
        const cv::Vec3d place(from_column + i, row, 1);
        const double darker = fall(grid.to_frame * place) - fall(grid.to_reference * place);
        const auto factor = float(std::exp(channels == 1 ? darker / 2 : darker));
        for (int channel = 0; channel < channels; ++channel) out[channels * i + channel] *= factor;
    }
}

}  // namespace

cv::Rect reach_of(const cv::Matx33d& to_source, cv::Rect block, cv::Size source) {
    double low_x = 1e300, low_y = 1e300, high_x = -1e300, high_y = -1e300;
    for (const double x : {double(block.x), double(block.x + block.width - 1)})
        for (const double y : {double(block.y), double(block.y + block.height - 1)}) {
            const cv::Vec3d place = to_source * cv::Vec3d(x, y, 1);
            low_x = std::min(low_x, place[0] / place[2]);
            high_x = std::max(high_x, place[0] / place[2]);
            low_y = std::min(low_y, place[1] / place[2]);
            high_y = std::max(high_y, place[1] / place[2]);
        }
    // Places far outside repeat the edge: no need to hold more than a few columns of it.
    auto held = [](double value, int last) { return std::clamp(value, -8.0, last + 8.0); };
    return {cv::Point(int(std::floor(held(low_x, source.width))) - 3,
                      int(std::floor(held(low_y, source.height))) - 3),
            cv::Point(int(std::ceil(held(high_x, source.width))) + 5,
                      int(std::ceil(held(high_y, source.height))) + 5)};
}

void warp_block(const WarpSource& source, const WarpGrid& grid, cv::Rect block, cv::Mat& out) {
    assert(out.size() == block.size() && out.type() == CV_32FC(source.channels));
    const int floats = source.channels == 3 ? 4 : 1;
    constexpr std::size_t kMostKept = std::size_t(1) << 20;  // a frame that is far reduced reaches for more
    static thread_local std::vector<float> patch;
    for (int top = 0; top < block.height; top += kTileHeight)
        for (int left = 0; left < block.width; left += kTileWidth) {
            const cv::Rect tile(block.x + left, block.y + top, std::min(kTileWidth, block.width - left),
                                std::min(kTileHeight, block.height - top));
            const cv::Rect reach = reach_of(grid.to_source, tile, source.size);
            // A kernel of one float a pixel reads two beyond its taps.
            patch.resize(std::size_t(floats) * std::size_t(reach.area()) + 8);
            for (int i = 0; i < reach.height; ++i)
                source.fill(std::clamp(reach.y + i, 0, source.size.height - 1), reach.x, reach.width,
                            patch.data() + std::size_t(floats) * std::size_t(i) * std::size_t(reach.width));
            const RowPlan plan{patch.data(),
                               reach.x,
                               reach.y,
                               reach.width,
                               reach.height,
                               grid.to_source.val,
                               {float(grid.gains[0]), float(grid.gains[1]), float(grid.gains[2]), 0},
                               &kernel_table(),
                               source.channels == 3 ? &warp_piece : &warp_luma_piece,
                               source.channels};
            for (int y = 0; y < tile.height; ++y) {
                float* const line = out.ptr<float>(top + y) + source.channels * left;
                warp_row(plan, tile.y + y, tile.x, tile.width, line);
                if (!grid.vignetting.is_none())
                    level_row(grid, tile.y + y, tile.x, tile.width, source.channels, line);
            }
        }
    if (patch.size() > kMostKept) patch = std::vector<float>();
}

}  // namespace moorhaze
