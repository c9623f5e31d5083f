// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/focus_order.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <numeric>

#include "core/focus/frame_faults.h"
#include "core/focus/order_statistics.h"

namespace moorhaze {
namespace {

/// Frames with less than this share of the picture sharp say nothing of order.
constexpr double kTellingShare = 0.004;
constexpr std::size_t kFewestFrames = 4, kMostFrames = 400;
constexpr double kNearlyBlack = 0.18;
/// A way through the frames that is this much longer than the shortest found is out of order; on the rig's
/// faultless series it is at most 1.05 times as long.
constexpr double kLonger = 1.15;
/// Along a rail the picture must grow by this (natural logarithm) to tell the direction.
constexpr double kGrowth = 0.004;

/// The grid at half its fineness, so that hand shake counts less.
cv::Mat1f coarse(const cv::Mat1f& grid) {
    cv::Mat1f half((grid.rows + 1) / 2, (grid.cols + 1) / 2, 0.0f);
    for (int y = 0; y < grid.rows; ++y)
        for (int x = 0; x < grid.cols; ++x) half(y / 2, x / 2) += grid(y, x);
    return half;
}

/// How far apart two frames lie by what both have sharp: 0 alike .. 7 nothing in common. The logarithm makes
/// distances add up along a series.
double distance(const cv::Mat1f& one, const cv::Mat1f& other) {
    double both = 0, either = 0;
    const float *a = one[0], *b = other[0];
    for (std::size_t i = 0; i < one.total(); ++i) {
        both += std::min(a[i], b[i]);
        either += std::max(a[i], b[i]);
    }
    return -std::log(std::max(1e-3, either > 0 ? both / either : 0));
}

double length_of(const std::vector<int>& way, const cv::Mat1d& distances) {
    double length = 0;
    for (std::size_t i = 1; i < way.size(); ++i) length += distances(way[i - 1], way[i]);
    return length;
}

/// 2-opt: Croes, "A Method for Solving Traveling-Salesman Problems", Operations Research 6(6), 1958.
/// @return true when a part was turned round.
bool turn_parts(std::vector<int>& way, const cv::Mat1d& distances) {
    const int count = int(way.size());
    const auto at = [&](int k) { return way[std::size_t(k)]; };
    bool better = false;
    for (int from = 0; from + 1 < count; ++from)
        for (int to = from + 1; to < count; ++to) {
            double gain = 0;
            if (from > 0) gain += distances(at(from - 1), at(from)) - distances(at(from - 1), at(to));
            if (to + 1 < count) gain += distances(at(to), at(to + 1)) - distances(at(from), at(to + 1));
            if (gain > 1e-9) {
                std::reverse(way.begin() + from, way.begin() + to + 1);
                better = true;
            }
        }
    return better;
}

/// Or-opt: Or, "Traveling Salesman-Type Combinatorial Problems", Northwestern University, 1976 (from memory):
/// one to three frames move to where they fit better.   @return true when some moved.
bool move_parts(std::vector<int>& way, const cv::Mat1d& distances) {
    const int count = int(way.size());
    bool better = false;
    const auto link = [&](const std::vector<int>& row, int k) {
        return k < 0 || k + 1 >= int(row.size()) ? 0.0
                                                 : distances(row[std::size_t(k)], row[std::size_t(k) + 1]);
    };
    for (int length = 1; length <= 3; ++length)
        for (int from = 0; from + length <= count; ++from) {
            std::vector<int> rest = way;
            const std::vector<int> part(way.begin() + from, way.begin() + from + length);
            rest.erase(rest.begin() + from, rest.begin() + from + length);
            const int left = int(rest.size());
            const double saved = link(way, from - 1) + link(way, from + length - 1) - link(rest, from - 1);
            for (int to = 0; to <= left; ++to) {
                if (to == from) continue;
                double cost = -link(rest, to - 1);
                if (to > 0) cost += distances(rest[std::size_t(to) - 1], part.front());
                if (to < left) cost += distances(part.back(), rest[std::size_t(to)]);
                if (saved - cost <= 1e-9) continue;
                rest.insert(rest.begin() + to, part.begin(), part.end());
                way = rest;
                better = true;
                break;
            }
        }
    return better;
}

/// Lays frames in a row by the second eigenvector of the similarities' Laplacian, then mends it by turning
/// parts round while that shortens the way.
std::vector<int> shortest_way(const cv::Mat1d& distances) {
    const int count = distances.rows;
    cv::Mat1d laplacian(count, count, 0.0);
    for (int i = 0; i < count; ++i)
        for (int j = 0; j < count; ++j)
            if (i != j) {
                const double alike = std::exp(-3 * distances(i, j)) + 1e-6;
                laplacian(i, j) = -alike;
                laplacian(i, i) += alike;
            }
    cv::Mat1d values, vectors;
    cv::eigen(laplacian, values, vectors);  // falling
    const int second = count - 2;
    std::vector<int> way(static_cast<std::size_t>(count));
    std::iota(way.begin(), way.end(), 0);
    std::stable_sort(way.begin(), way.end(),
                     [&](int a, int b) { return vectors(second, a) < vectors(second, b); });
    for (bool better = true; better;) {
        better = turn_parts(way, distances);
        better = move_parts(way, distances) || better;
    }
    return way;
}

/// +1 where ranks rise nearly all the way, -1 where they fall, else 0: by Spearman's rank correlation.
int trend(const std::vector<int>& ranks, int from, int to) {
    const int count = to - from;
    if (count < 3) return 0;
    std::vector<int> sorted(ranks.begin() + from, ranks.begin() + to);
    std::sort(sorted.begin(), sorted.end());
    double squares = 0;
    for (int i = from; i < to; ++i) {
        const auto place = std::lower_bound(sorted.begin(), sorted.end(), ranks[std::size_t(i)]);
        const double off = double(place - sorted.begin()) - (i - from);
        squares += off * off;
    }
    const double rho = 1 - 6 * squares / (double(count) * (double(count) * count - 1));
    return rho > 0.9 ? 1 : rho < -0.9 ? -1 : 0;
}

std::string frames_words(int first, int last) {
    return "frames " + std::to_string(first + 1) + " to " + std::to_string(last + 1);
}

struct Shape {
    FocusOrder order = FocusOrder::mixed;  ///< near_to_far stands for "in order", whichever end is near
    int first = 0, last = 0;
};

/// What kind of disorder ranks show. `ranks[k]` is the place that the k-th frame should have.
Shape shape_of(const std::vector<int>& ranks) {
    const int count = int(ranks.size());
    // A part that stands the wrong way round: turning it puts all in order.
    double least_left = 1e9;
    Shape part;
    for (int first = 0; first + 2 < count; ++first)
        for (int last = first + 2; last < count; ++last) {
            if (last - first + 1 >= count) continue;
            std::vector<int> turned = ranks;
            std::reverse(turned.begin() + first, turned.begin() + last + 1);
            double left = 0;
            for (int i = 0; i + 1 < count; ++i)
                left += std::abs(turned[std::size_t(i)] - turned[std::size_t(i) + 1]) - 1;
            if (left < least_left) least_left = left, part = {FocusOrder::reversed_part, first, last};
        }
    if (least_left <= 0.1 * count) return part;
    // Two passes: each half runs one way, and they overlap in depth.
    Shape best;
    double most_even = -1;
    for (int cut = 3; cut + 3 <= count; ++cut) {
        const int one = trend(ranks, 0, cut), other = trend(ranks, cut, count);
        if (one == 0 || other == 0) continue;
        const auto [low_a, high_a] = std::minmax_element(ranks.begin(), ranks.begin() + cut);
        const auto [low_b, high_b] = std::minmax_element(ranks.begin() + cut, ranks.end());
        const double shared = std::min(*high_a, *high_b) - std::max(*low_a, *low_b);
        const double shorter = std::min(*high_a - *low_a, *high_b - *low_b);
        if (shared < 0.5 * shorter) continue;
        if (shared > most_even) most_even = shared, best = {FocusOrder::two_passes, cut, count - 1};
    }
    if (most_even >= 0) return best;
    return {};
}

/// Focus distances where every frame tells one and they are not all the same.
std::vector<double> known_distances(const Series& series) {
    std::vector<double> distances;
    for (const Frame& frame : series.frames) {
        if (!frame.info.shooting.focus_distance_m) return {};
        distances.push_back(*frame.info.shooting.focus_distance_m);
    }
    if (distances.empty()) return {};
    const auto [least, most] = std::minmax_element(distances.begin(), distances.end());
    return *most > *least * 1.0001 ? distances : std::vector<double>{};
}

OrderReport order_by_distance(const std::vector<double>& distances, bool turned_round) {
    OrderReport report;
    const int count = int(distances.size());
    report.direction_known = true;
    report.depth_in_mm = true;
    for (const double metres : distances) report.depth.push_back(1000 * metres);
    report.near_to_far.resize(distances.size());
    std::iota(report.near_to_far.begin(), report.near_to_far.end(), 0);
    if (std::is_sorted(distances.begin(), distances.end())) {
        report.order = turned_round ? FocusOrder::far_to_near : FocusOrder::near_to_far;
        report.reason = turned_round ? "the files' focus distances fall; the frames are turned round"
                                     : "the files' focus distances rise";
        return report;
    }
    const std::vector<int> as_they_are = report.near_to_far;
    std::stable_sort(report.near_to_far.begin(), report.near_to_far.end(),
                     [&](int a, int b) { return distances[std::size_t(a)] < distances[std::size_t(b)]; });
    std::vector<int> ranks(distances.size());
    for (int rank = 0; rank < count; ++rank) ranks[std::size_t(report.near_to_far[std::size_t(rank)])] = rank;
    if (std::is_sorted(distances.rbegin(), distances.rend())) {
        report.order = FocusOrder::far_to_near;
        report.reason = "the files' focus distances fall";
        return report;
    }
    const Shape shape = shape_of(ranks);
    report.order = shape.order;
    report.first = shape.first;
    report.last = shape.last;
    report.reason = shape.order == FocusOrder::two_passes
                        ? "the focus distances run through the depth a second time in " +
                              frames_words(shape.first, shape.last)
                    : shape.order == FocusOrder::reversed_part
                        ? "the focus distances run the other way in " + frames_words(shape.first, shape.last)
                        : "the focus distances rise and fall";
    return report;
}

std::vector<int> as_counted(int count) {
    std::vector<int> numbers(static_cast<std::size_t>(count));
    std::iota(numbers.begin(), numbers.end(), 0);
    return numbers;
}

/// All that can be read and are not nearly black: in the dark noise looks like detail.
std::vector<int> readable_frames(const std::vector<FocusProfile>& profiles) {
    std::vector<double> lights;
    for (const FocusProfile& profile : profiles)
        if (!profile.sharpness.empty()) lights.push_back(profile.brightness);
    const double usual = median(lights);
    std::vector<int> frames;
    for (std::size_t i = 0; i < profiles.size(); ++i)
        if (!profiles[i].sharpness.empty() && profiles[i].brightness > kNearlyBlack * usual)
            frames.push_back(int(i));
    return frames;
}

cv::Mat1d distances_of(const std::vector<FocusProfile>& profiles, const std::vector<int>& frames) {
    std::vector<cv::Mat1f> grids;
    for (const int frame : frames) grids.push_back(coarse(profiles[std::size_t(frame)].sharpness));
    const int count = int(frames.size());
    cv::Mat1d distances(count, count, 0.0);
    for (int i = 0; i < count; ++i)
        for (int j = i + 1; j < count; ++j)
            distances(i, j) = distances(j, i) = distance(grids[std::size_t(i)], grids[std::size_t(j)]);
    return distances;
}

/// Nothing else tells the direction: then most frames run as they were shot.
bool mostly_falls(const std::vector<int>& way) {
    std::vector<int> ranks(way.size(), 0);
    for (std::size_t rank = 0; rank < way.size(); ++rank) ranks[std::size_t(way[rank])] = int(rank);
    int rises = 0;
    for (std::size_t i = 1; i < ranks.size(); ++i) rises += ranks[i] > ranks[i - 1] ? 1 : -1;
    return rises < 0;
}

}  // namespace

const char* name_of(FocusOrder order) {
    switch (order) {
        case FocusOrder::near_to_far:
            return "near-to-far";
        case FocusOrder::far_to_near:
            return "far-to-near";
        case FocusOrder::two_passes:
            return "two-passes";
        case FocusOrder::reversed_part:
            return "reversed-in-part";
        case FocusOrder::mixed:
            return "mixed";
        case FocusOrder::unknown:
            break;
    }
    return "unknown";
}

OrderReport find_order(const Series& series, const std::vector<FocusProfile>& profiles,
                       const SeriesProfile& whole, std::optional<double> growth) {
    if (const auto distances = known_distances(series); !distances.empty())
        return order_by_distance(distances, series.turned_round);
    OrderReport report;
    const int all = series.count();
    report.near_to_far.resize(std::size_t(all));
    std::iota(report.near_to_far.begin(), report.near_to_far.end(), 0);
    report.depth.resize(std::size_t(all));
    std::iota(report.depth.begin(), report.depth.end(), 0.0);
    report.reason = "too little is sharp to tell";

    const std::vector<int> readable = readable_frames(profiles);
    std::vector<int> telling;
    auto faulty = [&](int i) {
        const auto& flags = whole.flags[std::size_t(i)];
        return has_kind(flags, "bump") || has_kind(flags, "framing") || has_kind(flags, "band");
    };
    for (const int i : readable)
        if (whole.share[std::size_t(i)] >= kTellingShare && !faulty(i)) telling.push_back(i);
    if (telling.size() < kFewestFrames || readable.size() > kMostFrames) return report;
    cv::Mat1d distances = distances_of(profiles, telling);
    std::vector<int> way = as_counted(int(telling.size()));
    const bool in_order =
        length_of(way, distances) <= kLonger * length_of(shortest_way(distances), distances);
    if (!in_order) {
        // Out of order most faults are found by mistake: all frames count.
        telling = readable;
        distances = distances_of(profiles, telling);
        way = shortest_way(distances);
    }
    const int count = int(telling.size());

    const bool grows = in_order && growth && std::abs(*growth) > kGrowth;
    report.direction_known = grows;
    const bool falls_away = grows ? *growth < 0 : !in_order && mostly_falls(way);
    if (falls_away) std::reverse(way.begin(), way.end());
    const std::string hint = !grows ? "; which end is near the pictures don't tell"
                             : falls_away
                                 ? "; the picture shrinks along the rail, so the first frame is the farthest"
                                 : "; the picture grows along the rail, so the first frame is the nearest";

    std::vector<int> ranks(static_cast<std::size_t>(count));
    for (int rank = 0; rank < count; ++rank) ranks[std::size_t(way[std::size_t(rank)])] = rank;
    if (in_order) {
        report.order = falls_away ? FocusOrder::far_to_near : FocusOrder::near_to_far;
        report.reason = "neighbours share most of what is sharp" + hint;
    } else {
        const Shape shape = shape_of(ranks);
        report.order = shape.order;
        if (shape.order != FocusOrder::mixed) {
            report.first = telling[std::size_t(shape.first)];
            report.last = telling[std::size_t(shape.last)];
        }
        report.reason = shape.order == FocusOrder::two_passes
                            ? "what is sharp runs through the depth a second time in " +
                                  frames_words(report.first, report.last)
                        : shape.order == FocusOrder::reversed_part
                            ? "what is sharp runs the other way in " + frames_words(report.first, report.last)
                            : "neighbours share less of what is sharp than frames farther apart";
    }

    // Depth in usual steps along the way through all readable frames; others lie beside the one before.
    std::vector<int> row = readable;
    if (!in_order)
        for (std::size_t k = 0; k < row.size(); ++k) row[k] = readable[std::size_t(way[k])];
    else if (falls_away)
        std::reverse(row.begin(), row.end());
    std::vector<double> steps;
    for (std::size_t k = 1; k < row.size(); ++k)
        steps.push_back(distance(coarse(profiles[std::size_t(row[k - 1])].sharpness),
                                 coarse(profiles[std::size_t(row[k])].sharpness)));
    const double usual = std::max(1e-6, median(steps));
    std::vector<double> place_of(std::size_t(all), -1);
    double at = 0;
    for (std::size_t k = 0; k < row.size(); ++k) {
        if (k > 0) at += std::clamp(steps[k - 1] / usual, 0.05, 4.0);
        place_of[std::size_t(row[k])] = at;
    }
    const double onward = in_order && falls_away ? -1 : 1;
    double last_known = place_of[std::size_t(readable.front())] - onward * readable.front();
    for (int i = 0; i < all; ++i) {
        double& own = place_of[std::size_t(i)];
        if (own < 0 &&
            (i < readable.front() || std::find(readable.begin(), readable.end(), i) == readable.end()))
            own = i < readable.front() ? last_known + onward * i : last_known + onward;
        if (i >= readable.front()) last_known = own;
    }
    const double nearest = *std::min_element(place_of.begin(), place_of.end());
    for (double& own : place_of) own -= nearest;
    report.depth = place_of;
    if (report.order != FocusOrder::near_to_far)
        std::stable_sort(report.near_to_far.begin(), report.near_to_far.end(),
                         [&](int a, int b) { return place_of[std::size_t(a)] < place_of[std::size_t(b)]; });
    return report;
}

}  // namespace moorhaze
