// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/unveil.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/merge/depth_layers.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kLeastFrames = 6;
constexpr double kWorkPixels = 1.5e6, kStackBytes = 1e9;
constexpr float kGuideSigma = 0.047f;        // likeness of colours in the guide, of roots of light 0..1
constexpr int kReaches[] = {24, 16, 12, 8};  // working px
constexpr float kEdge = 2.5f;                // frames between depths that meet
constexpr int kLeastNearer = 3;  // frames: layers nearer by less are not told from the place's own
constexpr float kFrames = 1.5f;  // frames before and after the place's depth that make it
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

/// All frames at the working size: square roots of linear light, 16 bit.
struct Stack {
    std::vector<cv::Mat> frames;  ///< CV_16UC3; empty where a frame could not be read
    double shrink = 1;            ///< pixels of the target per working pixel

    int count() const { return int(frames.size()); }
    cv::Mat3f light(int place) const {
        cv::Mat3f made;
        frames[std::size_t(place)].convertTo(made, CV_32F, 1 / 65535.0);
        cv::multiply(made, made, made);
        return made;
    }
};

cv::Mat roots_of(const cv::Mat3f& light) {
    cv::Mat roots;
    cv::sqrt(cv::max(light, 0), roots);
    cv::Mat made;
    roots.convertTo(made, CV_16U, 65535);
    return made;
}

/// Where depths meet: in the frame of the nearest depth around, the near thing is crisp and the far one
/// smooth. The median of depth, weighted by likeness in that frame, lays depth's edge onto the thing's.
cv::Mat1f depth_with_edges(const cv::Mat1f& depth, const Stack& stack, const Job& job) {
    const int last = stack.count() - 1;
    cv::Mat1f now = depth.clone();
    const auto steps = double(std::size(kReaches));
    int step_number = 0;
    for (const int reach : kReaches) {
        const cv::Mat kernel = cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * reach + 1, 2 * reach + 1});
        cv::Mat1f near, far, next = now.clone();
        cv::erode(now, near, kernel);
        cv::dilate(now, far, kernel);
        const int step = std::max(1, reach / 6);
        for_rows(now.rows, job.part(step_number / steps, (step_number + 1) / steps), [&](int y) {
            std::vector<float> shares(std::size_t(2 * last) + 2);  // by half frames
            for (int x = 0; x < now.cols; ++x) {
                if (far(y, x) - near(y, x) <= kEdge) continue;
                const cv::Mat& guide =
                    stack.frames[std::size_t(std::clamp(int(std::lround(near(y, x))), 0, last))];
                if (guide.empty()) continue;
                const cv::Vec3f own = guide.at<cv::Vec3w>(y, x);
                std::fill(shares.begin(), shares.end(), 0.0f);
                float total = 0;
                for (int j = std::max(-reach, -y); j <= std::min(reach, now.rows - 1 - y); j += step)
                    for (int i = std::max(-reach, -x); i <= std::min(reach, now.cols - 1 - x); i += step) {
                        if (i * i + j * j > reach * reach) continue;
                        const cv::Vec3f off = (cv::Vec3f(guide.at<cv::Vec3w>(y + j, x + i)) - own) / 65535.0f;
                        const float weight = std::exp(-off.dot(off) / (2 * kGuideSigma * kGuideSigma));
                        shares[std::size_t(
                            std::clamp(int(std::lround(2 * now(y + j, x + i))), 0, 2 * last))] += weight;
                        total += weight;
                    }
                float sum = 0;
                for (std::size_t bin = 0; bin < shares.size(); ++bin)
                    if ((sum += shares[bin]) >= total / 2) {
                        next(y, x) = float(bin) / 2;
                        break;
                    }
            }
        });
        now = next;
        ++step_number;
    }
    return now;
}

