// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/unveil.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/merge/blur_growth.h"
#include "core/merge/depth_edges.h"
#include "core/merge/depth_layers.h"
#include "core/merge/frame_detail.h"
#include "core/merge/frame_stack.h"
#include "core/merge/highlights.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kLeastFrames = 6;
constexpr double kWorkPixels = 1.5e6, kStackBytes = 1e9;
constexpr int kLeastNearer = 3;     // frames: layers nearer by less are not told from the place's own
constexpr float kFrames = 1.5f;     // frames before and after the place's depth that make it
constexpr int kBlock = 64;          // px of the target: read at once, or not at all
constexpr float kBlack = 0.01f;     // of linear light: what noise makes of black
constexpr double kNoiseEvened = 2;  // working px, sigma
constexpr int kWrongReach = 4;      // working px
constexpr float kLeastSeen = 0.25f, kUnveiled = 0.98f;
constexpr float kLooksOn = 8;       // frames: so far from the place's depth renderings are compared
constexpr float kOwnWeight = 0.3f;  // of the frames that made the place
constexpr float kMostOff = 0.01f;   // of roots of light, squared: what is farther off says no more
constexpr float kClipped = 0.97f;   // of light: beyond it nobody knows how much there was
constexpr double kGathered = 1.25;  // px of half the working size, sigma: residuals are compared over so much
constexpr float kFavour = 0.9f;     // the merge stays unless renderings get better by more, at the place
constexpr float kFavourAround = 0.85f;  // and by more around it, so that what the model gets wrong stays
constexpr double kWidelyGathered = 14;  // working px, sigma

bool is_clipped(const cv::Vec3f& light) {
    return std::max({light[0], light[1], light[2]}) > kClipped;
}

/// The veil before a place in a frame: its light, and what it leaves free.
struct Veil {
    cv::Mat3f light;
    cv::Mat1f seen;
};

Veil veil_in(int frame, const std::vector<DepthLayer>& layers, const cv::Mat3f& merged, float growth) {
    std::vector<const DepthLayer*> nearer;
    for (const DepthLayer& own : layers)
        if (own.depth <= float(frame - kLeastNearer)) nearer.push_back(&own);
    std::reverse(nearer.begin(), nearer.end());  // the farthest first
    Veil made{cv::Mat3f(merged.size(), cv::Vec3f()), cv::Mat1f(merged.size(), 1.0f)};
    for (const SpreadLayer& own : spread_layers(nearer, {merged}, growth, frame))
        for_rows(own.box.height, {}, [&](int y) {
            for (int x = 0; x < own.box.width; ++x) {
                const float cover = std::min(1.0f, own.cover(y, x));
                cv::Vec3f& light = made.light(own.box.y + y, own.box.x + x);
                light = light * (1 - cover) + own.lights[0](y, x);
                made.seen(own.box.y + y, own.box.x + x) *= 1 - cover;
            }
        });
    return made;
}

struct Behind {
    cv::Mat3f light;
    cv::Mat1b found;  ///< 255 where something was veiled and enough of it is seen
};

