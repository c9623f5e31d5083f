// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/sharp_frames.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/merge/band_energy.h"
#include "core/merge/focus_depth.h"
#include "core/picture/luma.h"
#include "core/picture/pyramid.h"

namespace moorhaze {
namespace {

constexpr double kDetailSize_px = 4;  // the neighbourhood that merges judge, at each scale
constexpr int kScales = 2;            // coarser ones show the blur of what lies near by, too
constexpr double kTrustFloor = 0.3;   // of what merges take as told by the frames themselves
constexpr double kLeastTold = 0.11;   // mean trust of the neighbourhood below which nothing is sharp there
constexpr double kLeastSure = 0.5;    // all answers together: below that, what is told is others' blur
constexpr double kLeastShare = 0.2;   // of all votes that make a second answer
constexpr double kAround = 2.5;       // times the reach: how far what meets a place is looked for
constexpr double kApart = 2.0;        // frames that two answers lie apart at least

/// As the depth measure takes a frame: at half size, with the energy of what only full size shows.
DownsampledFrame downsampled_frame(const cv::Mat1f& luma, const std::vector<RowSpan>& covered,
                                   const Job& job) {
    DownsampledFrame small;
    small.luma = pyramid_down(luma, job);
    cv::resize(band_energy(luma, small.luma, 1.0, job), small.fine_energy, small.luma.size(), 0, 0,
               cv::INTER_AREA);
    small.width = luma.cols;
    small.covered = covered;
    return small;
}

/// Votes for places between frames, split between both.
class Votes {
  public:
    explicit Votes(int frames) : of_(std::size_t(frames), 0.0) {}
    void add(double place, double weight) {
        const double own = std::clamp(place, 0.0, double(of_.size()) - 1);
        const auto low = std::size_t(own);
        const double part = own - double(low);
        of_[low] += weight * (1 - part);
        if (low + 1 < of_.size()) of_[low + 1] += weight * part;
        all_ += weight;
    }
    double all() const { return all_; }
    double of(std::size_t frame) const { return of_[frame]; }
    /// Those for a frame and the ones beside it.
    double around(int frame) const {
        double sum = 0;
        for (int k = std::max(0, frame - 1); k <= std::min(int(of_.size()) - 1, frame + 1); ++k)
            sum += of_[std::size_t(k)];
        return sum;
    }
    /// The frame that most agree on, away from another by kApart at least.
    int most(int away_from) const {
        int best = -1;
        double votes = 0;
        for (int k = 0; k < int(of_.size()); ++k) {
            if (away_from >= 0 && std::abs(k - away_from) <= kApart) continue;
            // The middle one counts most, so that an even spread has its peak in the middle.
            const double own = around(k) + of_[std::size_t(k)];
            if (own > votes) votes = own, best = k;
        }
        return best;
    }

