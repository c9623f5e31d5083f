#include "core/align/register_pair.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kTooUnlike = 0.25;
constexpr std::size_t kFewestPlaces = 60;

/// A place of the fixed picture with strong detail, on one level.
struct Place {
    float x, y;          ///< level pixels
    float value;         ///< detail there
    float across, down;  ///< its slope
    float strength;      ///< of the fixed picture
};

/// Interpolation through four points a side. Source: Keys, "Cubic convolution interpolation", IEEE ASSP
/// 29(6), 1981.
float cubic_at(const cv::Mat1f& picture, double x, double y) {
    const int whole_x = int(std::floor(x)), whole_y = int(std::floor(y));
    auto weights = [](float t, float* w) {
        const float t2 = t * t, t3 = t2 * t;
        w[0] = 0.5f * (-t3 + 2 * t2 - t);
        w[1] = 0.5f * (3 * t3 - 5 * t2 + 2);
        w[2] = 0.5f * (-3 * t3 + 4 * t2 + t);
        w[3] = 0.5f * (t3 - t2);
    };
    float across[4], down[4];
    weights(float(x - whole_x), across);
    weights(float(y - whole_y), down);
    float sum = 0;
    for (int row = 0; row < 4; ++row) {
        const float* line = picture[whole_y - 1 + row] + whole_x - 1;
        sum += down[row] *
               (line[0] * across[0] + line[1] * across[1] + line[2] * across[2] + line[3] * across[3]);
    }
    return sum;
}

/// The strongest slope of each cell, where there is more than noise.
std::vector<Place> strong_places(const DetailPyramid::Level& level) {
    const cv::Mat1f& detail = level.detail;
    const int cell = detail.total() > 2'000'000 ? 6
                     : detail.total() > 200'000 ? 4
                     : detail.total() > 20'000  ? 2
                                                : 1;
    const int margin = 4;
    const int rows = std::max(0, (detail.rows - 2 * margin) / cell),
              columns = std::max(0, (detail.cols - 2 * margin) / cell);
    std::vector<Place> places(std::size_t(rows) * std::size_t(columns));
    for_rows(rows, Job{}, [&](int row) {
        for (int column = 0; column < columns; ++column) {
            Place best{};
            float most = 0;
            for (int y = margin + row * cell; y < margin + (row + 1) * cell; ++y)
                for (int x = margin + column * cell; x < margin + (column + 1) * cell; ++x) {
                    if (level.strength(y, x) < 1.5f * level.noise) continue;
                    // Five-point slopes: exact for cubics.
                    const float across =
                        (8 * (detail(y, x + 1) - detail(y, x - 1)) - detail(y, x + 2) + detail(y, x - 2)) /
                        12;
                    const float down =
                        (8 * (detail(y + 1, x) - detail(y - 1, x)) - detail(y + 2, x) + detail(y - 2, x)) /
                        12;
                    const float slope = across * across + down * down;
                    if (slope > most) {
                        most = slope;
                        best = {float(x), float(y), detail(y, x), across, down, level.strength(y, x)};
                    }
                }
            places[std::size_t(row) * std::size_t(columns) + std::size_t(column)] = best;
        }
    });
    std::erase_if(places, [](const Place& place) { return place.across == 0 && place.down == 0; });
    return places;
}

/// How much each part of the picture is believed. Where a near edge hides one side of the lens from what lies
/// behind, that part's detail is displaced as a whole, and every pixel of it agrees with its neighbours: only
/// the other parts show that it is wrong. Each cell's own displacement against the common geometry is
/// measured, and cells that are off by more than most lose their say (Cauchy weights again, on displacements
/// this time).
class CellTrust {
  public:
    CellTrust(const std::vector<Place>& places, cv::Size size)
        : cell_px_(std::max(16, std::max(size.width, size.height) / 24)),
          columns_(size.width / cell_px_ + 1),
          cells_(std::size_t(columns_) * std::size_t(size.height / cell_px_ + 1)) {
        of_place_.reserve(places.size());
        for (const Place& place : places)
            of_place_.push_back(int(place.y) / cell_px_ * columns_ + int(place.x) / cell_px_);
    }

