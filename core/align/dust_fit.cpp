// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/dust_fit.h"

#include <algorithm>
#include <cmath>
#include <opencv2/core/optim.hpp>
#include <opencv2/imgproc.hpp>

#include "core/align/homography.h"

namespace moorhaze {
namespace {

constexpr double kWorthFitting = 0.3;  // of the variance that a first guess explains

class SpotFit {
  public:
    SpotFit(const std::vector<DustView>& views, const std::vector<cv::Mat1f>& logs, cv::Point start,
            double radius_px);

    std::optional<FittedDust> fit() const;

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

SpotFit::SpotFit(const std::vector<DustView>& views, const std::vector<cv::Mat1f>& logs, cv::Point start,
                 double radius_px)
    : start_(start),
      radius_px_(radius_px),
      step_(std::max(1.0, std::floor(radius_px / kNodesPerRadius))),
      middle_(int(std::ceil(kHalfWindow * radius_px / step_)) + kMargin) {
    const int reach = int(middle_ * step_);
    const cv::Rect part(start - cv::Point(reach, reach), cv::Size(2 * reach + 1, 2 * reach + 1)),
        whole({}, logs[0].size());
    const cv::Rect inside = part & whole;
    known_ = cv::Mat1b(2 * middle_ + 1, 2 * middle_ + 1, uchar(1));
    for (const DustComparison& own : dust_comparisons(int(views.size()))) {
        cv::Mat1f here(part.size(), kUnknownDifference);
        difference_from_neighbours(views, logs, own, inside).copyTo(here(inside - part.tl()));
        const cv::Mat1b hidden = here <= kUnknownDifference;
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
            const cv::Point2d moved =
                mapped(between_views(views, own.view, other), start_.x, start_.y) - start_;
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

std::optional<FittedDust> SpotFit::fit() const {
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
    FittedDust fitted;
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

}  // namespace

std::optional<FittedDust> fit_dust(const std::vector<DustView>& views, const std::vector<cv::Mat1f>& logs,
                                   cv::Point start, double radius_px) {
    return SpotFit(views, logs, start, radius_px).fit();
}

}  // namespace moorhaze
