#include "core/picture/warp.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/picture/luma.h"
#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kTaps = 6;
constexpr int kPhaseBits = 10,
              kPhases = 1 << kPhaseBits;  // position error below 1/2048 px, far under the registration's own
constexpr int kTileWidth = 192, kTileHeight = 48;

/// Two pixels of four floats.
using Lanes = float __attribute__((vector_size(32)));
using UnalignedLanes = float __attribute__((vector_size(32), aligned(4), may_alias));
using Pixel = float __attribute__((vector_size(16)));
using UnalignedPixel = float __attribute__((vector_size(16), aligned(4), may_alias));

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

/// Part of the source picture on a square-root scale, four floats a pixel, or one of luma.
struct Patch {
    int left = 0, top = 0, width = 0, height = 0;
    std::vector<float> values;
};

template <class Value>
void fill_patch_row(const Value* source, int source_width, const float* const* roots, Patch& patch,
                    float* out) {
    for (int i = 0; i < patch.width; ++i) {
        const Value* pixel = source + 3 * std::clamp(patch.left + i, 0, source_width - 1);
        out[4 * i] = roots[0][pixel[0]];
        out[4 * i + 1] = roots[1][pixel[1]];
        out[4 * i + 2] = roots[2][pixel[2]];
        out[4 * i + 3] = 0.0f;
    }
}

template <class Value>
void fill_luma_row(const Value* source, int source_width, const float* const* parts, Patch& patch,
                   float* out) {
    for (int i = 0; i < patch.width; ++i) {
        const Value* pixel = source + 3 * std::clamp(patch.left + i, 0, source_width - 1);
        out[i] = parts[0][pixel[0]] + parts[1][pixel[1]] + parts[2][pixel[2]];
    }
}

MOORHAZE_CLONES void take_roots(float* values, int count) {
    for (int i = 0; i < count; ++i) values[i] = std::sqrt(values[i] > 0 ? values[i] : 0.0f);
}

struct RowPlan;
using WarpPiece = void (*)(const RowPlan& plan, std::int64_t x, std::int64_t y, std::int64_t step_x,
                           std::int64_t step_y, int count, float* out);

/// A row of the target, from a patch of the source.
struct RowPlan {
    const float* patch;
    int left, top, width, height;  ///< of the patch, source pixels
    const double* matrix;          ///< target pixels to source pixels, row by row
    float gains[4];
    const KernelTable* kernel;
    WarpPiece piece;
    int channels;  ///< of the target
};

/// Positions are worked out exactly at the ends of short pieces of a row and go evenly between them, in parts
/// of 2^-32 pixels: for slight perspective that is true to a ten-thousandth of a pixel.
constexpr int kPiece = 32;

/// A part of 2^-32 of a pixel, held so that the kernel stays within the patch.
std::int64_t held_place(double place, int size) {
    return std::int64_t(std::clamp(place, 2.0, double(size - 4)) * 4294967296.0);
}

MOORHAZE_CLONES void warp_piece(const RowPlan& plan, std::int64_t x, std::int64_t y, std::int64_t step_x,
                                std::int64_t step_y, int count, float* out) {
    const std::ptrdiff_t stride = 4 * std::ptrdiff_t(plan.width);
    const auto gains = *reinterpret_cast<const UnalignedPixel*>(plan.gains);
    constexpr int shift = 32 - kPhaseBits;
    for (int i = 0; i < count; ++i, x += step_x, y += step_y) {
        const Lanes* across = plan.kernel->across[(x & 0xffffffff) >> shift];
        const float* down = plan.kernel->down[(y & 0xffffffff) >> shift];
        const float* corner = plan.patch + ((y >> 32) - 2) * stride + 4 * ((x >> 32) - 2);
        Lanes one = {}, two = {}, three = {};
        for (int row = 0; row < kTaps; ++row) {
            const auto* line = reinterpret_cast<const UnalignedLanes*>(corner + row * stride);
            one += line[0] * down[row];
            two += line[1] * down[row];
            three += line[2] * down[row];
        }
        const Lanes sum = one * across[0] + two * across[1] + three * across[2];
        Pixel root =
            __builtin_shufflevector(sum, sum, 0, 1, 2, 3) + __builtin_shufflevector(sum, sum, 4, 5, 6, 7);
        root = root > 0 ? root : Pixel{};
        const Pixel light = root * root * gains;
        // The fourth lane falls into the next pixel, which follows; the last pixel has none.
        if (i + 1 < count)
            *reinterpret_cast<UnalignedPixel*>(out + 3 * i) = light;
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
        const auto across = *reinterpret_cast<const UnalignedLanes*>(
            plan.kernel->down[(x & 0xffffffff) >> shift]);  // the last two weights are 0
        const float* down = plan.kernel->down[(y & 0xffffffff) >> shift];
        const float* corner = plan.patch + ((y >> 32) - 2) * stride + ((x >> 32) - 2);
        Lanes sum = {};
        for (int row = 0; row < kTaps; ++row)
            sum += *reinterpret_cast<const UnalignedLanes*>(corner + row * stride) * down[row];
        sum *= across;
        const Pixel half =
            __builtin_shufflevector(sum, sum, 0, 1, 2, 3) + __builtin_shufflevector(sum, sum, 4, 5, 6, 7);
        const float root = (half[0] + half[1]) + (half[2] + half[3]);
        out[i] = root > 0 ? root : 0;
    }
}

