// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/solve_series.h"

#include <Eigen/SparseCholesky>
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <memory>
#include <numeric>

namespace moorhaze {
namespace {

using NormalMatrix = cv::Matx<double, kHomographyParts, kHomographyParts>;

/// Points set by hand are meant to about this.
constexpr double kPointPx = 0.3;
constexpr double kTellingPx = 0.1;  // what a model has to change at the corners to be chosen
// And its variance by that of measuring errors: three times their standard deviation. Blur that differs
// across the picture looks like perspective, too, and stands out less.
constexpr double kTellingEvidence = 9;
constexpr double kPinned = 1e-9, kFree = 10;
constexpr double kSolved = 6e-4;  // half diagonals that a solved map may be off by for all that is known else

/// What is believed of one part of the frames' maps.
struct Habit {
    int order = 2;  ///< 0: near 0; 1: near its neighbour; 2: on a line through its neighbours; 3: on a curve
    double deviation = 1;  ///< standard deviation, in half diagonals
    bool found = true;     ///< the deviation is found with the solution
    double evidence = 0;   ///< variance seen, by the variance that measuring it errs by
};

std::array<Habit, kHomographyParts> habits_of(PlaneModel model, Travel travel) {
    std::array<Habit, kHomographyParts> habits;
    habits[kRight] = habits[kDown] = {2, 0.02, true};
    // A rail goes in even steps, each the same part of the distance; a lens that breathes follows a curve.
    if (travel == Travel::rail)
        habits[kGrowth] = {2, 1.5e-5, false};
    else
        habits[kGrowth] = {3, 0.0003, true};
    habits[kTurn] = {1, 0.003, true};
    habits[kAspect] = habits[kSkew] = {0, 3e-5, false};
    habits[kKeystoneX] = habits[kKeystoneY] = {0, 5e-4, true};
    if (model != PlaneModel::perspective)
        for (const int part : {kAspect, kSkew, kKeystoneX, kKeystoneY})
            habits[std::size_t(part)] = {0, kPinned, false};
    if (model == PlaneModel::shift)
        for (const int part : {kGrowth, kTurn}) habits[std::size_t(part)] = {0, kPinned, false};
    return habits;
}

struct Term {
    int at;
    double factor;
};
/// The parts that a habit compares, around one frame; fewer at the ends.
std::vector<Term> compared(const Habit& habit, int part, int frame, int frames) {
    auto at = [&](int i) { return i * kHomographyParts + part; };
    if (habit.order == 0) return {{at(frame), 1}};
    if (habit.order == 2 && frame > 0 && frame + 1 < frames)
        return {{at(frame - 1), 1}, {at(frame), -2}, {at(frame + 1), 1}};
    if (habit.order == 3 && frame > 0 && frame + 2 < frames)
        return {{at(frame - 1), -1}, {at(frame), 3}, {at(frame + 1), -3}, {at(frame + 2), 1}};
    if (habit.order == 1 && frame > 0) return {{at(frame - 1), -1}, {at(frame), 1}};
    return {};
}

class Solver {
  public:
    Solver(int frames, cv::Size size, const std::vector<MeasuredPair>& pairs,
           const std::vector<MatchingPoints>& points, const std::vector<int>& group, int anchor,
           PlaneModel model, Travel travel)
        : frames_(frames),
          frame_(size),
          pairs_(pairs),
          points_(points),
          group_(group),
          anchor_(anchor),
          habits_(habits_of(model, travel)),
          parts_(std::size_t(frames), HomographyParts::all(0)),
          weights_(pairs.size(), 1.0) {}

    void start_from(const std::vector<HomographyParts>& parts) { parts_ = parts; }
    const std::vector<HomographyParts>& parts() const { return parts_; }
    double evidence(int part) const { return habits_[std::size_t(part)].evidence; }
    double deviation(int part) const { return habits_[std::size_t(part)].deviation; }