/// How much the disc's radius grows from frame to frame, working px; 0 where it cannot be told. Textured
/// places of one depth, spread by discs of several sizes, are compared with frames some steps away.
float growth_of_blur(const cv::Mat3f& merged, const cv::Mat1f& depth, const Stack& stack, const Job& job) {
    constexpr int kSide = 40, kMostPlaces = 60;
    constexpr float kRadii[] = {0.6f, 0.8f, 1.0f, 1.3f, 1.6f, 2.0f, 2.5f, 3.0f, 3.7f, 4.5f, 5.5f, 6.7f, 8.0f};
    struct Place {
        cv::Rect box;
        float depth;
        double texture;
    };
    std::vector<Place> places;
    for (int y = 0; y + kSide <= depth.rows; y += kSide / 2)
        for (int x = 0; x + kSide <= depth.cols; x += kSide / 2) {
            const cv::Rect box(x, y, kSide, kSide);
            double least = 0, most = 0;
            cv::minMaxLoc(depth(box), &least, &most);
            if (most - least > 1.5) continue;
            cv::Mat1f luma;
            cv::cvtColor(merged(box), luma, cv::COLOR_RGB2GRAY);
            cv::Mat1f smooth;
            cv::GaussianBlur(luma, smooth, {}, 2);
            const double texture = cv::norm(luma, smooth, cv::NORM_L2SQR) / double(luma.total());
            places.push_back({box, float((least + most) / 2), texture});
        }
    std::stable_sort(places.begin(), places.end(),
                     [](const Place& one, const Place& other) { return one.texture > other.texture; });
    if (places.size() > kMostPlaces) places.resize(kMostPlaces);
    std::vector<float> found;
    for (const Place& own : places) {
        job.checkpoint();
        // Of the frames at the side with more of them: where the radius is one of the middle ones.
        for (const int side : {-1, 1})
            for (const int steps : {3, 5, 8}) {
                const int frame = int(std::lround(own.depth)) + side * steps;
                if (frame < 0 || frame >= stack.count() || stack.frames[std::size_t(frame)].empty()) continue;
                const int rim = 12;
                const cv::Rect inner(rim, rim, kSide - 2 * rim, kSide - 2 * rim);
                const cv::Mat3f shot = stack.light(frame)(own.box)(inner);
                std::vector<double> off;
                for (const float radius : kRadii) {
                    const cv::Mat blurred = spread(merged(own.box), radius);
                    off.push_back(cv::norm(blurred(inner), shot, cv::NORM_L2SQR));
                }
                const auto least = std::min_element(off.begin(), off.end()) - off.begin();
                if (least == 0 || least + 1 == std::ptrdiff_t(off.size())) continue;
                // A parabola through the three around it, on the scale of the radii's logarithms.
                const double a = off[std::size_t(least - 1)], b = off[std::size_t(least)],
                             c = off[std::size_t(least + 1)];
                const double shift = a + c - 2 * b > 0 ? (a - c) / (2 * (a + c - 2 * b)) : 0;
                const double between = std::log(kRadii[least + 1] / kRadii[least - 1]) / 2;
                const float distance = std::abs(own.depth - float(frame));
                found.push_back(float(kRadii[least] * std::exp(shift * between)) / distance);
            }
    }
    if (found.size() < 12) return 0;
    std::nth_element(found.begin(), found.begin() + std::ptrdiff_t(found.size() / 2), found.end());
    return found[found.size() / 2];
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
                    const Stack& stack, float growth, const Job& job) {
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
    for_rows(depth.rows, {}, [&](int y) {
        for (int x = 0; x < depth.cols; ++x) {
            if (total(y, x) <= 0 || least(y, x) <= kLeastSeen || least(y, x) >= kUnveiled) continue;
            made.found(y, x) = 255;
            for (int c = 0; c < 3; ++c)
                made.light(y, x)[c] =
                    std::clamp(numerator(y, x)[c] / std::max(denominator(y, x), 1e-6f), 0.0f, 1.0f);
        }
    });
    return made;
}

