// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/frame_faults.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <optional>

#include "core/focus/dissimilarity.h"
#include "core/focus/order_statistics.h"
#include "core/work/words.h"

namespace moorhaze {
namespace {

constexpr double kMisfire_ev = -2.5;
/// A flicker of 6 % is 0.09 EV, three times that still normal.
constexpr double kExposure_ev = 0.33;
/// Of what both neighbours have sharp a faultless frame holds 1.1 to 1.25 times as much on the rig's scenes,
/// a streak of a few pixels 0.2 to 0.75; of the frame before, what is still rising keeps 0.6 and more.
constexpr double kBumpKeeps = 0.72, kArrivalKeeps = 0.45;
constexpr std::size_t kFewestCells = 12;
constexpr double kAcrossGap = 1.25;
/// On the rig's series a bumped frame is 1.05 to 1.6 times as unlike its neighbours as these are to each
/// other, others 0.6 to 0.85 times.
constexpr double kBesideBump = 0.95;
/// A streak must take this much more along than across; its length by what is left, fitted on planted
/// streaks.
constexpr double kStreakSwing = 0.08, kStreakLength = 1.5;
/// Neighbours of a series differ in what is sharp by a part that hardly changes along it; a duplicate by
/// noise alone.
constexpr double kDuplicatePart = 0.5, kDuplicateMost = 0.15;
/// Hand shake stays far below this part of the width; and below so many times the series' own usual shift.
constexpr double kFramingWidth = 0.02, kFramingTimes = 6;
constexpr double kMovedTimes = 6, kMovedLight = 0.03;
constexpr int kMovedBlock = 8, kMovedFewest = 4;
constexpr double kWhiteBalance = 0.12;  ///< log2 of a channel by green, against the series

/// A flash that stayed dark leaves next to nothing; less than that is another exposure.
void flag_light(const FocusProfile& profile, double usual_light, std::vector<FrameFlag>& flags) {
    const double ev = std::log2(std::max(1e-6, profile.brightness) / usual_light);
    if (ev < kMisfire_ev)
        flags.push_back({"misfire", words("%.1f EV darker: the flash did not fire", -ev), ev});
    else if (std::abs(ev) > kExposure_ev)
        flags.push_back({"exposure",
                         words(ev < 0 ? "%.1f EV darker than the series" : "%.1f EV brighter than the series",
                               std::abs(ev)),
                         ev});
}

/// The readable frames next to one, without itself.
std::vector<FocusProfile> around_frame(const std::vector<FocusProfile>& profiles, int frame) {
    constexpr int kReach = 4;
    std::vector<FocusProfile> near;
    for (int i = std::max(0, frame - kReach); i <= std::min(int(profiles.size()) - 1, frame + kReach); ++i)
        if (i != frame && !profiles[std::size_t(i)].sharpness.empty())
            near.push_back(profiles[std::size_t(i)]);
    return near;
}

/// Cell by cell the median over the frames; empty when there are none.
cv::Mat1f usual_lights(const std::vector<FocusProfile>& profiles) {
    cv::Size grid;
    for (const auto& profile : profiles)
        if (!profile.light.empty()) grid = profile.light.size();
    cv::Mat1f usual(grid);
    std::vector<float> values;
    for (int y = 0; y < grid.height; ++y)
        for (int x = 0; x < grid.width; ++x) {
            values.clear();
            for (const auto& profile : profiles)
                if (profile.light.size() == grid) values.push_back(profile.light(y, x));
            usual(y, x) = quantile(values, 0.5);
        }
    return usual;
}

/// The four sides of a picture, as the rows of a grid turned so that the side lies at the bottom.
constexpr const char* kSides[] = {"lower", "upper", "left", "right"};
cv::Mat1f side_at_bottom(const cv::Mat1f& grid, int side) {
    cv::Mat1f turned;
    if (side == 0) return grid;
    if (side == 1) cv::flip(grid, turned, 0);
    if (side == 2) cv::rotate(grid, turned, cv::ROTATE_90_COUNTERCLOCKWISE);
    if (side == 3) cv::rotate(grid, turned, cv::ROTATE_90_CLOCKWISE);
    return turned;
}

FrameFlag band_flag(int side, double share) {
    return {"band",
            words((std::string("dark band over the ") + kSides[side] +
                   (side < 2 ? " %.0f %%" : " %.0f %% of the width") +
                   ": the shutter is faster than the flash's sync speed")
                      .c_str(),
                  100 * share),
            share};
}

/// Rows at one side that lost most of their light while the others kept theirs.
std::optional<FrameFlag> band_against(const cv::Mat1f& light, const cv::Mat1f& usual) {
    for (int side = 0; side < 4; ++side) {
        const cv::Mat1f own = side_at_bottom(light, side), other = side_at_bottom(usual, side);
        std::vector<float> kept;
        for (int y = 0; y < own.rows; ++y)
            kept.push_back(float(cv::sum(own.row(y))[0] / std::max(1e-9, cv::sum(other.row(y))[0])));
        const float usual_kept = quantile(kept, 0.7);
        int dark = 0;
        while (dark < own.rows && kept[std::size_t(own.rows - 1 - dark)] < 0.5f * usual_kept) ++dark;
        // The curtain's edge is steep: two rows on, all light is there.
        if (dark >= 3 && dark < 0.8 * own.rows &&
            kept[std::size_t(std::max(0, own.rows - 3 - dark))] > 0.8f * usual_kept)
            return band_flag(side, double(dark) / own.rows);
    }
    return {};
}

/// A straight edge over the whole width with next to no light beyond: no subject draws that.
std::optional<FrameFlag> band_within(const cv::Mat1f& light) {
    for (int side = 0; side < 4; ++side) {
        const cv::Mat1f own = side_at_bottom(light, side);
        const double mean = cv::mean(own)[0];
        for (int dark = 2; dark < 0.8 * own.rows; ++dark) {
            const int edge = own.rows - dark;  // first dark row; the one before may lie on the edge
            double brightest = 0;
            cv::minMaxLoc(own.rowRange(std::min(edge + 1, own.rows - 1), own.rows), nullptr, &brightest);
            if (brightest > 0.12 * mean || edge < 2) break;
            int falls = 0;
            for (int x = 0; x < own.cols; ++x)
                falls += own(std::max(0, edge - 2), x) > 6 * own(std::min(edge + 1, own.rows - 1), x);
            if (falls >= 0.9 * own.cols) return band_flag(side, double(dark) / own.rows);
        }
    }
    return {};
}

/// Focus passes through a place once: where both neighbours are sharp a good frame is sharper. How much of
/// their lesser detail the frame keeps (the middle of all cells); below 0: too little to tell.
double kept_between(const FocusProfile& before, const FocusProfile& here, const FocusProfile& after) {
    if (before.sharpness.size() != here.sharpness.size() || after.sharpness.size() != here.sharpness.size())
        return -1;
    double strongest = 0;
    cv::minMaxLoc(cv::min(before.sharpness, after.sharpness), nullptr, &strongest);
    std::vector<float> kept;
    for (int y = 0; y < here.sharpness.rows; ++y)
        for (int x = 0; x < here.sharpness.cols; ++x) {
            const float both = std::min(before.sharpness(y, x), after.sharpness(y, x));
            if (both > 0.25 * strongest && both > 0.006f) kept.push_back(here.sharpness(y, x) / both);
        }
    return kept.size() < kFewestCells ? -1 : quantile(kept, 0.5);
}

/// The streak that blurred a frame: which way, and how long. Movement takes most from the contrast along it.
struct Streak {
    double angle_deg = 0;  ///< 0 across, 90 down, -45 up to the right
    double length_px = 0;  ///< of the frame
};
std::optional<Streak> streak_of(const FocusProfile& before, const FocusProfile& here,
                                const FocusProfile& after) {
    if (before.directed.size() != here.directed.size() || after.directed.size() != here.directed.size())
        return {};
    double strongest = 0;
    cv::minMaxLoc(cv::min(before.sharpness, after.sharpness), nullptr, &strongest);
    std::array<double, 4> own{}, around{};
    for (int y = 0; y < here.directed.rows; ++y)
        for (int x = 0; x < here.directed.cols; ++x) {
            const float both = std::min(before.sharpness(y, x), after.sharpness(y, x));
            if (both <= 0.25 * strongest || both <= 0.006f) continue;
            for (int way = 0; way < 4; ++way) {
                own[std::size_t(way)] += double(here.directed(y, x)[way]);
                around[std::size_t(way)] +=
                    0.5 * double(before.directed(y, x)[way] + after.directed(y, x)[way]);
            }
        }
    std::array<double, 4> kept{};
    for (std::size_t way = 0; way < 4; ++way) {
        if (around[way] <= 0) return {};
        kept[way] = own[way] / around[way];
    }
    // kept(angle) = mean + a cos 2 angle + b sin 2 angle through the four directions.
    const double mean = (kept[0] + kept[1] + kept[2] + kept[3]) / 4;
    const double a = (kept[0] - kept[2]) / 2, b = (kept[1] - kept[3]) / 2, swing = std::hypot(a, b);
    if (swing < kStreakSwing * mean) return {};
    Streak streak;
    streak.angle_deg = 0.5 * std::atan2(-b, -a) * 57.29577951308232;
    // Across the streak the contrast is that of the frame's own focus; along it a mean over the length is
    // left.
    const double left = std::clamp((mean - swing) / (mean + swing), 0.02, 1.0);
    streak.length_px = kStreakLength * here.lag_px / left;
    return streak;
}

const char* way_words(double angle_deg) {
    static constexpr const char* ways[] = {"across", "falling to the right", "up and down",
                                           "rising to the right"};
    return ways[((int(std::lround(angle_deg / 45)) % 4) + 4) % 4];
}

std::string bump_words(const FocusProfile& before, const FocusProfile& here, const FocusProfile& after,
                       double part) {
    const std::string keeps = words("it keeps %.0f %% of the detail that both neighbours have", 100 * part);
    if (const auto streak = streak_of(before, here, after))
        return words("blurred over about %.0f px ", streak->length_px) + way_words(streak->angle_deg) +
               words(" (%.0f degrees): ", streak->angle_deg) + keeps;
    return "blurred: " + keeps;
}

/// How two neighbours differ: as a whole shift of the picture, in what is sharp, and block by block in what
/// is left when both are taken off.
struct Pair {
    bool known = false;
    bool even_light = true;  ///< no flicker beyond the normal between the two
    cv::Point2d shift_px;    ///< of the view, from the first to the second
    double sharpness = -1;   ///< 0 alike .. 1; below 0: too little to tell
    cv::Mat1f blocks;        ///< mean difference of the blurred views, 0..1
};

Pair compare(const FocusProfile& one, const FocusProfile& other, cv::Point2d shift_px) {
    Pair pair;
    if (one.view.size() != other.view.size() || one.view.empty() || one.view.rows < 24 || one.view.cols < 24)
        return pair;
    pair.known = true;
    pair.shift_px = shift_px;

    double differ = 0, all = 0;
    int cells = 0;
    double strongest = 0;
    cv::minMaxLoc(cv::max(one.sharpness, other.sharpness), nullptr, &strongest);
    for (int y = 0; y < one.sharpness.rows; ++y)
        for (int x = 0; x < one.sharpness.cols; ++x) {
            const float a = one.sharpness(y, x), b = other.sharpness(y, x);
            if (std::max(a, b) < std::max(0.01, 0.15 * strongest)) continue;
            differ += std::abs(a - b);
            all += a + b;
            ++cells;
        }
    if (cells >= int(kFewestCells)) pair.sharpness = differ / all;

    // Laid over each other and blurred so far that a step of focus changes little.
    const cv::Matx23d back(1, 0, pair.shift_px.x, 0, 1, pair.shift_px.y);
    cv::Mat1f laid, a, b;
    cv::warpAffine(other.view, laid, back, one.view.size(), cv::INTER_LINEAR | cv::WARP_INVERSE_MAP,
                   cv::BORDER_REFLECT_101);
    cv::GaussianBlur(one.view, a, {}, 4);
    cv::GaussianBlur(laid, b, {}, 4);
    const double gain = cv::mean(a)[0] / std::max(1e-6, cv::mean(b)[0]);
    pair.even_light = std::abs(2 * std::log2(gain)) < kExposure_ev;  // the view is a square root
    cv::resize(cv::abs(a - b * gain), pair.blocks, {one.view.cols / kMovedBlock, one.view.rows / kMovedBlock},
               0, 0, cv::INTER_AREA);
    return pair;
}

/// In words, where a place of the unit square lies.
std::string place_words(double across, double down) {
    const std::string row = down < 0.36 ? "top" : down > 0.64 ? "bottom" : "";
    const std::string column = across < 0.36 ? "left" : across > 0.64 ? "right" : "";
    if (row.empty() && column.empty()) return "in the middle";
    if (row.empty()) return "at the " + column;
    return "at the " + row + (column.empty() ? "" : " " + column);
}

/// Blocks that changed between two frames much more than they ever do between others.
std::optional<FrameFlag> moved_between(const Pair& pair, const cv::Mat1f& usual, double usual_all) {
    cv::Mat1b changed(pair.blocks.size(), uchar(0));
    for (int y = 0; y < changed.rows; ++y)
        for (int x = 0; x < changed.cols; ++x) {
            const double own = pair.blocks(y, x);
            if (own > kMovedLight && own > kMovedTimes * (usual(y, x) + usual_all)) changed(y, x) = 255;
        }
    cv::Mat1i labels;
    cv::Mat1i stats;
    cv::Mat1d centres;
    const int count = cv::connectedComponentsWithStats(changed, labels, stats, centres, 8, CV_32S);
    int largest = 0, most = 0;
    for (int i = 1; i < count; ++i)
        if (stats(i, cv::CC_STAT_AREA) > most) most = stats(i, cv::CC_STAT_AREA), largest = i;
    if (most < kMovedFewest) return {};
    return FrameFlag{
        "moved",
        "something moved since the frame before, " + place_words((centres(largest, 0) + 0.5) / changed.cols,
                                                                 (centres(largest, 1) + 0.5) / changed.rows),
        double(most) / double(changed.total())};
}

}  // namespace

bool has_kind(const std::vector<FrameFlag>& flags, const char* kind) {
    return std::any_of(flags.begin(), flags.end(), [&](const FrameFlag& flag) { return flag.kind == kind; });
}

std::vector<std::vector<FrameFlag>> find_faults(const std::vector<FocusProfile>& profiles,
                                                const std::vector<cv::Point2d>& places) {
    const int count = int(profiles.size());
    std::vector<std::vector<FrameFlag>> flags(profiles.size());
    std::vector<double> lights;
    std::vector<float> reds, blues;
    for (const auto& profile : profiles)
        if (!profile.sharpness.empty()) {
            lights.push_back(profile.brightness);
            reds.push_back(float(profile.red));
            blues.push_back(float(profile.blue));
        }
    if (lights.empty()) return flags;
    const double usual_light = std::max(1e-6, median(lights)), usual_red = quantile(reds, 0.5),
                 usual_blue = quantile(blues, 0.5);
    for (int i = 0; i < count; ++i) {
        const FocusProfile& profile = profiles[std::size_t(i)];
        auto& own = flags[std::size_t(i)];
        if (profile.sharpness.empty()) continue;
        std::vector<double> near;
        for (const FocusProfile& other : around_frame(profiles, i)) near.push_back(other.brightness);
        // A long shoot in drifting light has frames that differ from its middle, not from their neighbours.
        flag_light(profile, near.size() < 3 ? usual_light : std::max(1e-6, median(near)), own);
        if (!has_kind(own, "misfire")) {
            const double red = profile.red - usual_red, blue = profile.blue - usual_blue;
            const double off = std::abs(red) > std::abs(blue) ? red : blue;
            if (std::abs(off) > kWhiteBalance)
                own.push_back({"exposure",
                               words((std::string("white balance differs: ") +
                                      (std::abs(red) > std::abs(blue) ? "red" : "blue") + " by %+.0f %%")
                                         .c_str(),
                                     100 * (std::exp2(off) - 1)),
                               off});
        }
    }
    // In the dark noise looks like detail.
    auto shows_nothing = [&](int i) {
        return profiles[std::size_t(i)].sharpness.empty() || has_kind(flags[std::size_t(i)], "misfire");
    };
    for (int i = 0; i < count; ++i) {
        if (shows_nothing(i)) continue;
        const cv::Mat1f around = usual_lights(around_frame(profiles, i));
        if (around.empty()) continue;
        if (const auto band = band_against(profiles[std::size_t(i)].light, around)) {
            // The band explains the lost light.
            std::erase_if(flags[std::size_t(i)],
                          [](const FrameFlag& flag) { return flag.kind == "exposure"; });
            flags[std::size_t(i)].push_back(*band);
        }
    }

    // Pairs of neighbours, over frames that tell nothing.
    std::vector<int> good;
    for (int i = 0; i < count; ++i)
        if (!shows_nothing(i)) good.push_back(i);
    const int pairs_count = int(good.size()) - 1;
    std::vector<Pair> pairs;
    for (int k = 0; k < pairs_count; ++k) {
        const auto one = std::size_t(good[std::size_t(k)]), other = std::size_t(good[std::size_t(k) + 1]);
        pairs.push_back(compare(profiles[one], profiles[other], places[other] - places[one]));
    }
    auto frame = [&](int k) -> const FocusProfile& { return profiles[std::size_t(good[std::size_t(k)])]; };
    auto own_flags = [&](int k) -> std::vector<FrameFlag>& {
        return flags[std::size_t(good[std::size_t(k)])];
    };
    auto banded = [&](int k) { return has_kind(own_flags(k), "band"); };

    // Framing: off against both neighbours, and back again.
    std::vector<double> jumps;
    auto jump = [&](int k) {
        const cv::Point2d off = (pairs[std::size_t(k) - 1].shift_px - pairs[std::size_t(k)].shift_px) * 0.5;
        return std::hypot(off.x, off.y);
    };
    for (int k = 1; k < pairs_count; ++k)
        if (pairs[std::size_t(k) - 1].known && pairs[std::size_t(k)].known) jumps.push_back(jump(k));
    const double usual_jump = jumps.empty() ? 0 : median(jumps);
    for (int k = 1; k < pairs_count; ++k) {
        if (!pairs[std::size_t(k) - 1].known || !pairs[std::size_t(k)].known || banded(k) || banded(k - 1) ||
            banded(k + 1))
            continue;
        const cv::Point2d sum = pairs[std::size_t(k) - 1].shift_px + pairs[std::size_t(k)].shift_px;
        const double off = jump(k), width = frame(k).view.cols;
        if (off > kFramingWidth * width && off > kFramingTimes * usual_jump &&
            std::hypot(sum.x, sum.y) < 0.7 * off)
            own_flags(k).push_back({"framing",
                                    words("%.1f %% of the width off its neighbours", 100 * off / width),
                                    off / width});
    }

    auto framed = [&](int k) { return has_kind(own_flags(k), "framing"); };

    // Bumps: blurred against both neighbours, as no other frame is.
    std::vector<double> kept(good.size(), -1), known_kept, across(good.size(), -1);
    for (int k = 1; k < pairs_count; ++k) {
        if (framed(k - 1) || framed(k) || framed(k + 1)) continue;
        kept[std::size_t(k)] = kept_between(frame(k - 1), frame(k), frame(k + 1));
        across[std::size_t(k)] =
            dissimilarity(profiles, places, good[std::size_t(k) - 1], good[std::size_t(k) + 1]);
        if (kept[std::size_t(k)] >= 0) known_kept.push_back(kept[std::size_t(k)]);
    }
    auto beside = [&](int k) {
        const auto place = std::size_t(k);
        return (dissimilarity(profiles, places, good[place - 1], good[place]) +
                dissimilarity(profiles, places, good[place], good[place + 1])) /
               2;
    };
    const double usual_kept = known_kept.size() < 4 ? 1 : std::clamp(median(known_kept), 0.8, 1.6);
    for (int k = 1; k < pairs_count; ++k)
        // A step of focus makes a frame less unlike its neighbours than these are to each other; a streak
        // does not. And neighbours far apart in focus, as beside a gap, don't tell what lies between.
        if (const double part = kept[std::size_t(k)];
            part >= 0 && part < kBumpKeeps * usual_kept && beside(k) > kBesideBump * across[std::size_t(k)] &&
            across[std::size_t(k)] < kAcrossGap * std::max(0.1, usual_around(across, k, 5)))
            own_flags(k).push_back({"bump", bump_words(frame(k - 1), frame(k), frame(k + 1), part), part});
    auto bumped = [&](int k) { return has_kind(own_flags(k), "bump"); };

    // Duplicates: no step of focus since the frame before.
    auto step_known = [&](int k) {
        return pairs[std::size_t(k)].sharpness >= 0 && !framed(k) && !framed(k + 1) && !bumped(k) &&
               !bumped(k + 1);
    };
    for (int k = 0; k < pairs_count; ++k) {
        const double own = pairs[std::size_t(k)].sharpness;
        if (!step_known(k) || own > kDuplicateMost) continue;
        std::vector<double> others;
        for (int j = std::max(0, k - 4); j <= std::min(pairs_count - 1, k + 4); ++j)
            if (j != k && step_known(j)) others.push_back(pairs[std::size_t(j)].sharpness);
        if (others.size() < 3) continue;
        const double usual = median(others);
        if (own < kDuplicatePart * usual)
            own_flags(k + 1).push_back(
                {"duplicate",
                 words("focused as the frame before: they differ by %.0f %%", 100 * own) +
                     words(", usual are %.0f %%", 100 * usual),
                 own / usual});
    }

    // Moved parts.
    cv::Size grid;
    for (const Pair& pair : pairs)
        if (pair.known) grid = pair.blocks.size();
    auto steady = [&](int k) {
        return pairs[std::size_t(k)].known && pairs[std::size_t(k)].even_light && !banded(k) &&
               !banded(k + 1) && !has_kind(own_flags(k), "framing") && !has_kind(own_flags(k + 1), "framing");
    };
    if (!grid.empty()) {
        cv::Mat1f usual(grid);
        std::vector<float> values, everything;
        for (int y = 0; y < grid.height; ++y)
            for (int x = 0; x < grid.width; ++x) {
                values.clear();
                for (int k = 0; k < pairs_count; ++k)
                    if (steady(k)) values.push_back(pairs[std::size_t(k)].blocks(y, x));
                usual(y, x) = quantile(values, 0.75);
                everything.insert(everything.end(), values.begin(), values.end());
            }
        const double usual_all = quantile(everything, 0.5);
        if (everything.size() >= 4 * std::size_t(grid.area()))
            for (int k = 0; k < pairs_count; ++k)
                if (steady(k))
                    if (const auto moved = moved_between(pairs[std::size_t(k)], usual, usual_all))
                        own_flags(k + 1).push_back(*moved);
    }
    return flags;
}

std::vector<FrameFlag> check_arrival(const std::vector<FocusProfile>& profiles) {
    std::vector<FrameFlag> flags;
    if (profiles.empty() || profiles.back().sharpness.empty()) return flags;
    const FocusProfile& here = profiles.back();
    std::vector<double> lights;
    for (std::size_t i = 0; i + 1 < profiles.size(); ++i)
        if (!profiles[i].sharpness.empty()) lights.push_back(profiles[i].brightness);
    if (lights.empty()) {
        // The first frame: only what no picture shows.
        if (here.brightness < 0.002)
            flags.push_back({"misfire", "almost black: the flash did not fire", here.brightness});
    } else {
        flag_light(here, std::max(1e-6, median(lights)), flags);
    }
    if (has_kind(flags, "misfire")) return flags;
    if (const auto band = band_within(here.light))
        flags.push_back(*band);
    else if (profiles.size() > 1)
        if (const auto fresh = band_against(here.light, usual_lights({profiles.begin(), profiles.end() - 1})))
            flags.push_back(*fresh);
    if (profiles.size() > 2) {
        const FocusProfile &one = profiles[profiles.size() - 2], &two = profiles[profiles.size() - 3];
        if (one.sharpness.size() == here.sharpness.size() && two.sharpness.size() == here.sharpness.size()) {
            // Where the last two were sharp alike the plane of focus cannot have passed in one step.
            std::vector<float> kept;
            double strongest = 0;
            cv::minMaxLoc(cv::min(one.sharpness, two.sharpness), nullptr, &strongest);
            for (int y = 0; y < here.sharpness.rows; ++y)
                for (int x = 0; x < here.sharpness.cols; ++x) {
                    const float last = one.sharpness(y, x);
                    if (last > 0.25 * strongest && last > 0.006f && last > two.sharpness(y, x))
                        kept.push_back(here.sharpness(y, x) / last);
                }
            if (kept.size() >= kFewestCells)
                if (const double part = quantile(kept, 0.5); part < kArrivalKeeps)
                    flags.push_back(
                        {"bump", words("blurred: only %.0f %% of the detail of the frame before", 100 * part),
                         part});
        }
    }
    return flags;
}

}  // namespace moorhaze