    void add(std::size_t place, const Place& at, double weight, double difference) {
        Cell& cell = cells_[std::size_t(of_place_[place])];
        const double u = double(at.across), v = double(at.down);
        cell.uu += weight * u * u, cell.uv += weight * u * v, cell.vv += weight * v * v;
        cell.ud += weight * u * difference, cell.vd += weight * v * difference;
    }

    /// Turns what was added into weights for the next step.
    void settle() {
        std::vector<double> sizes;
        for (Cell& cell : cells_) {
            const double determinant = cell.uu * cell.vv - cell.uv * cell.uv, trace = cell.uu + cell.vv;
            cell.off = -1;
            // A cell whose slopes point one way says nothing of the other.
            if (trace <= 0 || determinant < 0.02 * trace * trace) continue;
            cell.off =
                std::hypot(cell.vv * cell.ud - cell.uv * cell.vd, cell.uu * cell.vd - cell.uv * cell.ud) /
                determinant;
            sizes.push_back(cell.off);
        }
        usual_ = 0;
        if (sizes.size() < 12) return;
        std::nth_element(sizes.begin(), sizes.begin() + std::ptrdiff_t(sizes.size() / 3), sizes.end());
        usual_ = std::max(0.01, sizes[sizes.size() / 3]);
    }

    double at(std::size_t place) const {
        const Cell& cell = cells_[std::size_t(of_place_[place])];
        if (usual_ <= 0) return 1;
        if (cell.off < 0) return 0.1;
        const double ratio = cell.off / (1.5 * usual_);
        return 1 / ((1 + ratio * ratio) * (1 + ratio * ratio));
    }

    void clear() {
        for (Cell& cell : cells_) cell = {0, 0, 0, 0, 0, cell.off};
    }

  private:
    struct Cell {
        double uu = 0, uv = 0, vv = 0, ud = 0, vd = 0, off = -1;
    };
    int cell_px_, columns_;
    std::vector<Cell> cells_;
    std::vector<int> of_place_;
    double usual_ = 0;
};

struct StepOutcome {
    bool solved = false;
    double moved_px = 0;  ///< largest movement of a corner, level pixels
    double weight = 0, likeness = 0;
};