    void run() {
        for (int round = 0; round < 12; ++round) {
            const double moved = step(round);
            if (round > 0) weigh_pairs();
            if (round >= 2) learn_habits();
            if (round >= 6 && moved * frame_.half_diagonal < 0.002) break;
        }
    }

    /// How the solved maps differ from what a pair measured: first this, then the pair's map.
    HomographyParts off(const MeasuredPair& pair) const {
        return off(pair, parts_[std::size_t(pair.moving)], parts_[std::size_t(pair.fixed)]);
    }

    /// By what a pair would have the solution changed, as far as it knows: where it saw nothing sharp it
    /// has no weight.
    HomographyParts wish(const MeasuredPair& pair) const {
        NormalMatrix held = pair.pair.information;
        for (int a = 0; a < kHomographyParts; ++a) held(a, a) += 1 / (kSolved * kSolved);
        HomographyParts wished;
        const HomographyParts pull = pair.pair.pull - pair.pair.information * off(pair);
        if (!cv::solve(held, pull, wished, cv::DECOMP_CHOLESKY)) wished = HomographyParts::all(0);
        for (int a = kAspect; a < kHomographyParts; ++a)
            if (habits_[std::size_t(a)].deviation <= kPinned) wished[a] = 0;
        return wished;
    }

  private:
    HomographyParts off(const MeasuredPair& pair, const HomographyParts& moving,
                        const HomographyParts& fixed) const {
        return frame_.parts(pair.pair.fixed_to_moving.inv() * frame_.matrix(moving).inv() *
                            frame_.matrix(fixed));
    }

    /// Squared distance of the solution from a pair's own best map, in the pair's units.
    double misfit(std::size_t k) const {
        const PairRegistration& pair = pairs_[k].pair;
        const HomographyParts d = off(pairs_[k]);
        // The pair's own best, held where it knows nothing.
        NormalMatrix held = pair.information;
        for (int a = 0; a < kHomographyParts; ++a) held(a, a) += 1 / (0.05 * 0.05);
        HomographyParts best;
        if (!cv::solve(held, pair.pull, best, cv::DECOMP_CHOLESKY)) best = HomographyParts::all(0);
        for (int a = kAspect; a < kHomographyParts; ++a)
            if (habits_[std::size_t(a)].deviation <= kPinned) best[a] = d[a];
        const HomographyParts apart = d - best;
        return apart.dot(pair.information * apart);
    }

    /// The usual growth from frame to frame.
    double usual_step() const {
        std::vector<double> steps;
        for (int i = 1; i < frames_; ++i)
            steps.push_back(std::abs(parts_[std::size_t(i)][kGrowth] - parts_[std::size_t(i) - 1][kGrowth]));
        if (steps.empty()) return 0;
        std::nth_element(steps.begin(), steps.begin() + std::ptrdiff_t(steps.size() / 2), steps.end());
        return steps[steps.size() / 2];
    }

