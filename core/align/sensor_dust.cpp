#include "core/align/sensor_dust.h"

#include <algorithm>
#include <cmath>
#include <opencv2/core/optim.hpp>
#include <opencv2/imgproc.hpp>
#include <optional>

#include "core/picture/blur.h"
#include "core/picture/pyramid.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kFewestViews = 7;
constexpr int kSearchSide =
    800;  // long side that places are looked for at; they are judged at the views' own
constexpr int kHops[] = {1, 2, 4};                     // frames between those that are compared
constexpr double kRadii_px[] = {4, 5.5, 7.5, 10, 14};  // that are looked for
constexpr float kDark = 2e-3f, kClipped = 0.97f;       // of linear light
constexpr float kLeastVariance = 2e-6f;                // of logarithms of light
constexpr int kVarianceSide = 25;                      // px around, that a place's weight is taken from
constexpr float kOutside = -100;                       // marks places that a frame does not cover
constexpr std::size_t kMostCandidates = 80;
constexpr double kWorthFitting = 0.3;  // of the variance that a first guess explains

/// Logarithms of light, dark places held off.
std::vector<cv::Mat1f> logarithms(const std::vector<DustView>& views, const Job& job) {
    std::vector<cv::Mat1f> logs(views.size());
    for_rows(int(views.size()), job.quiet(), [&](int i) {
        const cv::Mat1f& luma = views[std::size_t(i)].luma;
        cv::Mat light = luma.mul(luma) + kDark;
        cv::log(light, logs[std::size_t(i)]);
    });
    return logs;
}

std::vector<DustView> reduced(const std::vector<DustView>& views, int scale, const Job& job) {
    if (scale == 1) return views;
    std::vector<DustView> halves(views.size());
    for_rows(int(views.size()), job.quiet(), [&](int i) {
        const DustView& own = views[std::size_t(i)];
        halves[std::size_t(i)] = {pyramid_down(own.luma, job.quiet()),
                                  own.to_reference * cv::Matx33d(2, 0, 0, 0, 2, 0, 0, 0, 1)};
    });
    return halves;
}

/// Views that take part in comparing one with its neighbours.
struct Comparison {
    int view = 0, hop = 0;
    bool in_first_half = false;
};
std::vector<Comparison> comparisons(int count) {
    std::vector<Comparison> all;
    for (const int hop : kHops)
        for (int i = hop; i + hop < count; ++i) all.push_back({i, hop, 2 * i < count - 1});
    return all;
}

/// Pixels of one view to those of another.
cv::Matx33d between(const std::vector<DustView>& views, int from, int to) {
    return views[std::size_t(to)].to_reference.inv() * views[std::size_t(from)].to_reference;
}

cv::Point2d mapped(const cv::Matx33d& matrix, cv::Point2d at) {
    const cv::Vec3d to = matrix * cv::Vec3d(at.x, at.y, 1);
    return {to[0] / to[2], to[1] / to[2]};
}

/// What a view has less than its two neighbours laid over it, in a part of it; kOutside or below where one of
/// them does not cover it or it is clipped.
cv::Mat1f difference(const std::vector<DustView>& views, const std::vector<cv::Mat1f>& logs,
                     const Comparison& own, cv::Rect part) {
    cv::Mat1f around = cv::Mat1f::zeros(part.size());
    const cv::Matx33d shift(1, 0, part.x, 0, 1, part.y, 0, 0, 1);
    for (const int other : {own.view - own.hop, own.view + own.hop}) {
        cv::Mat1f laid;
        cv::warpPerspective(logs[std::size_t(other)], laid, between(views, own.view, other) * shift,
                            part.size(), cv::INTER_CUBIC | cv::WARP_INVERSE_MAP, cv::BORDER_CONSTANT,
                            cv::Scalar(kOutside));
        around += 0.5f * laid;
    }
    const cv::Mat1f here = logs[std::size_t(own.view)](part);
    cv::Mat1f difference = here - around;
    const float least = std::log(kDark) - 0.1f, clipped = std::log(kClipped);
    for (int y = 0; y < part.height; ++y)
        for (int x = 0; x < part.width; ++x)
            if (around(y, x) < least || here(y, x) > clipped) difference(y, x) = kOutside;
    return difference;
}

/// Means over the series of what views have less than their neighbours, by hop.
struct MeanDifference {
    cv::Mat1f whole, halves[2];
};