/// One Gauss-Newton step; `fixed_to_moving` counts in level pixels from the centre.
StepOutcome improve(const std::vector<Place>& places, const DetailPyramid::Level& moving, float fixed_noise,
                    double loosest, Similarity& fixed_to_moving, CellTrust* trust) {
    const double middle_x = (moving.detail.cols - 1) / 2.0, middle_y = (moving.detail.rows - 1) / 2.0;
    struct Sample {
        float difference, weight, product, fixed_square, moving_square;
    };
    std::vector<Sample> samples(places.size());
    std::vector<float> sizes;
    sizes.reserve(places.size());
    for (std::size_t i = 0; i < places.size(); ++i) {
        const Place& place = places[i];
        const auto there = fixed_to_moving({place.x - middle_x, place.y - middle_y});
        const double x = there.real() + middle_x, y = there.imag() + middle_y;
        samples[i] = {};
        if (!(x >= 2 && y >= 2 && x < moving.detail.cols - 3 && y < moving.detail.rows - 3)) continue;
        const float value = cubic_at(moving.detail, x, y);
        const float strength = moving.strength(int(y + 0.5), int(x + 0.5));
        const float weaker = std::min(strength, place.strength),
                    stronger = std::max(strength, place.strength);
        if (strength < 1.2f * moving.noise) continue;
        const float alike = weaker / stronger;
        const float noise = std::max(fixed_noise, moving.noise);
        const float clear = weaker * weaker / (weaker * weaker + 4 * noise * noise);
        const float weight = alike * alike * clear;
        samples[i] = {value - place.value, weight, value * place.value, place.value * place.value,
                      value * value};
        sizes.push_back(std::abs(samples[i].difference));
    }
    StepOutcome outcome;
    if (sizes.size() < kFewestPlaces) return outcome;
    std::nth_element(sizes.begin(), sizes.begin() + std::ptrdiff_t(sizes.size() / 2), sizes.end());
    const double spread = std::max(0.02, std::min(loosest, 1.48 * double(sizes[sizes.size() / 2])));

    cv::Matx44d normal = cv::Matx44d::zeros();
    cv::Vec4d right(0, 0, 0, 0);
    double weights = 0, squares = 0, product = 0, fixed_square = 0, moving_square = 0;
    for (std::size_t i = 0; i < places.size(); ++i) {
        const Sample& sample = samples[i];
        if (sample.weight <= 0) continue;
        const Place& place = places[i];
        // Cauchy weights: moved things and passing glints lose their say, nothing is cut off abruptly.
        const double ratio = sample.difference / (1.5 * spread);
        double weight = sample.weight / (1 + ratio * ratio);
        if (trust) {
            trust->add(i, place, weight, sample.difference);
            weight *= trust->at(i);
        }
        const double x = place.x - middle_x, y = place.y - middle_y;
        // How detail changes with scale, turn, and shift, at the fixed place.
        const cv::Vec4d slope(place.across * x + place.down * y, -place.across * y + place.down * x,
                              place.across, place.down);
        for (int a = 0; a < 4; ++a) {
            right[a] += weight * slope[a] * sample.difference;
            for (int b = 0; b < 4; ++b) normal(a, b) += weight * slope[a] * slope[b];
        }
        weights += weight;
        squares += weight * sample.difference * sample.difference;
        product += weight * sample.product;
        fixed_square += weight * sample.fixed_square;
        moving_square += weight * sample.moving_square;
    }
    if (trust) {
        trust->settle();
        trust->clear();
    }
    cv::Vec4d step;
    if (weights < kFewestPlaces / 16.0 || !cv::solve(normal, right, step, cv::DECOMP_CHOLESKY))
        return outcome;
    const Similarity small{{1 + step[0], step[1]}, {step[2], step[3]}};
    fixed_to_moving = fixed_to_moving.after(small.inverse());
    const double reach = std::hypot(middle_x, middle_y);
    outcome.solved = true;
    outcome.moved_px = std::hypot(step[0], step[1]) * reach + std::hypot(step[2], step[3]);
    outcome.weight = weights / std::max(1e-4, squares / weights);
    outcome.likeness = product / std::sqrt(std::max(1e-12, fixed_square * moving_square));
    return outcome;
}

Similarity scaled(const Similarity& similarity, double factor) {
    return {similarity.turn, similarity.shift * factor};
}

/// Robust middle of the brightness ratio where both frames are neither black nor clipped.
double log_gain_of(const DetailPyramid::Level& moving, const DetailPyramid::Level& fixed,
                   const Similarity& fixed_to_moving) {
    const double middle_x = (fixed.light.cols - 1) / 2.0, middle_y = (fixed.light.rows - 1) / 2.0;
    std::vector<float> ratios;
    for (int y = 2; y < fixed.light.rows - 2; y += 2)
        for (int x = 2; x < fixed.light.cols - 2; x += 2) {
            const auto there = fixed_to_moving({x - middle_x, y - middle_y});
            const int column = int(std::lround(there.real() + middle_x)),
                      row = int(std::lround(there.imag() + middle_y));
            if (column < 2 || row < 2 || column >= moving.light.cols - 2 || row >= moving.light.rows - 2)
                continue;
            const float one = moving.light(row, column), other = fixed.light(y, x);
            if (one < 0.004f || other < 0.004f || one > 0.8f || other > 0.8f) continue;
            ratios.push_back(std::log(other / one));
        }
    if (ratios.size() < 20) return 0;
    // The mean of the middle half: as robust as the median, half its scatter.
    std::sort(ratios.begin(), ratios.end());
    double sum = 0;
    const std::size_t from = ratios.size() / 4, to = ratios.size() - from;
    for (std::size_t i = from; i < to; ++i) sum += ratios[i];
    return sum / double(to - from);
}

}  // namespace

