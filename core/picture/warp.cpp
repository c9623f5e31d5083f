#include "core/picture/warp.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/work/clones.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kTaps = 6;
constexpr int kPhases = 1024;  // position error below 1/2048 px, far under the registration's own
constexpr int kTileWidth = 128, kTileHeight = 32;

using Lanes = float __attribute__((vector_size(16)));
using UnalignedLanes = float __attribute__((vector_size(16), aligned(4), may_alias));

struct KernelTable {
    alignas(32) float weight[kPhases + 1][8];
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
            for (int tap = 0; tap < 8; ++tap) weight[phase][tap] = tap < kTaps ? float(raw[tap] / sum) : 0.0f;
        }
    }
};

const KernelTable& kernel_table() {
    static const KernelTable table;
    return table;
}

/// Part of the source picture on a square-root scale, four floats a pixel.
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

/// One row of the target from a patch. `matrix` maps target pixels to source pixels, row by row.
MOORHAZE_CLONES void warp_row(const float* patch, int patch_left, int patch_top, int patch_width,
                              int patch_height, const double* matrix, int target_y, int target_x, int count,
                              float gain, const float (*weights)[8], float* out) {
    for (int i = 0; i < count; ++i) {
        const double x = target_x + i, y = target_y;
        const double scale = 1.0 / (matrix[6] * x + matrix[7] * y + matrix[8]);
        const double source_x = (matrix[0] * x + matrix[1] * y + matrix[2]) * scale - patch_left;
        const double source_y = (matrix[3] * x + matrix[4] * y + matrix[5]) * scale - patch_top;
        const double held_x = std::min(std::max(source_x, 2.0), double(patch_width - 4));
        const double held_y = std::min(std::max(source_y, 2.0), double(patch_height - 4));
        const int whole_x = int(held_x), whole_y = int(held_y);
        const float* across = weights[int((held_x - whole_x) * kPhases + 0.5)];
        const float* down = weights[int((held_y - whole_y) * kPhases + 0.5)];
        const float* corner = patch + 4 * ((whole_y - 2) * patch_width + whole_x - 2);
        Lanes sum = {0, 0, 0, 0};
        for (int row = 0; row < kTaps; ++row) {
            const auto* line = reinterpret_cast<const UnalignedLanes*>(corner + 4 * row * patch_width);
            const Lanes along = line[0] * across[0] + line[1] * across[1] + line[2] * across[2] +
                                line[3] * across[3] + line[4] * across[4] + line[5] * across[5];
            sum += along * down[row];
        }
        for (int channel = 0; channel < 3; ++channel) {
            const float root = std::max(sum[channel], 0.0f);
            out[3 * i + channel] = root * root * gain;
        }
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

LinearFrame warp_to_linear(const Picture& frame, const ToneCurve& curve, const WarpPlan& plan,
                           const Job& job) {
    if (plan.target.empty()) throw BadParameter("the area to fill is empty");
    if (plan.gain <= 0) throw BadParameter("a gain must be above 0");
    bool turned_round = false;
    const cv::Matx33d to_source = plan.frame_to_reference.inv(cv::DECOMP_LU, &turned_round);
    if (!turned_round) throw BadParameter("the frame's matrix cannot be turned round");

    const int steps = frame.bits() == 8 ? 256 : 65536;
    std::vector<float> tables[3];
    const float* roots[3];
    for (int channel = 0; channel < 3; ++channel) {
        const float* linear = frame.bits() == 8 ? curve.linear_of_8(channel) : curve.linear_of_16(channel);
        tables[channel].resize(std::size_t(steps));
        for (int i = 0; i < steps; ++i)
            tables[channel][std::size_t(i)] = std::sqrt(std::max(linear[i], 0.0f));
        roots[channel] = tables[channel].data();
    }

    LinearFrame out{cv::Mat3f(plan.target.size()), covered_spans(frame.pixels.size(), plan)};
    const cv::Size source = frame.pixels.size();
    const int bands = (plan.target.height + kTileHeight - 1) / kTileHeight;
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
            patch.values.resize(4 * std::size_t(patch.width) * std::size_t(patch.height));
            for (int i = 0; i < patch.height; ++i) {
                const int y = std::clamp(patch.top + i, 0, source.height - 1);
                float* line = patch.values.data() + 4 * std::size_t(i) * std::size_t(patch.width);
                if (frame.bits() == 8)
                    fill_patch_row(frame.pixels.ptr<std::uint8_t>(y), source.width, roots, patch, line);
                else
                    fill_patch_row(frame.pixels.ptr<std::uint16_t>(y), source.width, roots, patch, line);
            }
            for (int y = 0; y < rows; ++y)
                warp_row(patch.values.data(), patch.left, patch.top, patch.width, patch.height, to_source.val,
                         plan.target.y + top + y, plan.target.x + left, columns, float(plan.gain),
                         kernel_table().weight, out.pixels.ptr<float>(top + y) + 3 * left);
        }
    });
    return out;
}

}  // namespace moorhaze