std::vector<MeanDifference> mean_differences(const std::vector<DustView>& views, const Job& job) {
    const std::vector<cv::Mat1f> logs = logarithms(views, job);
    const std::vector<Comparison> all = comparisons(int(views.size()));
    const cv::Rect whole({}, logs[0].size());
    constexpr int kTasks = 2 * int(std::size(kHops));
    std::vector<cv::Mat1f> sums(kTasks), weights(kTasks);
    for_rows(kTasks, job.quiet(), [&](int task) {
        cv::Mat1f& sum = sums[std::size_t(task)] = cv::Mat1f::zeros(whole.size());
        cv::Mat1f& weight = weights[std::size_t(task)] = cv::Mat1f::zeros(whole.size());
        for (const Comparison& own : all) {
            if (own.hop != kHops[task / 2] || own.in_first_half != (task % 2 == 0)) continue;
            job.checkpoint();
            cv::Mat1f here = difference(views, logs, own, whole), variance;
            const cv::Mat known = here > 0.5f * kOutside;
            here.setTo(0, ~known);
            cv::boxFilter(here.mul(here), variance, -1, {kVarianceSide, kVarianceSide});
            cv::Mat1f trusted = 1.0f / (variance + kLeastVariance);
            trusted.setTo(0, ~known);
            sum += here.mul(trusted);
            weight += trusted;
        }
    });
    std::vector<MeanDifference> means;
    for (std::size_t hop = 0; hop < std::size(kHops); ++hop) {
        MeanDifference own;
        const std::size_t one = 2 * hop, other = one + 1;
        own.whole = (sums[one] + sums[other]) / (weights[one] + weights[other] + 1e-9f);
        own.halves[0] = sums[one] / (weights[one] + 1e-9f);
        own.halves[1] = sums[other] / (weights[other] + 1e-9f);
        means.push_back(std::move(own));
    }
    return means;
}

/// A place that is darker than its surroundings by a disc of some size, more so than others around.
struct Candidate {
    cv::Point at;
    double radius_px = 0, strength = 0;
};

/// How much darker a disc is than the ring around it, against what is usual around there.
cv::Mat1f standing_out(const cv::Mat1f& plane, double radius_px, const Job& job) {
    const double sigma = radius_px / 1.6;
    const cv::Mat1f darker = gaussian_blur(plane, 1.5 * sigma, job) - gaussian_blur(plane, 0.8 * sigma, job);
    const cv::Mat1f energy = darker.mul(darker);
    const auto mean_within = [&](double radius) {
        const int side = 2 * int(radius) + 1;
        cv::Mat1f mean;
        cv::boxFilter(energy, mean, -1, {side, side});
        return mean;
    };
    // Without the disc itself.
    const double wide = 9 * radius_px, narrow = 2.2 * radius_px;
    const double share = std::pow((2 * int(narrow) + 1.0) / (2 * int(wide) + 1.0), 2);
    cv::Mat1f usual = (mean_within(wide) - share * mean_within(narrow)) / (1 - share);
    cv::sqrt(cv::max(usual, 0), usual);
    return darker / (usual + 1e-6f);
}

/// @param scale  of the means: pixels of the views a side of theirs.
std::vector<Candidate> candidates(const std::vector<MeanDifference>& means, int scale, const Job& job) {
    constexpr double kStrong = 2.6, kHalfStrong = 0.8;
    constexpr int kRadii = int(std::size(kRadii_px));
    std::vector<std::vector<Candidate>> found(std::size(kHops) * kRadii);
    for_rows(int(found.size()), job.quiet(), [&](int task) {
        const MeanDifference& own = means[std::size_t(task / kRadii)];
        const double radius = kRadii_px[task % kRadii] / scale;
        const cv::Mat1f strength = standing_out(own.whole, radius, job.quiet()),
                        first = standing_out(own.halves[0], radius, job.quiet()),
                        second = standing_out(own.halves[1], radius, job.quiet());
        cv::Mat1f most;
        const int side = 2 * int(std::ceil(radius)) + 1;
        cv::dilate(strength, most, cv::Mat1b::ones(side, side));
        for (int y = 0; y < most.rows; ++y)
            for (int x = 0; x < most.cols; ++x)
                if (strength(y, x) > kStrong && strength(y, x) >= most(y, x) && first(y, x) > kHalfStrong &&
                    second(y, x) > kHalfStrong)
                    found[std::size_t(task)].push_back(
                        {scale * cv::Point(x, y), scale * radius, double(strength(y, x))});
    });
    std::vector<Candidate> all;
    for (const auto& own : found) all.insert(all.end(), own.begin(), own.end());
    std::stable_sort(all.begin(), all.end(),
                     [](const Candidate& a, const Candidate& b) { return a.strength > b.strength; });
    std::vector<Candidate> apart;
    for (const Candidate& own : all) {
        if (apart.size() == kMostCandidates) break;
        if (std::none_of(apart.begin(), apart.end(), [&](const Candidate& other) {
                return cv::norm(own.at - other.at) < 1.2 * std::max(own.radius_px, other.radius_px);
            }))
            apart.push_back(own);
    }
    return apart;
}