/// What lies behind, by least squares over the frames next to each place's depth.
Behind behind_veils(const cv::Mat3f& merged, const cv::Mat1f& depth, const std::vector<DepthLayer>& layers,
                    const FrameStack& stack, float growth, const Job& job) {
    cv::Mat3f numerator(depth.size(), cv::Vec3f());
    cv::Mat1f total(depth.size(), 0.0f), denominator(depth.size(), 0.0f), least(depth.size(), 1.0f);
    for (int frame = 0; frame < stack.count(); ++frame) {
        job.checkpoint(double(frame) / stack.count());
        if (stack.frames[std::size_t(frame)].empty()) continue;
        const Veil veil = veil_in(frame, layers, merged, growth);
        const cv::Mat3f shot = stack.light(frame);
        for_rows(depth.rows, {}, [&](int y) {
            for (int x = 0; x < depth.cols; ++x) {
                const float weight = kFrames - std::abs(depth(y, x) - float(frame));
                if (weight <= 0 || is_clipped(shot(y, x))) continue;
                const float seen = veil.seen(y, x);
                least(y, x) = std::min(least(y, x), seen);
                total(y, x) += weight;
                denominator(y, x) += weight * seen * seen;
                numerator(y, x) += weight * seen * (shot(y, x) - veil.light(y, x));
            }
        });
    }
    Behind made{merged.clone(), cv::Mat1b(depth.size(), uchar(0))};
    cv::Mat3f raw(depth.size(), cv::Vec3f());
    for_rows(depth.rows, {}, [&](int y) {
        for (int x = 0; x < depth.cols; ++x) {
            if (total(y, x) <= 0 || least(y, x) <= kLeastSeen || least(y, x) >= kUnveiled) continue;
            made.found(y, x) = 255;
            raw(y, x) = numerator(y, x) / std::max(denominator(y, x), 1e-6f);
            for (int c = 0; c < 3; ++c) made.light(y, x)[c] = std::clamp(raw(y, x)[c], 0.0f, 1.0f);
        }
    });
    // Nothing is darker than black: where that comes out more veil was taken off than there is, and right
    // beside it probably, too.
    cv::GaussianBlur(raw, raw, {}, kNoiseEvened);
    cv::Mat1b wrong(depth.size(), uchar(0));
    for_rows(depth.rows, {}, [&](int y) {
        for (int x = 0; x < depth.cols; ++x) {
            const cv::Vec3f& own = raw(y, x);
            if (made.found(y, x) && std::min({own[0], own[1], own[2]}) < -kBlack) wrong(y, x) = 255;
        }
    });
    cv::dilate(wrong, wrong,
               cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * kWrongReach + 1, 2 * kWrongReach + 1}));
    made.found.setTo(0, wrong);
    return made;
}

/// How far the frames as they are rendered from each candidate lie from those shot, gathered around each
/// place.
std::vector<cv::Mat1f> residuals_of(const std::vector<cv::Mat3f>& candidates, const cv::Mat1f& depth,
                                    const std::vector<DepthLayer>& layers, const FrameStack& stack,
                                    float growth, const Job& job) {
    std::vector<cv::Mat1f> residuals;
    for (std::size_t j = 0; j < candidates.size(); ++j) residuals.emplace_back(depth.size(), 0.0f);
    for (int frame = 0; frame < stack.count(); ++frame) {
        job.checkpoint(double(frame) / stack.count());
        if (stack.frames[std::size_t(frame)].empty()) continue;
        std::vector<const DepthLayer*> farthest_first;
        for (auto own = layers.rbegin(); own != layers.rend(); ++own)
            if (own->depth <= float(frame) + kLooksOn + 1) farthest_first.push_back(&*own);
        std::vector<cv::Mat3f> rendered;
        for (std::size_t j = 0; j < candidates.size(); ++j) rendered.emplace_back(depth.size(), cv::Vec3f());
        cv::Mat1f covered(depth.size(), 0.0f);
        for (const SpreadLayer& own : spread_layers(farthest_first, candidates, growth, frame))
            for_rows(own.box.height, {}, [&](int row) {
                for (int column = 0; column < own.box.width; ++column) {
                    const float cover = std::min(1.0f, own.cover(row, column));
                    const int y = own.box.y + row, x = own.box.x + column;
                    for (std::size_t j = 0; j < candidates.size(); ++j)
                        rendered[j](y, x) = rendered[j](y, x) * (1 - cover) + own.lights[j](row, column);
                    covered(y, x) = covered(y, x) * (1 - cover) + cover;
                }
            });
        const cv::Mat3f shot = stack.light(frame);
        for_rows(depth.rows, {}, [&](int y) {
            for (int x = 0; x < depth.cols; ++x) {
                const float off = std::abs(depth(y, x) - float(frame));
                if (off >= kLooksOn || covered(y, x) < 0.5f) continue;
                if (is_clipped(shot(y, x))) continue;
                const float weight = off < kFrames ? kOwnWeight : 1;
                for (std::size_t j = 0; j < candidates.size(); ++j) {
                    const cv::Vec3f light = rendered[j](y, x) / covered(y, x);
                    float sum = 0;
                    for (int c = 0; c < 3; ++c) {
                        const float own =
                            std::sqrt(std::max(0.0f, light[c])) - std::sqrt(std::max(0.0f, shot(y, x)[c]));
                        sum += std::min(own * own, kMostOff);
                    }
                    residuals[j](y, x) += weight * sum;
                }
            }
        });
    }
    for (cv::Mat1f& own : residuals) cv::GaussianBlur(own, own, {}, kGathered);
    return residuals;
}