void warp_row(const RowPlan& plan, int target_y, int target_x, int count, float* out) {
    const double* matrix = plan.matrix;
    auto source = [&](int column) {
        const double x = target_x + column, y = target_y;
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
/// @param channels  3 of linear light, or 1 of luma on its square-root scale.
void level_row(const Vignetting& vignetting, const cv::Matx33d& to_source, cv::Size frame, int target_y,
               int target_x, int count, int channels, float* out) {
    const double middle_x = (frame.width - 1) / 2.0, middle_y = (frame.height - 1) / 2.0,
                 diagonal = middle_x * middle_x + middle_y * middle_y;
    auto fall = [&](double x, double y) {
        const double r2 = ((x - middle_x) * (x - middle_x) + (y - middle_y) * (y - middle_y)) / diagonal;
        return r2 * (vignetting.square + vignetting.fourth * r2);
    };
    for (int i = 0; i < count; ++i) {
        const cv::Vec3d place = to_source * cv::Vec3d(target_x + i, target_y, 1);
        const double darker = fall(place[0] / place[2], place[1] / place[2]) - fall(target_x + i, target_y);
        const auto factor = float(std::exp(channels == 1 ? darker / 2 : darker));
        for (int channel = 0; channel < channels; ++channel) out[channels * i + channel] *= factor;
    }
}

struct SourceBox {
    int left, top, right, bottom;
};

/// The source pixels that a tile's kernel reaches. Lines stay lines, so the corners bound it.
SourceBox reach_of(const cv::Matx33d& to_source, int left, int top, int width, int height, cv::Size source) {
    double low_x = 1e300, low_y = 1e300, high_x = -1e300, high_y = -1e300;
    for (const double x : {double(left), double(left + width - 1)})
        for (const double y : {double(top), double(top + height - 1)}) {
            const cv::Vec3d place = to_source * cv::Vec3d(x, y, 1);
            low_x = std::min(low_x, place[0] / place[2]);
            high_x = std::max(high_x, place[0] / place[2]);
            low_y = std::min(low_y, place[1] / place[2]);
            high_y = std::max(high_y, place[1] / place[2]);
        }
    // Places far outside repeat the edge: no need to hold more than a few columns of it.
    auto held = [](double value, int last) { return std::clamp(value, -8.0, last + 8.0); };
    return {int(std::floor(held(low_x, source.width))) - 3, int(std::floor(held(low_y, source.height))) - 3,
            int(std::ceil(held(high_x, source.width))) + 5, int(std::ceil(held(high_y, source.height))) + 5};
}

}  // namespace

std::vector<RowSpan> covered_spans(cv::Size frame, const WarpPlan& plan) {
    const cv::Matx33d to_source = plan.frame_to_reference.inv();
    auto inside = [&](int column, int row) {
        const cv::Vec3d place = to_source * cv::Vec3d(plan.target.x + column, plan.target.y + row, 1);
        const double x = place[0] / place[2], y = place[1] / place[2];
        return x >= -0.5 && y >= -0.5 && x <= frame.width - 0.5 && y <= frame.height - 0.5;
    };
    // The frame's outline is convex: a row crosses it in one span, whose ends are exact where the four edge
    // conditions, each linear in the column, hold.
    std::vector<RowSpan> spans(std::size_t(plan.target.height));
    for (int row = 0; row < plan.target.height; ++row) {
        const cv::Vec3d start = to_source * cv::Vec3d(plan.target.x, plan.target.y + row, 1);
        const cv::Vec3d step = to_source * cv::Vec3d(1, 0, 0);
        double low = 0, high = plan.target.width - 1;
        auto demand = [&](double constant, double slope) {  // constant + slope * column >= 0
            if (slope > 1e-15)
                low = std::max(low, -constant / slope);
            else if (slope < -1e-15)
                high = std::min(high, constant / -slope);
            else if (constant < 0)
                high = -1;
        };
        demand(start[0] + 0.5 * start[2], step[0] + 0.5 * step[2]);
        demand(start[1] + 0.5 * start[2], step[1] + 0.5 * step[2]);
        demand((frame.width - 0.5) * start[2] - start[0], (frame.width - 0.5) * step[2] - step[0]);
        demand((frame.height - 0.5) * start[2] - start[1], (frame.height - 0.5) * step[2] - step[1]);
        if (high < low) continue;
        RowSpan span{int(std::ceil(low)), int(std::floor(high)) + 1};
        while (span.begin < span.end && !inside(span.begin, row)) ++span.begin;
        while (span.begin < span.end && !inside(span.end - 1, row)) --span.end;
        if (span.begin < span.end) spans[std::size_t(row)] = span;
    }
    return spans;
}

namespace {

cv::Matx33d turned_round(const WarpPlan& plan) {
    if (plan.target.empty()) throw BadParameter("the area to fill is empty");
    if (std::min({plan.gains[0], plan.gains[1], plan.gains[2]}) <= 0)
        throw BadParameter("a gain must be above 0");
    bool possible = false;
    const cv::Matx33d to_source = plan.frame_to_reference.inv(cv::DECOMP_LU, &possible);
    if (!possible) throw BadParameter("the frame's matrix cannot be turned round");
    return to_source;
}

/// The whole frame's size, of which `pixels` may be a part.
cv::Size frame_size(const cv::Mat& pixels, const WarpPlan& plan) {
    return plan.part.frame.empty() ? pixels.size() : plan.part.frame;
}

/// Fills `out` (CV_32F, 1 or 3 channels) tile by tile.
/// @param source    size of the pixels at hand;  @param to_frame  target to the whole frame's pixels.
/// @param floats    of a source pixel in a patch;  @param fill_row  (source row, patch, where it goes).
template <class FillRow>
void warp_tiles(cv::Size source, cv::Size frame, const WarpPlan& plan, const cv::Matx33d& to_frame,
                int floats, WarpPiece piece, cv::Vec3d gains, cv::Mat& out, const Job& job,
                const FillRow& fill_row) {
    const cv::Matx33d to_source =
        cv::Matx33d(1, 0, -plan.part.corner.x, 0, 1, -plan.part.corner.y, 0, 0, 1) * to_frame;
    const int bands = (plan.target.height + kTileHeight - 1) / kTileHeight, channels = out.channels();
    for_rows(bands, job, [&](int band) {
        Patch patch;
        const int top = band * kTileHeight;
        const int rows = std::min(kTileHeight, plan.target.height - top);
        for (int left = 0; left < plan.target.width; left += kTileWidth) {
            const int columns = std::min(kTileWidth, plan.target.width - left);
            const SourceBox box =
                reach_of(to_source, plan.target.x + left, plan.target.y + top, columns, rows, source);
            patch.left = box.left;
            patch.top = box.top;
            patch.width = box.right - box.left;
            patch.height = box.bottom - box.top;
            // A kernel of one float a pixel reads two beyond its taps.
            patch.values.resize(std::size_t(floats) * std::size_t(patch.width) * std::size_t(patch.height) +
                                8);
            for (int i = 0; i < patch.height; ++i)
                fill_row(
                    std::clamp(patch.top + i, 0, source.height - 1), patch,
                    patch.values.data() + std::size_t(floats) * std::size_t(i) * std::size_t(patch.width));
            const RowPlan own{patch.values.data(),
                              patch.left,
                              patch.top,
                              patch.width,
                              patch.height,
                              to_source.val,
                              {float(gains[0]), float(gains[1]), float(gains[2]), 0},
                              &kernel_table(),
                              piece,
                              channels};
            for (int y = 0; y < rows; ++y) {
                const int target_y = plan.target.y + top + y, target_x = plan.target.x + left;
                float* line = out.ptr<float>(top + y) + channels * left;
                warp_row(own, target_y, target_x, columns, line);
                if (!plan.vignetting.is_none())
                    level_row(plan.vignetting, to_frame, frame, target_y, target_x, columns, channels, line);
            }
        }
    });
}

/// Tables of three channels: `entry` of linear light and channel.
template <class Entry>
std::array<std::vector<float>, 3> tables_of(const Picture& frame, const ToneCurve& curve,
                                            const Entry& entry) {
    std::array<std::vector<float>, 3> tables;
    for (int channel = 0; channel < 3; ++channel) {
        const float* linear = frame.bits() == 8 ? curve.linear_of_8(channel) : curve.linear_of_16(channel);
        tables[std::size_t(channel)].resize(frame.bits() == 8 ? 256 : 65536);
        for (std::size_t i = 0; i < tables[std::size_t(channel)].size(); ++i)
            tables[std::size_t(channel)][i] = entry(std::max(linear[i], 0.0f), channel);
    }
    return tables;
}

}  // namespace

cv::Rect needed_of(cv::Size frame, const WarpPlan& plan) {
    const SourceBox box = reach_of(turned_round(plan), plan.target.x, plan.target.y, plan.target.width,
                                   plan.target.height, frame);
    return cv::Rect(box.left, box.top, box.right - box.left, box.bottom - box.top) & cv::Rect({}, frame);
}

LinearFrame warp_to_linear(const Picture& frame, const ToneCurve& curve, const WarpPlan& plan,
                           const Job& job) {
    const cv::Matx33d to_source = turned_round(plan);
    const auto tables = tables_of(frame, curve, [](float linear, int) { return std::sqrt(linear); });
    const float* const roots[] = {tables[0].data(), tables[1].data(), tables[2].data()};
    const cv::Size whole = frame_size(frame.pixels, plan);
    LinearFrame out{cv::Mat3f(plan.target.size()), covered_spans(whole, plan)};
    const int width = frame.pixels.cols;
    warp_tiles(frame.pixels.size(), whole, plan, to_source, 4, &warp_piece, plan.gains, out.pixels, job,
               [&](int y, Patch& patch, float* line) {
                   if (frame.bits() == 8)
                       fill_patch_row(frame.pixels.ptr<std::uint8_t>(y), width, roots, patch, line);
                   else
                       fill_patch_row(frame.pixels.ptr<std::uint16_t>(y), width, roots, patch, line);
               });
    return out;
}

LumaFrame warp_to_luma(const Picture& frame, const ToneCurve& curve, const WarpPlan& plan, const Job& job) {
    const cv::Matx33d to_source = turned_round(plan);
    const auto tables = tables_of(frame, curve, [&](float linear, int channel) {
        return kLuminance[channel] * float(plan.gains[channel]) * linear;
    });
    const float* const parts[] = {tables[0].data(), tables[1].data(), tables[2].data()};
    const cv::Size whole = frame_size(frame.pixels, plan);
    LumaFrame out{cv::Mat1f(plan.target.size()), covered_spans(whole, plan)};
    const int width = frame.pixels.cols;
    warp_tiles(frame.pixels.size(), whole, plan, to_source, 1, &warp_luma_piece, {1, 1, 1}, out.pixels, job,
               [&](int y, Patch& patch, float* line) {
                   if (frame.bits() == 8)
                       fill_luma_row(frame.pixels.ptr<std::uint8_t>(y), width, parts, patch, line);
                   else
                       fill_luma_row(frame.pixels.ptr<std::uint16_t>(y), width, parts, patch, line);
                   take_roots(line, patch.width);
               });
    return out;
}

}  // namespace moorhaze