/// Fits a spot to what the views around it show, all comparisons at once: in each the spot stands once
/// dark and, half as strong, bright where the neighbours' own spots come to lie.
class SpotFit {
  public:
    SpotFit(const std::vector<DustView>& views, const std::vector<cv::Mat1f>& logs, const Candidate& start);

    struct Fitted {
        DustSpot spot;
        double explained = 0;                  ///< share of the mean difference's variance that the spot is
        double least_half = 0, most_half = 0;  ///< depths by the halves of the series
        double least_explained = 0;            ///< by the halves
        double moved = 0;                      ///< share of the shadow that the neighbours leave
    };
    std::optional<Fitted> fit() const;

  private:
    /// Sums over comparisons, at the nodes of a small grid around the spot.
    struct Group {
        cv::Mat1f mean;                                     ///< difference, blurred
        std::vector<std::pair<cv::Point2d, double>> wings;  ///< where neighbours' spots lie, by weight
        double weight = 0;

        /// Wings that lie close together count as one.
        void add_wing(cv::Point2d at, double wing_weight, double close_px) {
            for (auto& [where, sum] : wings)
                if (cv::norm(at - where) < close_px) {
                    where = (sum * where + wing_weight * at) / (sum + wing_weight);
                    sum += wing_weight;
                    return;
                }
            wings.emplace_back(at, wing_weight);
        }
    };
    struct Shape {
        cv::Point2d at;
        double radius_px, softness;
    };
    struct Solved {
        double depth_log = 0, error = 0, variance = 0, moved = 0;
    };
    static constexpr double kNodesPerRadius = 5, kBlur = 0.35, kHalfWindow = 2.6, kWindow = 1.3,
                            kWingGrid = 0.2, kMostHidden = 0.35;
    static constexpr int kMargin = 4;  // nodes that are blurred in, but not compared

    Solved solve(const Shape& shape, const Group& group) const;
    /// From the solver's own scale: places and sizes against the start's, softness by its log odds.
    Shape shape_of(const double* x) const;
    cv::Point2d place(int row, int column) const {
        return start_ + cv::Point2d(column - middle_, row - middle_) * step_;
    }

    cv::Point2d start_;
    double radius_px_, step_;
    int middle_;
    cv::Mat1b known_;  ///< nodes that all comparisons cover
    Group whole_, halves_[2];
};

SpotFit::SpotFit(const std::vector<DustView>& views, const std::vector<cv::Mat1f>& logs,
                 const Candidate& start)
    : start_(start.at),
      radius_px_(start.radius_px),
      step_(std::max(1.0, std::floor(start.radius_px / kNodesPerRadius))),
      middle_(int(std::ceil(kHalfWindow * start.radius_px / step_)) + kMargin) {
    const int reach = int(middle_ * step_);
    const cv::Rect part(start.at - cv::Point(reach, reach), cv::Size(2 * reach + 1, 2 * reach + 1)),
        whole({}, logs[0].size());
    const cv::Rect inside = part & whole;
    known_ = cv::Mat1b(2 * middle_ + 1, 2 * middle_ + 1, uchar(1));
    for (const Comparison& own : comparisons(int(views.size()))) {
        cv::Mat1f here(part.size(), kOutside);
        difference(views, logs, own, inside).copyTo(here(inside - part.tl()));
        const cv::Mat1b hidden = here < 0.5f * kOutside;
        if (cv::countNonZero(hidden) > kMostHidden * double(hidden.total())) continue;
        here.setTo(0, hidden);
        for (int row = 0; row < known_.rows; ++row)
            for (int column = 0; column < known_.cols; ++column)
                if (hidden(int(row * step_), int(column * step_))) known_(row, column) = 0;
        cv::GaussianBlur(here, here, {}, kBlur * radius_px_, 0, cv::BORDER_REFLECT_101);
        cv::Mat1f nodes(2 * middle_ + 1, 2 * middle_ + 1);
        for (int row = 0; row < nodes.rows; ++row)
            for (int column = 0; column < nodes.cols; ++column)
                nodes(row, column) = here(int(row * step_), int(column * step_));
        std::vector<float> sizes(nodes.begin(), nodes.end());
        const auto middle = sizes.begin() + std::ptrdiff_t(sizes.size() / 2);
        std::nth_element(sizes.begin(), middle, sizes.end());
        const float usual = *middle;
        for (float& size : sizes) size = std::abs(size - usual);
        std::nth_element(sizes.begin(), middle, sizes.end());
        const double variance = 2.2 * double(*middle) * double(*middle) + 1e-6;
        std::vector<cv::Point2d> wings;
        double way = 0;
        for (const int other : {own.view - own.hop, own.view + own.hop}) {
            const cv::Point2d moved = mapped(between(views, own.view, other), start_) - start_;
            way += cv::norm(moved) / 2;
            wings.push_back(-moved);
        }
        const double weight = std::pow(std::min(way / radius_px_, 1.0), 2) / variance;
        for (Group* group : {&whole_, &halves_[own.in_first_half ? 0 : 1]}) {
            if (group->mean.empty()) group->mean = cv::Mat1f::zeros(nodes.size());
            group->mean += float(weight) * nodes;
            group->weight += weight;
            for (const cv::Point2d& wing : wings) group->add_wing(wing, weight / 2, kWingGrid * radius_px_);
        }
    }
    cv::erode(known_, known_, cv::Mat1b::ones(3, 3), {-1, -1}, 1, cv::BORDER_CONSTANT, cv::Scalar(1));
    for (Group* group : {&whole_, &halves_[0], &halves_[1]})
        if (group->weight > 0) {
            group->mean /= float(group->weight);
            for (auto& wing : group->wings) wing.second /= group->weight;
        }
}