/// At half the size, by which renderings are compared at a quarter of the price.
struct Halved {
    FrameStack stack;
    cv::Mat1f depth;
    std::vector<DepthLayer> layers;
};

cv::Mat half_of(const cv::Mat& own) {
    cv::Mat half;
    cv::resize(own, half, {std::max(1, own.cols / 2), std::max(1, own.rows / 2)}, 0, 0, cv::INTER_AREA);
    return half;
}

Halved halved(const FrameStack& stack, const cv::Mat1f& depth) {
    Halved made;
    made.stack.frames.resize(stack.frames.size());
    for_rows(stack.count(), {}, [&](int place) {
        const cv::Mat& own = stack.frames[std::size_t(place)];
        if (!own.empty()) made.stack.frames[std::size_t(place)] = half_of(own);
    });
    cv::resize(depth, made.depth, {std::max(1, depth.cols / 2), std::max(1, depth.rows / 2)}, 0, 0,
               cv::INTER_NEAREST);
    made.layers = layers_of_depth(made.depth, stack.count());
    return made;
}

cv::Mat3f laid_over(const cv::Mat3f& below, const cv::Mat3f& above, const cv::Mat1f& share) {
    cv::Mat3f made(below.size());
    for_rows(below.rows, {}, [&](int y) {
        for (int x = 0; x < below.cols; ++x)
            made(y, x) = below(y, x) * (1 - share(y, x)) + above(y, x) * share(y, x);
    });
    return made;
}

/// Where what lies behind is taken: 0..1.   @param may  255 where it was found and nothing forbids it.
cv::Mat1f taken_where(const cv::Mat3f& merged, const Behind& behind, const cv::Mat1b& may,
                      const cv::Mat1f& depth, const FrameStack& stack, float growth, const Job& job) {
    cv::Mat1f wanted;
    may.convertTo(wanted, CV_32F, 1 / 255.0);
    const Halved small = halved(stack, depth);
    std::vector<cv::Mat1f> off =
        residuals_of({half_of(merged), half_of(laid_over(merged, behind.light, wanted))}, small.depth,
                     small.layers, small.stack, growth / 2, job);
    std::vector<cv::Mat1f> around(off.size());
    for (std::size_t j = 0; j < off.size(); ++j) {
        cv::Mat1f own;
        cv::resize(off[j], own, merged.size(), 0, 0, cv::INTER_LINEAR);
        off[j] = own;
        cv::GaussianBlur(own.mul(wanted), around[j], {}, kWidelyGathered);
    }
    for_rows(wanted.rows, {}, [&](int y) {
        for (int x = 0; x < wanted.cols; ++x)
            if (!(off[1](y, x) < kFavour * off[0](y, x) && around[1](y, x) < kFavourAround * around[0](y, x)))
                wanted(y, x) = 0;
    });
    constexpr double kSeam = 0.7;  // px: the eye sees none
    cv::GaussianBlur(wanted, wanted, {}, kSeam);
    return wanted;
}