/// How far the frames as they are rendered from each candidate lie from those shot, gathered around each
/// place.
std::vector<cv::Mat1f> residuals_of(const std::vector<cv::Mat3f>& candidates, const cv::Mat1f& depth,
                                    const std::vector<DepthLayer>& layers, const Stack& stack, float growth,
                                    const Job& job) {
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

/// A plane of the target at the working size; every place the mean of what it stands for.
cv::Mat to_working(const cv::Mat& plane, cv::Size size, int how) {
    if (plane.size() == size) return plane;
    cv::Mat made;
    cv::resize(plane, made, size, 0, 0, how);
    return made;
}

/// At half the size, by which renderings are compared at a quarter of the price.
struct Halved {
    Stack stack;
    cv::Mat1f depth;
    std::vector<DepthLayer> layers;
};

cv::Mat half_of(const cv::Mat& own) {
    cv::Mat half;
    cv::resize(own, half, {std::max(1, own.cols / 2), std::max(1, own.rows / 2)}, 0, 0, cv::INTER_AREA);
    return half;
}

Halved halved(const Stack& stack, const cv::Mat1f& depth) {
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
                      const cv::Mat1f& depth, const Stack& stack, float growth, const Job& job) {
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

Stack stack_of(AlignedFrames& frames, cv::Size size, std::vector<FrameProblem>& problems, const Job& job) {
    Stack stack;
    stack.shrink = double(frames.target().width) / size.width;
    for (int place = 0; place < frames.count(); ++place) {
        job.checkpoint(double(place) / frames.count());
        const auto own = frames.load(place, job.quiet());
        if (own)
            stack.frames.push_back(roots_of(to_working(own->pixels, size, cv::INTER_AREA)));
        else
            problems.push_back(own.error()), stack.frames.emplace_back();
    }
    return stack;
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

/// Full size: what lies behind, by the veils of the working size, and put in where it is taken.
void put_in(MergeResult& result, AlignedFrames& frames, const cv::Mat3f& merged, const cv::Mat1f& depth,
            const std::vector<DepthLayer>& layers, const cv::Mat1f& taken, float growth, const Job& job) {
    const cv::Size size = result.picture.pixels.size();
    const auto full = [&](const auto& plane) {
        std::decay_t<decltype(plane)> made;
        cv::resize(plane, made, size, 0, 0, cv::INTER_LINEAR);
        return made;
    };
    const cv::Mat1f share = full(taken), places = full(depth);
    cv::Mat3f numerator(size, cv::Vec3f());
    cv::Mat1f denominator(size, 0.0f);
    for (int frame = 0; frame < frames.count(); ++frame) {
        job.checkpoint(double(frame) / frames.count());
        const Outcome<WarpedFrame> own = frames.open(frame);
        if (!own) continue;
        const Veil veil = veil_in(frame, layers, merged, growth);
        const cv::Mat3f light = full(veil.light);
        const cv::Mat1f seen = full(veil.seen);
        for_rows(size.height, {}, [&](int y) {
            const auto wants = [&](int x) {
                return share(y, x) > 0 && std::abs(places(y, x) - float(frame)) < kFrames;
            };
            int first = 0, end = size.width;
            while (first < end && !wants(first)) ++first;
            while (end > first && !wants(end - 1)) --end;
            if (first == end) return;
            const cv::Mat3f shot = own->light(cv::Rect(first, y, end - first, 1));
            for (int x = first; x < end; ++x) {
                if (!wants(x) || is_clipped(shot(0, x - first))) continue;
                const float weight = (kFrames - std::abs(places(y, x) - float(frame))) * seen(y, x);
                denominator(y, x) += weight * seen(y, x);
                numerator(y, x) += weight * (shot(0, x - first) - light(y, x));
            }
        });
    }
    const ToneCurve& curve = frames.curve();
    for_rows(size.height, {}, [&](int y) {
        std::vector<float> row(3 * std::size_t(size.width));
        auto* encoded = result.picture.pixels.ptr<std::uint16_t>(y);
        std::vector<std::uint16_t> made(row.size());
        for (int x = 0; x < size.width; ++x)
            for (int c = 0; c < 3; ++c) {
                const float before = curve.linear_of_16(c)[encoded[3 * x + c]];
                const float behind = denominator(y, x) > 0
                                         ? std::clamp(numerator(y, x)[c] / denominator(y, x), 0.0f, 1.0f)
                                         : before;
                row[std::size_t(3 * x + c)] = std::lerp(before, behind, share(y, x));
            }
        curve.encode_row_16(row.data(), made.data(), size.width);
        for (int x = 0; x < size.width; ++x) {
            if (share(y, x) <= 0 || denominator(y, x) <= 0) continue;
            std::copy_n(made.data() + 3 * x, 3, encoded + 3 * x);
            if (share(y, x) >= 0.5f) result.made_by(y, x) = uchar(MadeBy::unveiled);
        }
    });
}

}  // namespace

double unveiling_bytes(cv::Size target, int frames) {
    // A working pixel, beside its frames and layers: merge, veil, sums, what lies behind, residuals. A pixel:
    // sums, veil, depth and share.
    constexpr double kWorkingBytes = 110, kStackedBytes = 6, kFullBytes = 40;
    const double working = double(working_size(target, frames).area());
    return working * (kWorkingBytes + depth_layer_bytes(frames) + kStackedBytes * frames) +
           kFullBytes * double(target.area());
}

MergeResult unveiled(MergeResult result, AlignedFrames& frames, const Job& job) {
    if (result.depth.empty() || frames.count() < kLeastFrames) return result;
    const cv::Size target = result.picture.pixels.size(), size = working_size(target, frames.count());
    const Stack stack = stack_of(frames, size, result.problems, job.part(0, 0.25));
    const cv::Mat3f merged = to_working(to_linear(result.picture, frames.curve()), size, cv::INTER_AREA);
    const cv::Mat1f plain = to_working(places_of(result.depth, frames), size, cv::INTER_NEAREST);
    const float growth = growth_of_blur(merged, plain, stack, job.part(0.25, 0.3));
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
    if (cv::countNonZero(may) == 0) return result;
    const cv::Mat1f taken = taken_where(merged, behind, may, depth, stack, growth, job.part(0.65, 0.85));
    if (cv::countNonZero(taken) == 0) return result;
    put_in(result, frames, merged, depth, layers, taken, growth, job.part(0.85, 1));
    return result;
}

}  // namespace moorhaze