SpotFit::Solved SpotFit::solve(const Shape& shape, const Group& group) const {
    const DustShade shade(shape.radius_px, shape.softness);
    cv::Mat1f model(group.mean.size());
    for (int row = 0; row < model.rows; ++row)
        for (int column = 0; column < model.cols; ++column) {
            const cv::Point2d from = place(row, column) - shape.at;
            double sum = -double(shade(std::sqrt(from.x * from.x + from.y * from.y)));
            for (const auto& [moved, weight] : group.wings) {
                const cv::Point2d off = from - moved;
                if (std::abs(off.x) < shade.reach_px() && std::abs(off.y) < shade.reach_px())
                    sum += weight * double(shade(std::sqrt(off.x * off.x + off.y * off.y)));
            }
            model(row, column) = float(sum);
        }
    cv::GaussianBlur(model, model, {}, kBlur * radius_px_ / step_, 0, cv::BORDER_REFLECT_101);
    // Depth, and an even and a sloping ground, by weighted least squares.
    cv::Matx44d products = cv::Matx44d::zeros();
    cv::Vec4d with_mean = cv::Vec4d::all(0);
    double energy = 0;
    for (int row = kMargin; row + kMargin < model.rows; ++row)
        for (int column = kMargin; column + kMargin < model.cols; ++column) {
            const cv::Point2d off = (place(row, column) - start_) / radius_px_;
            const double weight = known_(row, column) * std::exp(-off.dot(off) / (2 * kWindow * kWindow)),
                         value = double(group.mean(row, column));
            const double parts[] = {double(model(row, column)), 1, off.x, off.y};
            for (int a = 0; a < 4; ++a) {
                with_mean[a] += weight * parts[a] * value;
                for (int b = 0; b < 4; ++b) products(a, b) += weight * parts[a] * parts[b];
            }
            energy += weight * value * value;
        }
    Solved solved;
    for (int k = 0; k < 4; ++k) products(k, k) += 1e-12;
    const cv::Vec4d found = products.solve(with_mean, cv::DECOMP_CHOLESKY);
    const cv::Matx33d ground = products.get_minor<3, 3>(1, 1);
    const cv::Vec3d ground_with(with_mean[1], with_mean[2], with_mean[3]);
    solved.variance = energy - ground_with.dot(ground.solve(ground_with, cv::DECOMP_CHOLESKY));
    solved.depth_log = found[0];
    solved.error = energy - found.dot(with_mean);
    double most = 0;
    cv::minMaxLoc(cv::abs(model), nullptr, &most);
    solved.moved = most;
    return solved;
}

SpotFit::Shape SpotFit::shape_of(const double* x) const {
    const cv::Point2d off(std::clamp(x[0], -1.0, 1.0), std::clamp(x[1], -1.0, 1.0));
    return {start_ + off * radius_px_, radius_px_ * std::exp(std::clamp(x[2], -0.9, 0.9)),
            std::clamp(1 / (1 + std::exp(-x[3])), 0.05, 0.98)};
}