cv::Size working_size(cv::Size target, int frames) {
    const double most = std::min(kWorkPixels, kStackBytes / (6.0 * frames));
    const double scale = std::min(1.0, std::sqrt(most / double(target.area())));
    return {std::max(2, int(std::lround(target.width * scale))),
            std::max(2, int(std::lround(target.height * scale)))};
}

/// Numbers of the series' frames, from 1, as places among the frames merged, from 0. Unknown ones are the
/// last: what is behind everything veils nothing.
cv::Mat1f places_of(const cv::Mat1f& numbers, const AlignedFrames& frames) {
    std::vector<float> place_of;  // by the frame's index
    for (int place = 0; place < frames.count(); ++place) {
        const int index = frames.index(place);
        // Frames left out in between lie evenly between their neighbours.
        const int from = int(place_of.size());
        for (int i = from; i <= index; ++i)
            place_of.push_back(place == 0 ? 0
                                          : float(place - 1) + float(i - from + 1) / float(index - from + 1));
    }
    const auto last = float(frames.count() - 1);
    cv::Mat1f places(numbers.size());
    for_rows(numbers.rows, {}, [&](int y) {
        for (int x = 0; x < numbers.cols; ++x) {
            const float at = numbers(y, x) - 1;
            if (!(at >= 0)) {
                places(y, x) = last;
                continue;
            }
            const auto below = std::min(std::size_t(at), place_of.size() - 1),
                       above = std::min(below + 1, place_of.size() - 1);
            places(y, x) = std::lerp(place_of[below], place_of[above], at - float(below));
        }
    });
    return places;
}

/// Planes of the working size, read at places of the target: linearly between their pixels.
class Enlarged {
  public:
    Enlarged(cv::Size from, cv::Size to)
        : columns_(between(from.width, to.width)), rows_(between(from.height, to.height)) {}

    template <class Value>
    Value at(const cv::Mat_<Value>& plane, int x, int y) const {
        const Between &across = columns_[std::size_t(x)], &down = rows_[std::size_t(y)];
        const Value *const upper = plane[down.first], *const lower = plane[down.second];
        return (upper[across.first] * (1 - across.part) + upper[across.second] * across.part) *
                   (1 - down.part) +
               (lower[across.first] * (1 - across.part) + lower[across.second] * across.part) * down.part;
    }
    /// The pixels that a place is read from: these and the next, across and down.
    cv::Point first(int x, int y) const {
        return {columns_[std::size_t(x)].first, rows_[std::size_t(y)].first};
    }

  private:
    struct Between {
        int first, second;
        float part;  ///< of the second
    };
    static std::vector<Between> between(int from, int to) {
        std::vector<Between> made;
        for (int i = 0; i < to; ++i) {
            const float at =
                std::clamp((float(i) + 0.5f) * float(from) / float(to) - 0.5f, 0.0f, float(from - 1));
            made.push_back({int(at), std::min(int(at) + 1, from - 1), at - std::floor(at)});
        }
        return made;
    }
    std::vector<Between> columns_, rows_;
};

/// Where a frame's pixels take part at full size, as the working size tells.
class PartsOfFrames {
  public:
    PartsOfFrames(const cv::Mat1f& depth, const cv::Mat1f& taken) : taken_(taken.size(), uchar(0)) {
        // Between pixels whose depths differ lie all depths between these.
        const cv::Mat pair = cv::Mat1b::ones(2, 2);
        cv::erode(depth, low_, pair, {0, 0});
        cv::dilate(depth, high_, pair, {0, 0});
        cv::Mat1f most;
        cv::dilate(taken, most, pair, {0, 0});
        taken_ = most > 0;
    }

    /// @param of  working pixels that places are read from, with the next across and down.
    bool any(int frame, cv::Rect of) const {
        for (int y = of.y; y < of.br().y; ++y)
            for (int x = of.x; x < of.br().x; ++x)
                if (taken_(y, x) && low_(y, x) < float(frame) + kFrames &&
                    high_(y, x) > float(frame) - kFrames)
                    return true;
        return false;
    }