    double step(int round) {
        step_ = std::max(usual_step(), 1e-4);
        const int unknowns = frames_ * kHomographyParts;
        std::vector<Eigen::Triplet<double>> entries;
        Eigen::VectorXd right = Eigen::VectorXd::Zero(unknowns);
        for (std::size_t k = 0; k < pairs_.size(); ++k) add_pair(k, entries, right);
        for (const MatchingPoints& points : points_) add_points(points, entries, right);
        for (int part = 0; part < kHomographyParts; ++part)
            for (int i = 0; i < frames_; ++i) {
                const Habit& habit = habits_[std::size_t(part)];
                const auto terms = compared(habit, part, i, frames_);
                if (terms.empty()) continue;
                double value = 0;
                for (const Term& term : terms) value += term.factor * part_at(term.at);
                // Where frames are missing, the way makes a jump. The term stays, without weight: what was
                // found out about the pattern of the system holds in every round.
                const bool jump = part == kGrowth && !habit.found && std::abs(value) > 0.35 * step_ &&
                                  !places_unmeasured(i);
                add_square(terms, value, jump ? 0 : 1 / (habit.deviation * habit.deviation), entries, right);
            }
        for (int a = 0; a < unknowns; ++a) {
            // Keeps a part that nothing speaks of from making the system singular.
            add_square({{a, 1}}, part_at(a), 1 / (kFree * kFree), entries, right);
        }
        // Of the rest no frame is the measure: they vary about none.
        for (int part = 0; part < kAspect; ++part)
            add_square({{anchor_ * kHomographyParts + part, 1}}, part_at(anchor_ * kHomographyParts + part),
                       1 / (kPinned * kPinned), entries, right);
        Eigen::SparseMatrix<double> normal(unknowns, unknowns);
        normal.setFromTriplets(entries.begin(), entries.end());
        if (round == 0) factored_.analyzePattern(normal);
        factored_.factorize(normal);
        if (factored_.info() != Eigen::Success) return 0;
        const Eigen::VectorXd found = factored_.solve(right);
        double moved = 0;
        for (int a = 0; a < unknowns; ++a) {
            parts_[std::size_t(a / kHomographyParts)][a % kHomographyParts] += found[a];
            moved = std::max(moved, std::abs(found[a]));
        }
        return moved;
    }

    /// True when the term around a frame is what says where an unmeasured frame lies: that frame itself, or
    /// the first of those at an end of the series.
    bool places_unmeasured(int i) const {
        auto unmeasured = [&](int from, int to) {  // all of them, and there is one
            for (int k = from; k < to; ++k)
                if (group_[std::size_t(k)] >= 0) return false;
            return from < to;
        };
        return unmeasured(i, i + 1) || unmeasured(i + 1, frames_) || unmeasured(0, i);
    }

    double part_at(int a) const { return parts_[std::size_t(a / kHomographyParts)][a % kHomographyParts]; }

    static void add_square(const std::vector<Term>& terms, double value, double weight,
                           std::vector<Eigen::Triplet<double>>& entries, Eigen::VectorXd& right) {
        for (const Term& one : terms) {
            right[one.at] -= weight * one.factor * value;
            for (const Term& other : terms)
                entries.emplace_back(one.at, other.at, weight * one.factor * other.factor);
        }
    }

    void add_pair(std::size_t k, std::vector<Eigen::Triplet<double>>& entries, Eigen::VectorXd& right) const {
        const MeasuredPair& pair = pairs_[k];
        const HomographyParts moving = parts_[std::size_t(pair.moving)],
                              fixed = parts_[std::size_t(pair.fixed)];
        const HomographyParts d = off(pair, moving, fixed);
        // How d changes with the parts of both frames.
        cv::Matx<double, kHomographyParts, 2 * kHomographyParts> slopes;
        constexpr double small = 1e-6;
        for (int a = 0; a < 2 * kHomographyParts; ++a) {
            HomographyParts m = moving, f = fixed;
            (a < kHomographyParts ? m[a] : f[a - kHomographyParts]) += small;
            const HomographyParts there = off(pair, m, f);
            for (int b = 0; b < kHomographyParts; ++b) slopes(b, a) = (there[b] - d[b]) / small;
        }
        const double weight = weights_[k] * calm_;
        const HomographyParts force = pair.pair.pull - pair.pair.information * d;
        const auto side = slopes.t() * pair.pair.information;
        const auto square = side * slopes;
        auto at = [&](int a) {
            return (a < kHomographyParts ? pair.moving : pair.fixed) * kHomographyParts +
                   a % kHomographyParts;
        };
        for (int a = 0; a < 2 * kHomographyParts; ++a) {
            double pull = 0;
            for (int b = 0; b < kHomographyParts; ++b) pull += slopes(b, a) * force[b];
            right[at(a)] += weight * pull;
            for (int b = 0; b < 2 * kHomographyParts; ++b)
                entries.emplace_back(at(a), at(b), weight * square(a, b));
        }
    }