std::optional<PairRegistration> register_pair(const DetailPyramid& moving, const DetailPyramid& fixed,
                                              const std::optional<Similarity>& start, const Job& job) {
    const int levels = int(std::min(moving.levels.size(), fixed.levels.size()));
    if (levels == 0 || moving.levels[0].detail.size() != fixed.levels[0].detail.size()) return {};
    auto level_scale = [&](int level) { return fixed.scale * double(1 << level); };

    std::vector<Similarity> guesses;
    const int coarsest = levels - 1;
    if (start) {
        guesses.push_back(start->inverse());
    } else {
        guesses.push_back({});
        const auto& one = fixed.levels[std::size_t(coarsest)].detail;
        const auto& other = moving.levels[std::size_t(coarsest)].detail;
        cv::Mat window;
        cv::createHanningWindow(window, one.size(), CV_32F);
        const cv::Point2d shift = cv::phaseCorrelate(one, other, window);
        guesses.push_back({{1, 0}, std::complex<double>(shift.x, shift.y) * level_scale(coarsest)});
    }

    // Both guesses try the coarse levels; the better goes on.
    Similarity best;
    double best_likeness = -2;
    const int coarse_end = std::max(0, levels - 2);
    for (const Similarity& guess : guesses) {
        Similarity here = guess;
        double likeness = -1;
        for (int level = coarsest; level >= coarse_end; --level) {
            const auto places = strong_places(fixed.levels[std::size_t(level)]);
            Similarity small = scaled(here, 1 / level_scale(level));
            for (int round = 0; round < 20; ++round) {
                const auto step = improve(places, moving.levels[std::size_t(level)],
                                          fixed.levels[std::size_t(level)].noise, 1.0, small, nullptr);
                if (!step.solved) break;
                likeness = step.likeness;
                if (step.moved_px < 0.02) break;
            }
            here = scaled(small, level_scale(level));
        }
        if (likeness > best_likeness) best_likeness = likeness, best = here;
    }

    PairRegistration result;
    bool solved = false;
    for (int level = coarse_end; level >= 0; --level) {
        job.checkpoint();
        const auto& level_moving = moving.levels[std::size_t(level)];
        const auto& level_fixed = fixed.levels[std::size_t(level)];
        const auto places = strong_places(level_fixed);
        Similarity small = scaled(best, 1 / level_scale(level));
        const Similarity before = small;
        bool level_solved = false;
        CellTrust trust(places, level_fixed.detail.size());
        for (int round = 0; round < 12; ++round) {
            const auto step = improve(places, level_moving, level_fixed.noise, 0.7, small, &trust);
            if (!step.solved) break;
            level_solved = true;
            result.weight = step.weight;
            result.likeness = step.likeness;
            if (step.moved_px < 0.003) break;
        }
        // A level with too little detail keeps what the coarser one found.
        if (level_solved && std::isfinite(small.shift.real()) && std::abs(std::abs(small.turn) - 1) < 0.5)
            best = scaled(small, level_scale(level)), solved = true;
        else
            small = before;
    }
    if (!solved || result.likeness < kTooUnlike) return {};
    result.moving_to_fixed = best.inverse();
    const int middle = std::min(levels - 1, std::max(0, levels - 3));
    result.log_gain = log_gain_of(moving.levels[std::size_t(middle)], fixed.levels[std::size_t(middle)],
                                  scaled(best, 1 / level_scale(middle)));
    return result;
}

}  // namespace moorhaze