  private:
    cv::Mat1b taken_;
    cv::Mat1f low_, high_;
};

/// In each row of the target, the columns between which places are taken.
std::vector<RowSpan> spans_taken(const cv::Mat1f& taken, cv::Size target) {
    const double across = double(target.width) / taken.cols, down = double(target.height) / taken.rows;
    std::vector<RowSpan> spans(std::size_t(target.height), RowSpan{target.width, 0});
    for (int y = 0; y < taken.rows; ++y) {
        int first = 0, last = taken.cols - 1;
        while (first < taken.cols && !(taken(y, first) > 0)) ++first;
        if (first == taken.cols) continue;
        while (!(taken(y, last) > 0)) --last;
        // A pixel is read as far as its neighbours' middles.
        const int left = std::max(0, int((first - 1) * across)),
                  right = std::min(target.width, int(std::ceil((last + 2) * across)));
        for (int row = std::max(0, int((y - 1) * down));
             row < std::min(target.height, int(std::ceil((y + 2) * down))); ++row) {
            RowSpan& own = spans[std::size_t(row)];
            own = {std::min(own.begin, left), std::max(own.end, right)};
        }
    }
    return spans;
}

/// Full size: what lies behind, by the veils of the working size, and put in where it is taken.
void put_in(MergeResult& result, AlignedFrames& frames, const cv::Mat3f& merged, const cv::Mat1f& depth,
            const std::vector<DepthLayer>& layers, const cv::Mat1f& taken, float growth, const Job& job) {
    const cv::Size size = result.picture.pixels.size();
    const Enlarged enlarged(depth.size(), size);
    const std::vector<RowSpan> spans = spans_taken(taken, size);
    const PartsOfFrames parts(depth, taken);
    const Blocks blocks(size, kBlock);
    cv::Mat3f numerator(size, cv::Vec3f());
    cv::Mat1f denominator(size, 0.0f);
    for (int frame = 0; frame < frames.count(); ++frame) {
        job.checkpoint(double(frame) / frames.count());
        if (!parts.any(frame, cv::Rect({}, depth.size()))) continue;
        const Outcome<WarpedFrame> own = frames.open(frame);
        if (!own) continue;
        const Veil veil = veil_in(frame, layers, merged, growth);
        for_rows(blocks.count(), {}, [&](int number) {
            const cv::Rect block = blocks[number];
            const cv::Point low = enlarged.first(block.x, block.y),
                            high = enlarged.first(block.br().x - 1, block.br().y - 1);
            if (!parts.any(frame, {low, high + cv::Point(1, 1)})) return;
            const cv::Mat3f shot = own->light(block);
            for (int y = block.y; y < block.br().y; ++y)
                for (int x = block.x; x < block.br().x; ++x) {
                    const cv::Vec3f& light = shot(y - block.y, x - block.x);
                    if (!(enlarged.at(taken, x, y) > 0) || is_clipped(light)) continue;
                    const float near = kFrames - std::abs(enlarged.at(depth, x, y) - float(frame));
                    if (!(near > 0)) continue;
                    const float seen = enlarged.at(veil.seen, x, y), weight = near * seen;
                    denominator(y, x) += weight * seen;
                    numerator(y, x) += weight * (light - enlarged.at(veil.light, x, y));
                }
        });
    }
    const ToneCurve& curve = frames.curve();
    for_rows(size.height, {}, [&](int y) {
        const auto [first, end] = spans[std::size_t(y)];
        if (first >= end) return;
        std::vector<float> row(3 * std::size_t(end - first));
        std::vector<std::uint16_t> made(row.size());
        std::uint16_t* const encoded = result.picture.pixels.ptr<std::uint16_t>(y) + 3 * first;
        for (int x = first; x < end; ++x)
            for (int c = 0; c < 3; ++c) {
                const int at = 3 * (x - first) + c;
                const float before = curve.linear_of_16(c)[encoded[at]];
                const float behind = denominator(y, x) > 0
                                         ? std::clamp(numerator(y, x)[c] / denominator(y, x), 0.0f, 1.0f)
                                         : before;
                row[std::size_t(at)] = std::lerp(before, behind, enlarged.at(taken, x, y));
            }
        curve.encode_row_16(row.data(), made.data(), end - first);
        for (int x = first; x < end; ++x) {
            const float share = enlarged.at(taken, x, y);
            if (share <= 0 || denominator(y, x) <= 0) continue;
            std::copy_n(made.data() + 3 * (x - first), 3, encoded + 3 * (x - first));
            if (share >= 0.5f) result.made_by(y, x) = uchar(MadeBy::unveiled);
        }
    });
}

}  // namespace