    void add_points(const MatchingPoints& points, std::vector<Eigen::Triplet<double>>& entries,
                    Eigen::VectorXd& right) const {
        auto apart = [&](const HomographyParts& one, const HomographyParts& other) {
            return mapped(frame_.matrix(one), points.in_one.x, points.in_one.y) -
                   mapped(frame_.matrix(other), points.in_other.x, points.in_other.y);
        };
        const HomographyParts one = parts_[std::size_t(points.one)],
                              other = parts_[std::size_t(points.other)];
        const cv::Point2d here = apart(one, other);
        std::vector<Term> across, down;
        constexpr double small = 1e-6;
        for (int a = 0; a < 2 * kHomographyParts; ++a) {
            HomographyParts m = one, f = other;
            (a < kHomographyParts ? m[a] : f[a - kHomographyParts]) += small;
            const cv::Point2d slope = (apart(m, f) - here) * (1 / small);
            const int at =
                (a < kHomographyParts ? points.one : points.other) * kHomographyParts + a % kHomographyParts;
            across.push_back({at, slope.x});
            down.push_back({at, slope.y});
        }
        add_square(across, here.x, 1 / (kPointPx * kPointPx), entries, right);
        add_square(down, here.y, 1 / (kPointPx * kPointPx), entries, right);
    }

    /// Pairs that disagree with the rest lose their weight; and the pairs' units are brought to what they
    /// really scatter by.
    void weigh_pairs() {
        std::vector<double> squares(pairs_.size());
        for (std::size_t k = 0; k < pairs_.size(); ++k) squares[k] = misfit(k) / double(kHomographyParts);
        std::vector<double> sorted = squares;
        std::sort(sorted.begin(), sorted.end());
        if (sorted.empty()) return;
        const double usual = std::max(1e-3, sorted[sorted.size() / 2]);
        for (std::size_t k = 0; k < pairs_.size(); ++k) weights_[k] = 1 / (1 + squares[k] / (6 * usual));
        // Of all pairs, as many parts are free as there are frames to place.
        const double spare = std::max(0.2, 1.0 - double(frames_ - 1) / double(pairs_.size()));
        calm_ = std::min(1.0, spare / usual);
    }

    void learn_habits() {
        for (int part = 0; part < kHomographyParts; ++part) {
            Habit& habit = habits_[std::size_t(part)];
            if (!habit.found) continue;
            std::vector<double> squares, doubts;
            const int stride = std::max(1, frames_ / 40);
            for (int i = 0; i < frames_; i += stride) {
                const auto terms = compared(habit, part, i, frames_);
                if (terms.empty()) continue;
                Eigen::VectorXd unit = Eigen::VectorXd::Zero(frames_ * kHomographyParts);
                double value = 0;
                for (const Term& term : terms)
                    unit[term.at] += term.factor, value += term.factor * part_at(term.at);
                const Eigen::VectorXd solved = factored_.solve(unit);
                squares.push_back(value * value);
                doubts.push_back(unit.dot(solved));
            }
            if (squares.size() < 3) continue;
            // Middles, not means: a few frames that jump don't make all of them jumpy. The middle of a
            // squared normal value is 0.455 of its variance.
            auto middle = [](std::vector<double>& values) {
                const auto place = values.begin() + std::ptrdiff_t(values.size() / 2);
                std::nth_element(values.begin(), place, values.end());
                return *place;
            };
            const double varied = middle(squares) / 0.455, doubt = middle(doubts);
            habit.deviation = std::max(1e-7, std::sqrt(varied + doubt));
            habit.evidence = varied / std::max(1e-18, doubt);
        }
    }

