#include "core/focus/focus_profile.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <optional>

#include "core/focus/modified_laplacian.h"
#include "core/picture/luma.h"

namespace moorhaze {
namespace {

constexpr int kLongSideCells = 96;
/// A cell counts as sharp somewhere when its best frame stands out this much above its usual frame.
/// Chosen on the rig's two scenes with noise: pure noise stays below 1.4.
constexpr float kStandsOut = 1.6f;
constexpr double kNothingSharpShare = 0.002;
/// A gap is told from this many missing steps on, as far as overlaps tell them (a lower bound: they fall ever
/// more slowly with distance). Subjects are not equally deep everywhere: on the rig's faultless series
/// neighbours look up to 1.5 steps too far apart, but then several pairs in a row do, so a gap must also
/// stand apart from the pairs beside it.
constexpr double kMisfire_ev = -2.5;
/// A streak of a few pixels leaves about a third of the fine detail; faultless neighbours on the rig's scenes
/// keep 0.85 and more of what both sides have, and 0.6 of what is still rising in the frame before.
constexpr double kBumpKeeps = 0.62, kArrivalKeeps = 0.45;
constexpr std::size_t kFewestCells = 12;
constexpr double kLeastMissing = 1.4, kStandsApart = 0.6;

std::string words(const char* format, double value) {
    char text[160];
    std::snprintf(text, sizeof text, format, value);
    return text;
}

float quantile(std::vector<float> values, double part) {
    if (values.empty()) return 0;
    const auto place = values.begin() + std::ptrdiff_t(part * double(values.size() - 1));
    std::nth_element(values.begin(), place, values.end());
    return *place;
}

/// How much of what is sharp in either frame is sharp in both.
double overlap(const cv::Mat1f& one, const cv::Mat1f& other, const cv::Mat1b& sharp_in_either) {
    double both = 0, either = 0;
    for (int y = 0; y < one.rows; ++y)
        for (int x = 0; x < one.cols; ++x)
            if (sharp_in_either(y, x)) {
                both += std::min(one(y, x), other(y, x));
                either += std::max(one(y, x), other(y, x));
            }
    return either > 0 ? both / either : -1;
}

double median(std::vector<double> values) {
    if (values.empty()) return -1;
    std::nth_element(values.begin(), values.begin() + std::ptrdiff_t(values.size() / 2), values.end());
    return values[values.size() / 2];
}

/// A missing step shows as an overlap between neighbours that elsewhere only more distant frames have.
std::vector<FocusGap> find_gaps(const std::vector<FocusProfile>& profiles, const cv::Mat1i& best,
                                const std::vector<double>& share) {
    constexpr int kFarthest = 6;
    const int count = int(profiles.size());
    auto overlap_of = [&](int i, int j) {
        const auto& one = profiles[std::size_t(i)].sharpness;
        const auto& other = profiles[std::size_t(j)].sharpness;
        if (one.empty() || other.empty() || share[std::size_t(i)] < 4 * kNothingSharpShare ||
            share[std::size_t(j)] < 4 * kNothingSharpShare)
            return -1.0;
        cv::Mat1b mask = (best == i) | (best == j);
        return overlap(one, other, mask);
    };
    std::vector<double> usual;
    for (int distance = 1; distance <= std::min(kFarthest, count - 1); ++distance) {
        std::vector<double> all;
        for (int i = 0; i + distance < count; ++i)
            if (const double value = overlap_of(i, i + distance); value >= 0) all.push_back(value);
        if (all.empty()) break;
        usual.push_back(median(std::move(all)));
    }
    std::vector<FocusGap> gaps;
    if (usual.size() < 2 || count < 5) return gaps;
    std::vector<double> missing(std::size_t(count) - 1,
                                -1);  // steps between each frame and the next; -1: not known
    for (int i = 0; i + 1 < count; ++i) {
        const double value = overlap_of(i, i + 1);
        if (value < 0) continue;
        double distance = double(usual.size());
        for (std::size_t k = 0; k + 1 < usual.size(); ++k)
            if (value <= usual[k] && value > usual[k + 1]) {
                distance = double(k) + 1 + (usual[k] - value) / std::max(1e-6, usual[k] - usual[k + 1]);
                break;
            }
        if (value > usual[0]) distance = 1;
        missing[std::size_t(i)] = distance - 1;
    }
    for (int i = 0; i + 1 < count; ++i) {
        const double here = missing[std::size_t(i)];
        double beside = 0;
        if (i > 0) beside = std::max(beside, missing[std::size_t(i) - 1]);
        if (i + 2 < count) beside = std::max(beside, missing[std::size_t(i) + 1]);
        if (here >= kLeastMissing && here - beside >= kStandsApart) gaps.push_back({i, i + 1, here});
    }
    return gaps;
}

bool has_kind(const std::vector<FrameFlag>& flags, const char* kind) {
    return std::any_of(flags.begin(), flags.end(), [&](const FrameFlag& flag) { return flag.kind == kind; });
}

/// A flash that stayed dark leaves next to nothing; less than that is another exposure.
void flag_light(const FocusProfile& profile, double usual_light, std::vector<FrameFlag>& flags) {
    const double ev = std::log2(std::max(1e-6, profile.brightness) / usual_light);
    if (ev < kMisfire_ev)
        flags.push_back({"misfire", words("%.1f EV darker: the flash did not fire", -ev), ev});
    else if (std::abs(ev) > 0.5)
        flags.push_back({"exposure",
                         words(ev < 0 ? "%.1f EV darker than the series" : "%.1f EV brighter than the series",
                               std::abs(ev)),
                         ev});
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
        if (dark >= 2 && dark < 0.8 * own.rows) return band_flag(side, double(dark) / own.rows);
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

/// Focus passes through a place once: where both neighbours are sharp a good frame is sharp too.
std::optional<FrameFlag> bump_between(const FocusProfile& before, const FocusProfile& here,
                                      const FocusProfile& after) {
    if (before.sharpness.size() != here.sharpness.size() || after.sharpness.size() != here.sharpness.size())
        return {};
    double strongest = 0;
    cv::minMaxLoc(cv::min(before.sharpness, after.sharpness), nullptr, &strongest);
    std::vector<float> kept;
    for (int y = 0; y < here.sharpness.rows; ++y)
        for (int x = 0; x < here.sharpness.cols; ++x) {
            const float both = std::min(before.sharpness(y, x), after.sharpness(y, x));
            if (both > 0.25 * strongest && both > 0.006f) kept.push_back(here.sharpness(y, x) / both);
        }
    if (kept.size() < kFewestCells) return {};
    const double part = quantile(kept, 0.5);
    if (part > kBumpKeeps) return {};
    return FrameFlag{
        "bump", words("blurred: it keeps %.0f %% of the detail that both neighbours have", 100 * part), part};
}

}  // namespace

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

Outcome<FocusProfile> focus_profile(const Frame& frame, int frame_index, const Job& job) {
    Picture picture;
    try {
        picture = read_preview(frame.path, std::min(3000, std::max(frame.info.width, frame.info.height)));
    } catch (const FileError& error) {
        return tl::unexpected(FrameProblem{frame_index, error.what()});
    }
    const ToneCurve curve(picture.profile);
    const cv::Mat1f luma = perceptual_luma(picture, curve, job.quiet());
    const cv::Mat1f detail = modified_laplacian(luma, 2, job.quiet());

    FocusProfile profile;
    const int cell = std::max(4, (std::max(luma.cols, luma.rows) + kLongSideCells - 1) / kLongSideCells);
    const int columns = (luma.cols + cell - 1) / cell, rows = (luma.rows + cell - 1) / cell;
    profile.sharpness.create(rows, columns);
    profile.light.create(rows, columns);
    std::vector<float> levels;
    double light = 0;
    std::size_t clipped = 0;
    for (int row = 0; row < rows; ++row)
        for (int column = 0; column < columns; ++column) {
            const cv::Rect area =
                cv::Rect(column * cell, row * cell, cell, cell) & cv::Rect(0, 0, luma.cols, luma.rows);
            double sum = 0, brightness = 0;
            const double light_before = light;
            for (int y = area.y; y < area.y + area.height; ++y)
                for (int x = area.x; x < area.x + area.width; ++x) {
                    const float value = luma(y, x);
                    // Light at full scale says nothing of focus, and its edges shout.
                    if (value > 0.985f)
                        ++clipped;
                    else
                        sum += detail(y, x);
                    brightness += value;
                    light += double(value) * double(value);
                }
            const double mean = brightness / area.area();
            profile.light(row, column) = float((light - light_before) / area.area());
            const auto level = float(sum / area.area() / (mean + 0.03));
            profile.sharpness(row, column) = level;
            levels.push_back(level);
        }
    // In a close-up most of the picture is out of focus: its quiet fifth shows the noise.
    const float noise = quantile(levels, 0.2);
    for (float& level : profile.sharpness) level = std::max(0.0f, level - noise);
    profile.brightness = light / double(luma.total());
    profile.clipped = double(clipped) / double(luma.total());
    return profile;
}

SeriesProfile profile_series(const std::vector<FocusProfile>& profiles) {
    const int count = int(profiles.size());
    SeriesProfile result;
    result.share.assign(profiles.size(), 0.0);
    result.flags.resize(profiles.size());
    cv::Size grid;
    for (const auto& profile : profiles)
        if (!profile.sharpness.empty()) grid = profile.sharpness.size();
    if (grid.empty()) return result;

    std::vector<double> lights;
    for (const auto& profile : profiles)
        if (!profile.sharpness.empty()) lights.push_back(profile.brightness);
    const double usual_light = std::max(1e-6, median(lights));
    for (int i = 0; i < count; ++i) {
        if (profiles[std::size_t(i)].sharpness.empty()) continue;
        flag_light(profiles[std::size_t(i)], usual_light, result.flags[std::size_t(i)]);
    }
    // In the dark noise looks like detail.
    auto tells_nothing = [&](int i) {
        return profiles[std::size_t(i)].sharpness.empty() ||
               has_kind(result.flags[std::size_t(i)], "misfire");
    };

    cv::Mat1i best(grid, -1);
    std::vector<float> curve;
    for (int y = 0; y < grid.height; ++y)
        for (int x = 0; x < grid.width; ++x) {
            curve.clear();
            int top = -1;
            float top_value = 0;
            for (int i = 0; i < count; ++i) {
                const auto& sharpness = profiles[std::size_t(i)].sharpness;
                if (tells_nothing(i)) continue;
                curve.push_back(sharpness(y, x));
                if (sharpness(y, x) > top_value) top_value = sharpness(y, x), top = i;
            }
            const float usual = quantile(curve, 0.5);
            if (top >= 0 && (count < 3 || top_value > kStandsOut * usual + 0.004f)) {
                best(y, x) = top;
                result.share[std::size_t(top)] += 1.0 / double(grid.area());
            }
        }

    // Most of the subject: what this frame and its neighbours have sharp.
    double most = -1;
    for (int i = 0; i < count; ++i) {
        double near = 0;
        for (int j = std::max(0, i - 2); j <= std::min(count - 1, i + 2); ++j)
            near += result.share[std::size_t(j)];
        near -= 1e-4 * std::abs(i - (count - 1) / 2.0);  // an even race goes to the middle
        if (near > most) most = near, result.suggested_reference = i;
    }

    auto nothing_sharp = [&](int i) { return result.share[std::size_t(i)] < kNothingSharpShare; };
    auto flag_unsharp = [&](int i, const char* where) {
        const double share = result.share[std::size_t(i)];
        result.flags[std::size_t(i)].push_back(
            {"unsharp",
             words((std::string(where) + ": %.1f %% of the picture is sharpest here").c_str(), 100 * share),
             share});
    };
    if (count > 2) {
        int first = 0, last = count - 1;
        while (first < count && nothing_sharp(first)) ++first;
        while (last > first && nothing_sharp(last)) --last;
        if (first < count) {
            for (int i = 0; i < first; ++i) flag_unsharp(i, "in front of the subject");
            for (int i = last + 1; i < count; ++i) flag_unsharp(i, "behind the subject");
        }
    }
    const cv::Mat1f usual_grid = usual_lights(profiles);
    for (int i = 0; i < count; ++i) {
        auto& flags = result.flags[std::size_t(i)];
        if (tells_nothing(i)) continue;
        if (const auto band = band_against(profiles[std::size_t(i)].light, usual_grid))
            flags.push_back(*band);
        if (i > 0 && i + 1 < count && !tells_nothing(i - 1) && !tells_nothing(i + 1))
            if (const auto bump = bump_between(profiles[std::size_t(i) - 1], profiles[std::size_t(i)],
                                               profiles[std::size_t(i) + 1]))
                flags.push_back(*bump);
    }
    result.gaps = find_gaps(profiles, best, result.share);
    return result;
}

float sharpness_at(const FocusProfile& profile, double x, double y) {
    const cv::Mat1f& grid = profile.sharpness;
    if (grid.empty()) return 0;
    const double column = std::clamp(x * grid.cols - 0.5, 0.0, double(grid.cols - 1));
    const double row = std::clamp(y * grid.rows - 0.5, 0.0, double(grid.rows - 1));
    const int left = std::min(int(column), std::max(0, grid.cols - 2)),
              top = std::min(int(row), std::max(0, grid.rows - 2));
    const int right = std::min(left + 1, grid.cols - 1), bottom = std::min(top + 1, grid.rows - 1);
    const auto across = float(column - left), down = float(row - top);
    return std::lerp(std::lerp(grid(top, left), grid(top, right), across),
                     std::lerp(grid(bottom, left), grid(bottom, right), across), down);
}

}  // namespace moorhaze
