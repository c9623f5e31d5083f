#include "core/align/register_series.h"

#include <algorithm>
#include <cmath>
#include <deque>
#include <future>

#include "core/picture/luma.h"

namespace moorhaze {
namespace {

/// Registration works at up to this size: at 24 megapixels on every second pixel, where it still finds
/// hundredths of a pixel.
constexpr int kLongSide = 3200;
constexpr int kFarthestNeighbour = 2;
const std::string kTooLittle =
    "too little detail in common with its neighbours to be aligned. Leave it out, or check that it belongs "
    "to the series.";

struct Measured {
    int moving, fixed;
    PairRegistration pair;
};

std::optional<DetailPyramid> load_detail(const Frame& frame, std::string& problem, const Job& job) {
    try {
        const int longest = std::max(frame.info.width, frame.info.height);
        int shrink = 1;
        while (longest / shrink > kLongSide) shrink *= 2;
        const Picture picture = shrink == 1 ? read_picture(frame.path, frame.development)
                                            : read_preview(frame.path, longest / shrink, frame.development);
        const double scale = double(longest) / std::max(picture.width(), picture.height());
        return detail_pyramid(perceptual_luma(picture, ToneCurve(picture.profile), job.quiet()), scale, job);
    } catch (const FileError& error) {
        problem = error.what();
        return {};
    }
}

/// Weighted least squares for values whose differences were measured; the reference is 0. Differences that
/// disagree with the rest lose weight over a few rounds.
template <class Value>
std::vector<Value> from_differences(int count, int reference, const std::vector<Measured>& measured,
                                    const std::vector<Value>& differences,
                                    const std::vector<double>& weights) {
    std::vector<double> trust(measured.size(), 1.0);
    std::vector<Value> values(std::size_t(count), Value{});
    for (int round = 0; round < 6; ++round) {
        cv::Mat1d normal = cv::Mat1d::zeros(count, count);
        cv::Mat1d right = cv::Mat1d::zeros(count, 2);
        for (std::size_t k = 0; k < measured.size(); ++k) {
            const int i = measured[k].moving, j = measured[k].fixed;
            const double w = weights[k] * trust[k];
            normal(i, i) += w, normal(j, j) += w, normal(i, j) -= w, normal(j, i) -= w;
            const std::complex<double> difference(differences[k]);
            right(i, 0) += w * difference.real(), right(j, 0) -= w * difference.real();
            right(i, 1) += w * difference.imag(), right(j, 1) -= w * difference.imag();
        }
        double largest = 1e-12;
        for (int i = 0; i < count; ++i) largest = std::max(largest, normal(i, i));
        normal(reference, reference) += 1e6 * largest;
        // Frames without any measurement stay at 0 instead of making the system singular.
        for (int i = 0; i < count; ++i) normal(i, i) += 1e-12 * largest;
        cv::Mat1d solution;
        cv::solve(normal, right, solution, cv::DECOMP_CHOLESKY);
        for (int i = 0; i < count; ++i) {
            if constexpr (std::is_same_v<Value, double>)
                values[std::size_t(i)] = solution(i, 0);
            else
                values[std::size_t(i)] = {solution(i, 0), solution(i, 1)};
        }
        std::vector<double> off(measured.size());
        for (std::size_t k = 0; k < measured.size(); ++k)
            off[k] = std::abs(values[std::size_t(measured[k].moving)] -
                              values[std::size_t(measured[k].fixed)] - differences[k]);
        auto sorted = off;
        std::sort(sorted.begin(), sorted.end());
        const double spread = sorted.empty() ? 1 : std::max(1e-9, 2.5 * sorted[sorted.size() / 2]);
        for (std::size_t k = 0; k < measured.size(); ++k)
            trust[k] = 1 / (1 + (off[k] / spread) * (off[k] / spread));
    }
    return values;
}

cv::Matx33d matrix_of(const Similarity& similarity, cv::Size size) {
    const double a = similarity.turn.real(), b = similarity.turn.imag();
    const std::complex<double> centre((size.width - 1) / 2.0, (size.height - 1) / 2.0);
    const auto shift = similarity.shift + centre - similarity.turn * centre;
    return {a, -b, shift.real(), b, a, shift.imag(), 0, 0, 1};
}

/// Frames linked to the reference by measurements.
std::vector<bool> reached_from(int reference, int count, const std::vector<Measured>& measured) {
    std::vector<bool> reached(std::size_t(count), false);
    reached[std::size_t(reference)] = true;
    for (bool grew = true; grew;) {
        grew = false;
        for (const Measured& m : measured)
            if (reached[std::size_t(m.moving)] != reached[std::size_t(m.fixed)])
                reached[std::size_t(m.moving)] = reached[std::size_t(m.fixed)] = true, grew = true;
    }
    return reached;
}

}  // namespace

double FrameGeometry::scale() const {
    return std::hypot(matrix(0, 0), matrix(1, 0));
}
double FrameGeometry::rotation_deg() const {
    return std::atan2(matrix(1, 0), matrix(0, 0)) * 57.29577951308232;
}
cv::Point2d FrameGeometry::shift_px(cv::Size frame) const {
    const double x = (frame.width - 1) / 2.0, y = (frame.height - 1) / 2.0;
    const cv::Vec3d there = matrix * cv::Vec3d(x, y, 1);
    return {there[0] / there[2] - x, there[1] / there[2] - y};
}

double SeriesGeometry::residual_px() const {
    double sum = 0;
    int count = 0;
    for (const auto& frame : frames)
        if (frame.registered) sum += frame.residual_px * frame.residual_px, ++count;
    return count ? std::sqrt(sum / count) : 0;
}

Travel travel_from_metadata(const Series& series) {
    if (series.count() < 2) return Travel::refocused;
    const auto first = series.frames[0].info.shooting.focus_distance_m;
    for (const Frame& frame : series.frames) {
        const auto here = frame.info.shooting.focus_distance_m;
        if (!first || !here || std::abs(*here - *first) > 1e-4 * *first) return Travel::refocused;
    }
    return Travel::rail;
}

SeriesGeometry unmoved(const Series& series, int reference) {
    SeriesGeometry geometry;
    geometry.reference = reference;
    geometry.frames.resize(series.frames.size());
    return geometry;
}

SeriesGeometry register_series(const Series& series, int reference, Travel travel, const Job& job) {
    const int count = series.count();
    if (reference < 0 || reference >= count) throw BadParameter("the reference frame is not in the series");
    std::vector<bool> used;
    for (int i = 0; i < count; ++i) used.push_back(series.frames[std::size_t(i)].used || i == reference);
    auto load = [&](int i, std::string& problem) {
        auto detail = load_detail(series.frames[std::size_t(i)], problem, job.quiet());
        if (!detail && i == reference) throw FileError(problem);
        return detail;
    };
    SeriesGeometry geometry = register_frames(used, series.size(), reference, travel, load, job);
    for (int i = 0; i < count; ++i)
        if (auto& frame = geometry.frames[std::size_t(i)]; frame.problem == kTooLittle)
            frame.problem = series.frames[std::size_t(i)].path.string() + ": " + kTooLittle;
    return geometry;
}

std::optional<double> growth_of(const std::vector<cv::Mat1f>& views, const Job& job) {
    std::vector<bool> used;
    int first = -1, last = -1;
    for (const cv::Mat1f& view : views) {
        used.push_back(!view.empty() && std::min(view.cols, view.rows) >= 24);
        if (!used.back()) continue;
        last = int(used.size()) - 1;
        if (first < 0) first = last;
    }
    if (first == last) return {};
    auto load = [&](int i, std::string&) -> std::optional<DetailPyramid> {
        return detail_pyramid(views[std::size_t(i)], 1, job.quiet());
    };
    const SeriesGeometry geometry =
        register_frames(used, views[std::size_t(first)].size(), first, Travel::refocused, load, job);
    return growth_along(geometry);
}

std::optional<double> growth_along(const SeriesGeometry& geometry) {
    // Frames at both ends may have nothing sharp.
    int first = 0, last = int(geometry.frames.size()) - 1;
    while (first < last && !geometry.frames[std::size_t(first)].registered) ++first;
    while (first < last && !geometry.frames[std::size_t(last)].registered) --last;
    if (first >= last || last - first < (int(geometry.frames.size()) - 1) / 2) return {};
    return std::log(geometry.frames[std::size_t(first)].scale() / geometry.frames[std::size_t(last)].scale());
}

SeriesGeometry register_frames(const std::vector<bool>& used_frames, cv::Size size, int reference,
                               Travel travel, const DetailLoader& load_frame, const Job& job) {
    const int count = int(used_frames.size());
    if (reference < 0 || reference >= count) throw BadParameter("the reference frame is not in the series");
    SeriesGeometry geometry;
    geometry.reference = reference;
    geometry.frames.resize(used_frames.size());

    std::vector<Measured> measured;
    struct Held {
        int index;
        DetailPyramid detail;
    };
    std::deque<Held> held;
    auto load = [&](int i) {
        return std::async(std::launch::async, [&load_frame, i] {
            std::string problem;
            auto detail = load_frame(i, problem);
            return std::pair{std::move(detail), problem};
        });
    };
    std::vector<int> used;
    for (int i = 0; i < count; ++i) {
        if (used_frames[std::size_t(i)])
            used.push_back(i);
        else
            geometry.frames[std::size_t(i)].registered = false,
            geometry.frames[std::size_t(i)].problem = "left out";
    }
    std::future<std::pair<std::optional<DetailPyramid>, std::string>> next;
    if (!used.empty()) next = load(used[0]);
    for (std::size_t k = 0; k < used.size(); ++k) {
        const int i = used[k];
        auto [detail, problem] = next.get();
        if (k + 1 < used.size()) next = load(used[k + 1]);
        if (!detail) {
            geometry.frames[std::size_t(i)].problem = problem;
        } else {
            std::optional<Similarity> to_previous;
            for (auto before = held.rbegin(); before != held.rend(); ++before) {
                // The way to the one before leads on to the one before that.
                std::optional<Similarity> start;
                if (to_previous)
                    for (const Measured& m : measured)
                        if (m.moving == held.back().index && m.fixed == before->index)
                            start = m.pair.moving_to_fixed.after(*to_previous);
                const auto pair = register_pair(*detail, before->detail, start, job.quiet());
                if (!pair) continue;
                measured.push_back({i, before->index, *pair});
                if (before == held.rbegin()) to_previous = pair->moving_to_fixed;
            }
            held.push_back({i, std::move(*detail)});
            if (int(held.size()) > kFarthestNeighbour) held.pop_front();
        }
        job.checkpoint(double(k + 1) / double(used.size()));
    }

    // turn_i = turn_j · turn_ij, so their logarithms have measured differences; then the shifts have.
    std::vector<std::complex<double>> turn_differences;
    std::vector<double> gain_differences, weights, even;
    for (const Measured& m : measured) {
        turn_differences.push_back(std::log(m.pair.moving_to_fixed.turn));
        gain_differences.push_back(m.pair.log_gain);
        weights.push_back(m.pair.weight);
        even.push_back(1.0 / (m.moving - m.fixed));
    }
    auto log_turns = from_differences(count, reference, measured, turn_differences, weights);
    const auto log_gains = from_differences(count, reference, measured, gain_differences, even);
    std::vector<std::complex<double>> chained(log_turns.size());
    for (std::size_t i = 0; i < log_turns.size(); ++i) chained[i] = std::exp(log_turns[i]);
    if (travel == Travel::rail)
        for (auto& log_turn : log_turns)
            if (log_turn.real() < 0.9) log_turn.real(-std::log(1 - log_turn.real()));
    std::vector<std::complex<double>> shift_differences;
    for (const Measured& m : measured)
        shift_differences.push_back(chained[std::size_t(m.fixed)] * m.pair.moving_to_fixed.shift);
    const auto shifts = from_differences(count, reference, measured, shift_differences, weights);

    const auto reached = reached_from(reference, count, measured);
    const double reach = std::hypot(size.width, size.height) / 2;
    std::vector<double> squares(std::size_t(count), 0), pairs(std::size_t(count), 0);
    for (std::size_t k = 0; k < measured.size(); ++k) {
        const auto i = std::size_t(measured[k].moving), j = std::size_t(measured[k].fixed);
        const double turn_off = std::abs(std::log(chained[i]) - std::log(chained[j]) - turn_differences[k]);
        const double off = turn_off * reach + std::abs(shifts[i] - shifts[j] - shift_differences[k]);
        for (const auto frame : {i, j}) squares[frame] += off * off, pairs[frame] += 1;
    }
    for (int i = 0; i < count; ++i) {
        FrameGeometry& frame = geometry.frames[std::size_t(i)];
        if (!frame.problem.empty()) {
            frame.registered = false;
            continue;
        }
        if (!reached[std::size_t(i)]) {
            frame.registered = false;
            frame.problem = kTooLittle;
            continue;
        }
        if (i != reference)
            frame.matrix = matrix_of({std::exp(log_turns[std::size_t(i)]), shifts[std::size_t(i)]}, size);
        frame.gain = std::exp(log_gains[std::size_t(i)]);
        frame.residual_px =
            pairs[std::size_t(i)] > 0 ? std::sqrt(squares[std::size_t(i)] / pairs[std::size_t(i)]) : 0;
    }
    return geometry;
}

PixelRect common_area(const SeriesGeometry& geometry, const std::vector<int>& frames, cv::Size frame_size) {
    double left = -1e9, top = -1e9, right = 1e9, bottom = 1e9;
    for (const int i : frames) {
        const FrameGeometry& frame = geometry.frames[std::size_t(i)];
        if (!frame.registered) continue;
        auto corner = [&](double x, double y) {
            const cv::Vec3d place = frame.matrix * cv::Vec3d(x, y, 1);
            return cv::Point2d(place[0] / place[2], place[1] / place[2]);
        };
        const cv::Point2d a = corner(0, 0), b = corner(frame_size.width - 1, 0),
                          c = corner(frame_size.width - 1, frame_size.height - 1),
                          d = corner(0, frame_size.height - 1);
        left = std::max({left, a.x, d.x});
        top = std::max({top, a.y, b.y});
        right = std::min({right, b.x, c.x});
        bottom = std::min({bottom, c.y, d.y});
    }
    // Rounding of whole-pixel edges must not cost a row.
    const int x = int(std::ceil(left - 1e-6)), y = int(std::ceil(top - 1e-6));
    const int width = int(std::floor(right + 1e-6)) - x + 1, height = int(std::floor(bottom + 1e-6)) - y + 1;
    return width > 0 && height > 0 ? PixelRect(x, y, width, height) : PixelRect();
}

}  // namespace moorhaze