    int frames_;
    HomographyFrame frame_;
    const std::vector<MeasuredPair>& pairs_;
    const std::vector<MatchingPoints>& points_;
    const std::vector<int>& group_;  ///< of each frame; below 0: nothing was measured of it
    int anchor_;
    std::array<Habit, kHomographyParts> habits_;
    std::vector<HomographyParts> parts_;
    std::vector<double> weights_;
    double calm_ = 1, step_ = 0;
    Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> factored_;
};

/// Frames that measurements or points link get the same number, others -1.
std::vector<int> groups_of(int frames, const std::vector<MeasuredPair>& pairs,
                           const std::vector<MatchingPoints>& points) {
    std::vector<int> group(std::size_t(frames), 0);
    std::iota(group.begin(), group.end(), 0);
    std::vector<bool> linked(std::size_t(frames), false);
    auto join = [&](int one, int other) {
        const int from = group[std::size_t(one)], to = group[std::size_t(other)];
        for (int& g : group)
            if (g == from) g = to;
        linked[std::size_t(one)] = linked[std::size_t(other)] = true;
    };
    for (const MeasuredPair& pair : pairs) join(pair.moving, pair.fixed);
    for (const MatchingPoints& own : points) join(own.one, own.other);
    for (int i = 0; i < frames; ++i)
        if (!linked[std::size_t(i)]) group[std::size_t(i)] = -1;
    return group;
}

/// Places along the chain of pairs, for a start.
std::vector<HomographyParts> chained(int frames, cv::Size size, const std::vector<MeasuredPair>& pairs,
                                     int anchor) {
    const HomographyFrame frame(size);
    std::vector<bool> known(std::size_t(frames), false);
    std::vector<cv::Matx33d> to_anchor(std::size_t(frames), cv::Matx33d::eye());
    known[std::size_t(anchor)] = true;
    for (bool grew = true; grew;) {
        grew = false;
        for (int farthest = 1; farthest < frames && !grew; farthest *= 2)
            for (const MeasuredPair& pair : pairs) {
                const auto m = std::size_t(pair.moving), f = std::size_t(pair.fixed);
                if (known[m] == known[f] || std::abs(pair.moving - pair.fixed) > farthest) continue;
                if (known[m])
                    to_anchor[f] = to_anchor[m] * pair.pair.fixed_to_moving;
                else
                    to_anchor[m] = to_anchor[f] * pair.pair.fixed_to_moving.inv();
                known[m] = known[f] = grew = true;
            }
    }
    std::vector<HomographyParts> parts(std::size_t(frames), HomographyParts::all(0));
    std::vector<int> measured;
    for (int i = 0; i < frames; ++i)
        if (known[std::size_t(i)]) {
            parts[std::size_t(i)] = frame.parts(to_anchor[std::size_t(i)]);
            measured.push_back(i);
        }
    // The others begin evenly between those around them, or go on as at that end of the series.
    for (int i = 0; i < frames && measured.size() > 1; ++i) {
        if (known[std::size_t(i)]) continue;
        const auto after = std::clamp(std::upper_bound(measured.begin(), measured.end(), i),
                                      measured.begin() + 1, measured.end() - 1);
        const int from = *(after - 1), to = *after;
        const double share = double(i - from) / (to - from);
        parts[std::size_t(i)] = parts[std::size_t(from)] * (1 - share) + parts[std::size_t(to)] * share;
    }
    return parts;
}

}  // namespace

SolvedSeries solve_series(int frames, cv::Size size, const std::vector<MeasuredPair>& pairs,
                          const std::vector<MatchingPoints>& points, PlaneModel model, Travel travel) {
    SolvedSeries solved;
    solved.group = groups_of(frames, pairs, points);
    // The anchor: the middle of the largest group.
    std::vector<int> sizes(std::size_t(frames) + 1, 0);
    for (const int g : solved.group)
        if (g >= 0) ++sizes[std::size_t(g)];
    const int largest = int(std::max_element(sizes.begin(), sizes.end()) - sizes.begin());
    int anchor = frames / 2, seen = 0;
    for (int i = 0; i < frames; ++i)
        if (solved.group[std::size_t(i)] == largest && ++seen == (sizes[std::size_t(largest)] + 1) / 2)
            anchor = i;

    const auto start = chained(frames, size, pairs, anchor);
    auto solve = [&](PlaneModel own) {
        auto solver =
            std::make_unique<Solver>(frames, size, pairs, points, solved.group, anchor, own, travel);
        auto from = start;
        for (HomographyParts& parts : from)
            for (int a = 0; a < kHomographyParts; ++a)
                if ((own != PlaneModel::perspective && a >= kAspect) ||
                    (own == PlaneModel::shift && a >= kGrowth))
                    parts[a] = 0;
        solver->start_from(from);
        solver->run();
        return solver;
    };
    const HomographyFrame frame(size);
    // On a rail what looks like perspective is parallax: a slanted subject grows faster at its near end.
    const PlaneModel richest = travel == Travel::rail ? PlaneModel::similarity : PlaneModel::perspective;
    auto best = solve(model == PlaneModel::automatic ? richest : model);
    solved.model = model == PlaneModel::automatic ? PlaneModel::perspective : model;
    solved.model_reason = "chosen by hand";
    if (model == PlaneModel::automatic) {
        auto text = [](const char* what, double px) {
            char line[120];
            std::snprintf(line, sizeof line, what, px);
            return std::string(line);
        };
        const double keystone =
            frame.half_diagonal * std::max(best->deviation(kKeystoneX), best->deviation(kKeystoneY));
        const double evidence = std::max(best->evidence(kKeystoneX), best->evidence(kKeystoneY));
        if (richest == PlaneModel::perspective && keystone >= kTellingPx && evidence > kTellingEvidence) {
            solved.model_reason =
                text("perspective differs from frame to frame: by about %.1f px at the corners", keystone);
        } else {
            solved.model = PlaneModel::similarity;
            if (richest != solved.model) best = solve(solved.model);
            double turned = 0;
            for (const HomographyParts& parts : best->parts())
                turned = std::max(turned,
                                  frame.half_diagonal * std::hypot(parts[kTurn], std::expm1(parts[kGrowth])));
            solved.model_reason = text(
                travel == Travel::rail
                    ? "rotation and scale move the corners by up to %.1f px; on a rail perspective is not "
                      "tried"
                    : "rotation and scale move the corners by up to %.1f px, perspective does not stand out",
                turned);
            if (turned < kTellingPx) {
                best = solve(solved.model = PlaneModel::shift);
                solved.model_reason = "rotation and scale do not differ";
            }
        }
    }
    for (const HomographyParts& parts : best->parts()) solved.to_anchor.push_back(frame.matrix(parts));

    std::vector<double> squares(std::size_t(frames), 0), corners(std::size_t(frames), 0),
        counts(std::size_t(frames), 0);
    for (const MeasuredPair& pair : pairs) {
        if (std::abs(pair.moving - pair.fixed) > 2) continue;
        const cv::Matx33d apart = frame.matrix(best->wish(pair));
        double sum = 0, corner = 0;
        for (int row = 0; row < 9; ++row)
            for (int column = 0; column < 9; ++column) {
                const double x = (size.width - 1) * column / 8.0, y = (size.height - 1) * row / 8.0;
                const cv::Point2d there = mapped(apart, x, y) - cv::Point2d(x, y);
                sum += there.dot(there) / 81;
                corner = std::max(corner, std::hypot(there.x, there.y));
            }
        for (const int i : {pair.moving, pair.fixed}) {
            squares[std::size_t(i)] += sum;
            corners[std::size_t(i)] += corner * corner;
            counts[std::size_t(i)] += 1;
        }
    }
    for (std::size_t i = 0; i < squares.size(); ++i) {
        solved.residual_px.push_back(counts[i] > 0 ? std::sqrt(squares[i] / counts[i]) : 0);
        solved.corner_px.push_back(counts[i] > 0 ? std::sqrt(corners[i] / counts[i]) : 0);
    }
    return solved;
}

}  // namespace moorhaze