std::optional<SpotFit::Fitted> SpotFit::fit() const {
    if (halves_[0].weight <= 0 || halves_[1].weight <= 0) return {};
    class Error : public cv::MinProblemSolver::Function {
      public:
        explicit Error(const SpotFit& own) : own_(own) {}
        int getDims() const override { return 4; }
        double calc(const double* x) const override {
            const Solved solved = own_.solve(own_.shape_of(x), own_.whole_);
            return solved.depth_log > 0 ? solved.error : solved.variance;
        }

      private:
        const SpotFit& own_;
    };
    const auto error = cv::makePtr<Error>(*this);
    double best[4] = {0, 0, 0, 0}, least = -1;
    for (const double radius : {-0.35, 0.0, 0.35})
        for (const double softness : {0.0, 1.5}) {
            const double start[] = {0, 0, radius, softness};
            if (const double here = error->calc(start); least < 0 || here < least) {
                least = here;
                std::copy(start, start + 4, best);
            }
        }
    // What is far from it is not worth the search.
    const Solved start = solve(shape_of(best), whole_);
    if (start.depth_log <= 0 || 1 - start.error / start.variance < kWorthFitting) return {};
    cv::Mat1d shape(1, 4, best);
    const cv::Mat1d steps = (cv::Mat1d(1, 4) << 0.15, 0.15, 0.2, 0.8);
    const auto solver = cv::DownhillSolver::create(
        error, steps, cv::TermCriteria(cv::TermCriteria::MAX_ITER + cv::TermCriteria::EPS, 120, 1e-9));
    solver->minimize(shape);
    const Shape found = shape_of(shape[0]);
    const Solved whole = solve(found, whole_);
    if (whole.depth_log <= 0) return {};
    Fitted fitted;
    fitted.spot = {found.at, found.radius_px, found.softness, 1 - std::exp(-whole.depth_log)};
    fitted.explained = 1 - whole.error / whole.variance;
    fitted.moved = whole.moved;
    fitted.least_explained = 1;
    fitted.least_half = 1;
    for (const Group& half : halves_) {
        const Solved own = solve(found, half);
        const double depth = 1 - std::exp(-std::max(own.depth_log, 0.0));
        fitted.least_explained = std::min(fitted.least_explained, 1 - own.error / own.variance);
        fitted.least_half = std::min(fitted.least_half, depth);
        fitted.most_half = std::max(fitted.most_half, depth);
    }
    return fitted;
}

/// Chosen on seeds 11 to 16 of the rig: what is no dust explains at most .81 of what is seen there, differs
/// by halves, is deeper than dust or moved by hardly anything.
bool is_dust(const SpotFit::Fitted& fit) {
    constexpr double kFaintest = 0.012, kExplained = 0.82, kHalfExplained = 0.6, kLeastMoved = 0.09,
                     kHalvesApart = 1.6, kNarrowest_px = 2.8;
    return fit.spot.depth >= kFaintest && fit.spot.depth <= kDeepestDust &&
           fit.spot.radius_px >= kNarrowest_px && fit.explained >= kExplained &&
           fit.least_explained >= kHalfExplained && fit.moved >= kLeastMoved &&
           fit.most_half <= kHalvesApart * fit.least_half;
}

}  // namespace

std::vector<DustSpot> find_sensor_dust(const std::vector<DustView>& views, const Job& job) {
    if (int(views.size()) < kFewestViews) return {};
    const int scale = std::max(views[0].luma.cols, views[0].luma.rows) > kSearchSide ? 2 : 1;
    const std::vector<Candidate> all =
        candidates(mean_differences(reduced(views, scale, job), job), scale, job);
    job.checkpoint(0.6);
    const std::vector<cv::Mat1f> logs = logarithms(views, job);
    std::vector<std::optional<SpotFit::Fitted>> fits(all.size());
    for_rows(int(all.size()), job.quiet(),
             [&](int k) { fits[std::size_t(k)] = SpotFit(views, logs, all[std::size_t(k)]).fit(); });
    std::vector<DustSpot> spots;
    for (const auto& fit : fits)
        if (fit && is_dust(*fit)) spots.push_back(fit->spot);
    std::stable_sort(spots.begin(), spots.end(),
                     [](const DustSpot& a, const DustSpot& b) { return a.depth > b.depth; });
    job.checkpoint(1);
    return spots;
}

}  // namespace moorhaze