  private:
    std::vector<double> of_;
    double all_ = 0;
};

/// A share of a sum; summed in another order it could come out a little over 1.
double part_of(double part, double whole) {
    return std::min(1.0, part / whole);
}

}  // namespace

double usual_reach(cv::Size frame) {
    return std::clamp(std::max(frame.width, frame.height) / 120.0, 8.0, 64.0);
}

PixelRect part_to_judge(cv::Point2d place, double reach_px) {
    // The coarsest scale gathers over about five dozen pixels of full size.
    const int around = int(std::ceil(reach_px)) + 64;
    return PixelRect(int(std::lround(place.x)) - around, int(std::lround(place.y)) - around, 2 * around + 1,
                     2 * around + 1);
}

SharpFrames SharpMap::at(cv::Point2d place, double reach_px) const {
    SharpFrames sharp;
    if (read_.empty()) return sharp;
    // What is looked at, and what lies around it: beside an edge the near side's blur lies over the far side,
    // which is told only some way off.
    Votes votes{int(read_.size())}, around{int(read_.size())};
    double heard = 0;
    const double spread = reach_px / 2, farther = kAround * reach_px;
    const cv::Rect near =
        cv::Rect(int(std::floor((place.x - farther) / 2)), int(std::floor((place.y - farther) / 2)),
                 int(farther) + 3, int(farther) + 3) &
        cv::Rect({}, depth_.size());
    for (int y = near.y; y < near.br().y; ++y)
        for (int x = near.x; x < near.br().x; ++x) {
            const double apart = std::hypot(2 * x + 0.5 - place.x, 2 * y + 0.5 - place.y);
            if (apart > farther) continue;
            around.add(depth_(y, x), trust_(y, x) * (1 - apart / farther));
            if (apart > reach_px) continue;
            const double weight = std::exp(-apart * apart / (2 * spread * spread));
            votes.add(depth_(y, x), weight * trust_(y, x));
            heard += weight;
        }
    const double told = votes.all() / std::max(heard, 1e-12);
    for (std::size_t k = 0; k < read_.size(); ++k)
        sharp.shares.push_back(part_of(votes.of(k), std::max(votes.all(), 1e-12)) *
                               std::min(1.0, told / kLeastTold));
    if (told < kLeastTold) return sharp;
    const double sure = std::min(1.0, told / (4 * kLeastTold));
    const int first = votes.most(-1);
    sharp.frames.push_back({read_[std::size_t(first)], sure * part_of(votes.around(first), votes.all())});
    const int second = around.most(first);
    const double share = second < 0 ? 0
                                    : std::max(part_of(votes.around(second), votes.all()),
                                               part_of(around.around(second), around.all()));
    // What is told only around the place is never surer than what is told at it.
    if (share > kLeastShare)
        sharp.frames.push_back(
            {read_[std::size_t(second)], std::min(sure * share, sharp.frames[0].certainty)});
    double together = 0;
    for (const SharpFrames::Own& own : sharp.frames) together += own.certainty;
    if (together < kLeastSure) sharp.frames.clear();
    return sharp;
}

SharpMap SharpMap::reordered(const std::vector<int>& order) const {
    SharpMap other;
    std::vector<float> moved_to(read_.size());  // by old place among those asked
    for (std::size_t k = 0; k < order.size(); ++k) {
        const auto old = std::find(read_.begin(), read_.end(), order[k]);
        if (old == read_.end()) continue;
        moved_to[std::size_t(old - read_.begin())] = float(other.read_.size());
        other.read_.push_back(int(k));
    }
    other.trust_ = trust_;
    other.depth_ = cv::Mat1f(depth_.size());
    const int last = int(read_.size()) - 1;
    for (int y = 0; y < depth_.rows; ++y)
        for (int x = 0; x < depth_.cols; ++x) {
            const float own = std::clamp(depth_(y, x), 0.0f, float(last));
            const int low = int(own), high = std::min(low + 1, last);
            const float from = moved_to[std::size_t(low)], to = moved_to[std::size_t(high)],
                        part = own - float(low);
            // Between two frames that are neighbours no more lies nothing.
            other.depth_(y, x) = std::abs(to - from) <= 1 ? from + part * (to - from)
                                 : part < 0.5f            ? from
                                                          : to;
        }
    return other;
}

SharpMapMaker::SharpMapMaker(cv::Size plane) : plane_(plane), depth_(plane, kDetailSize_px) {}

void SharpMapMaker::add(int frame, const cv::Mat1f& luma, const std::vector<RowSpan>& covered,
                        const Job& job) {
    if (luma.size() != plane_) throw BadParameter("a frame has another size than the plane to judge");
    depth_.add(pyramid_bands(downsampled_frame(luma, covered, job), kScales, job), job);
    read_.push_back(frame);
}

SharpMap SharpMapMaker::finish(const Job& job) const {
    SharpMap map;
    if (read_.empty()) return map;
    const DepthField field = depth_.finish(kTrustFloor, 4, job);
    map.depth_ = field.depth, map.trust_ = field.trust, map.read_ = read_;
    return map;
}

SharpAtPlace::SharpAtPlace(cv::Point2d place, double reach_px)
    : place_(place), reach_px_(reach_px), part_(part_to_judge(place, reach_px)), around_(part_.size()) {
    if (!(reach_px >= 4)) throw BadParameter("what is looked at must reach 4 px at least");
}

void SharpAtPlace::add(int frame, const LinearFrame& patch, const Job& job) {
    around_.add(frame, perceptual_luma(patch.pixels, job), patch.covered, job);
}

SharpFrames SharpAtPlace::frames(const Job& job) const {
    return around_.finish(job).at({place_.x - part_.x, place_.y - part_.y}, reach_px_);
}

}  // namespace moorhaze