double unveiling_bytes(cv::Size target, int frames) {
    // A working pixel, beside its frames and layers: merge, veil, sums, what lies behind, residuals. A pixel:
    // sums.
    constexpr double kWorkingBytes = 110, kStackedBytes = 6, kFullBytes = 16;
    const double working = double(working_size(target, frames).area());
    return working * (kWorkingBytes + depth_layer_bytes(frames) + kStackedBytes * frames) +
           kFullBytes * double(target.area());
}

MergeResult unveiled(MergeResult result, AlignedFrames& frames, const Job& job) {
    if (result.depth.empty() || frames.count() < kLeastFrames) return result;
    const cv::Size target = result.picture.pixels.size(), size = working_size(target, frames.count());
    std::vector<FrameProblem> problems;
    const FrameStack stack = frame_stack_of(frames, size, problems, job.part(0, 0.25));
    for (const FrameProblem& own : problems)
        if (std::none_of(result.problems.begin(), result.problems.end(),
                         [&](const FrameProblem& known) { return known.frame_index == own.frame_index; }))
            result.problems.push_back(own);
    const cv::Mat3f merged = resized_plane(to_linear(result.picture, frames.curve()), size, cv::INTER_AREA);
    const cv::Mat1f plain = resized_plane(places_of(result.depth, frames), size, cv::INTER_NEAREST);
    // Methods that go by no depth trust all of what they made up about it.
    const cv::Mat1f trust = result.trust.empty()
                                ? cv::Mat1f(size, 1.0f)
                                : cv::Mat1f(resized_plane(result.trust, size, cv::INTER_AREA));
    const float growth = growth_of_blur(merged, plain, trust, stack, job.part(0.25, 0.3));
    if (growth <= 0) return result;
    const cv::Mat1f depth = depth_with_edges(plain, stack, job.part(0.3, 0.5));
    const std::vector<DepthLayer> layers = layers_of_depth(depth, stack.count());
    const Behind behind = behind_veils(merged, depth, layers, stack, growth, job.part(0.5, 0.65));
    cv::Mat1b may = behind.found.clone();
    if (result.statistics.moved.any()) {
        const auto all = ushort(stack.count() - 1);
        for_rows(size.height, {}, [&](int y) {
            for (int x = 0; x < size.width; ++x) {
                const cv::Point at = result.statistics.in_moved(
                    result.area, {int(x * stack.shrink), int(y * stack.shrink)}, 0);
                if (result.statistics.moved.first(at) > 0 || result.statistics.moved.last(at) < all)
                    may(y, x) = 0;
            }
        });
    }
    // A clipped highlight has more light than any frame tells: nothing can be taken off it.
    if (result.statistics.highlights) {
        const cv::Mat1s highlights = resized_plane(*result.statistics.highlights, size, cv::INTER_NEAREST);
        may.setTo(0, highlights >= 0);
    }
    if (cv::countNonZero(may) == 0) return result;
    const cv::Mat1f taken = taken_where(merged, behind, may, depth, stack, growth, job.part(0.65, 0.85));
    if (cv::countNonZero(taken) == 0) return result;
    put_in(result, frames, merged, depth, layers, taken, growth, job.part(0.85, 1));
    return result;
}

}  // namespace moorhaze
