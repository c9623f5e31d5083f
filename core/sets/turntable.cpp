// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/turntable.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/files/picture_file.h"
#include "core/finish/framing.h"
#include "core/finish/ground.h"
#include "core/picture/block_means.h"
#include "core/work/words.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;

constexpr int kReducedSide = 900;  // px of the longest side of views that are looked at together
constexpr float kWhite = 65535;
constexpr int kRounds = 4;
constexpr double kCorner = 0.03;     // of the picture: where the ground is looked for
constexpr int kLeastWidth = 5;       // px; narrower rows are hairs, or the top of a round thing
constexpr double kSameShare = 0.12;  // of the usual difference between neighbours: the same view again
constexpr float kLuminance[] = {0.2126f, 0.7152f, 0.0722f};  // ITU-R BT.709

/// The object's share of each pixel, 0..1: the largest thing that is no ground.
cv::Mat1f object_of(const GroundMap& ground) {
    cv::Mat1b object;
    cv::threshold(ground.share, object, 127, 255, cv::THRESH_BINARY_INV);
    cv::Mat1i labels, stats;
    cv::Mat1d centres;
    const int count = cv::connectedComponentsWithStats(object, labels, stats, centres, 8, CV_32S);
    int largest = 0;
    for (int i = 1; i < count; ++i)
        if (largest == 0 || stats(i, cv::CC_STAT_AREA) > stats(largest, cv::CC_STAT_AREA)) largest = i;
    cv::Mat1f share(ground.share.size(), 0.f);
    if (largest == 0) return share;
    // What is mixed at its rim belongs to it, too.
    cv::Mat1b own = labels == largest, near;
    cv::dilate(own, near, cv::Mat::ones(3, 3, CV_8U), {-1, -1}, 2);
    for (int y = 0; y < share.rows; ++y)
        for (int x = 0; x < share.cols; ++x)
            if (near(y, x)) share(y, x) = 1 - float(ground.share(y, x)) / 255;
    return share;
}

/// Where a row passes through one half, from outside; -1: it does not.
double edge_in(const float* row, int from, int step, int count) {
    for (int i = 0, x = from; i < count; ++i, x += step)
        if (row[x] >= 0.5f) {
            if (i == 0) return x;
            const float before = row[x - step];
            return x - step * double(row[x] - 0.5f) / std::max(1e-6f, row[x] - before);
        }
    return -1;
}

Outline outline_of(const cv::Mat1f& object) {
    Outline outline;
    for (int y = 1; y + 1 < object.rows; ++y) {
        const float* row = object.ptr<float>(y);
        const double left = edge_in(row, 0, 1, object.cols);
        if (left < 0) continue;
        const double right = edge_in(row, object.cols - 1, -1, object.cols);
        if (right - left < kLeastWidth) continue;
        // What runs out of the picture has no outline there.
        if (left < 1 || right > object.cols - 2) continue;
        outline.rows.push_back(y);
        outline.left.push_back(left);
        outline.right.push_back(right);
    }
    return outline;
}

double median_of(std::vector<double> values) {
    std::nth_element(values.begin(), values.begin() + std::ptrdiff_t(values.size() / 2), values.end());
    return values[values.size() / 2];
}

/// One side of an outline as it lies when the picture is turned: x at whole rows; no value where it has none.
std::vector<std::optional<double>> turned_side(const std::vector<int>& rows, const std::vector<double>& side,
                                               double middle, double slope, int height) {
    const double scale = 1 / std::hypot(1, slope), across = scale, down = slope * scale;
    std::vector<std::optional<double>> turned(static_cast<std::size_t>(height));
    std::optional<cv::Point2d> before;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const double y = rows[i] - middle;
        const cv::Point2d place(side[i] * across - y * down, side[i] * down + y * across + middle);
        if (before && i > 0 && rows[i] == rows[i - 1] + 1)
            for (int row = int(std::ceil(std::min(before->y, place.y)));
                 row <= int(std::floor(std::max(before->y, place.y))); ++row) {
                if (row < 0 || row >= height || before->y == place.y) continue;
                const double share = (row - before->y) / (place.y - before->y);
                turned[std::size_t(row)] = before->x + share * (place.x - before->x);
            }
        before = place;
    }
    return turned;
}

/// A line x = at + slope * (y - middle) through the middles of rows that all views have.
struct Axis {
    double at = 0, slope = 0, middle = 0;
};

/// Fits a line by least squares; rows at which something ends in some views only stand aside and count less.
Axis line_through(const std::vector<double>& rows, const std::vector<double>& middles, double middle) {
    Axis axis{0, 0, middle};
    std::vector<double> weights(rows.size(), 1);
    for (int round = 0; round < 8; ++round) {
        double all = 0, y = 0, x = 0, yy = 0, xy = 0;
        for (std::size_t i = 0; i < rows.size(); ++i) {
            const double w = weights[i], v = rows[i] - middle;
            all += w, y += w * v, x += w * middles[i], yy += w * v * v, xy += w * v * middles[i];
        }
        axis.slope = (all * xy - y * x) / std::max(1e-9, all * yy - y * y);
        axis.at = (x - axis.slope * y) / all;
        std::vector<double> off;
        for (std::size_t i = 0; i < rows.size(); ++i)
            off.push_back(std::abs(middles[i] - axis.at - axis.slope * (rows[i] - middle)));
        const double usual = std::max(0.02, 1.4826 * median_of(off));
        for (std::size_t i = 0; i < rows.size(); ++i)
            weights[i] = 1 / (1 + off[i] * off[i] / (4 * usual * usual));
    }
    return axis;
}

/// Rows run across the axis only once it is upright: each round turns the outlines by what was found so far.
Axis axis_of(const std::vector<Outline>& outlines, int height) {
    double first = 0, last = 0;
    for (const Outline& own : outlines) first += own.rows.front(), last += own.rows.back();
    const double middle = (first + last) / (2 * double(outlines.size()));
    double slope = 0, at = 0;
    for (int round = 0; round < kRounds; ++round) {
        std::vector<double> sum(std::size_t(height), 0);
        std::vector<int> seen(std::size_t(height), 0);
        for (const Outline& own : outlines) {
            const auto left = turned_side(own.rows, own.left, middle, slope, height);
            const auto right = turned_side(own.rows, own.right, middle, slope, height);
            for (std::size_t y = 0; y < sum.size(); ++y)
                if (left[y] && right[y]) sum[y] += (*left[y] + *right[y]) / 2, ++seen[y];
        }
        std::vector<double> rows, middles;
        for (int y = 0; y < height; ++y)
            if (seen[std::size_t(y)] == int(outlines.size())) {
                rows.push_back(y);
                middles.push_back(sum[std::size_t(y)] / double(outlines.size()));
            }
        if (rows.size() < 8)
            throw BadParameter("the views show no object that stands free of the picture's border");
        const Axis found = line_through(rows, middles, middle);
        // Angles add up.
        slope = std::tan(std::atan(slope) + std::atan(found.slope));
        at = found.at;
    }
    // Back from the turned picture: there the axis is x = at.
    return {at * std::hypot(1, slope), slope, middle};
}

double brightness(const cv::Vec3f& light) {
    return kLuminance[0] * light[0] + kLuminance[1] * light[1] + kLuminance[2] * light[2];
}

/// How much two views differ: mean difference of their light.
double difference(const cv::Mat3w& one, const cv::Mat3w& other) {
    return cv::norm(one, other, cv::NORM_L1) / (double(kWhite) * double(3 * one.total()));
}

/// Turned as the rule says, without a crop.
Framing levelling(const TurntableLook& look, const TurntableRule& rule) {
    Framing framing;
    if (rule.level) {
        framing.turn_deg = look.tilt_deg;
        framing.turned_about = {look.axis_x, look.axis_y};
    }
    framing.corners = EmptyCorners::continued;
    return framing;
}

/// From the pixels of a reduced picture to full ones, of which its first lie at a corner.
cv::Matx33d enlarging(int shrink, cv::Point corner) {
    const double half = (shrink - 1) / 2.0;
    return {double(shrink), 0, half + corner.x, 0, double(shrink), half + corner.y, 0, 0, 1};
}

}  // namespace

double Outline::centre() const {
    double sum = 0;
    for (std::size_t i = 0; i < rows.size(); ++i) sum += (left[i] + right[i]) / 2;
    return rows.empty() ? 0 : sum / double(rows.size());
}

TurntableLook look_at_views(const std::vector<fs::path>& views, std::optional<cv::Point2d> ground,
                            double reach, const Job& job) {
    if (views.size() < 2) throw BadParameter("a turntable has two views at least");
    TurntableLook look;
    std::vector<cv::Mat3w>& reduced = look.views;
    cv::Mat1b always_ground;
    int& side = look.shrink;
    for (std::size_t i = 0; i < views.size(); ++i) {
        const Job own = job.part(double(i) / double(views.size()), double(i + 1) / double(views.size()));
        const Picture picture = with_bits(read_picture(views[i], {}, own.quiet()), 16);
        const cv::Size size = picture.pixels.size();
        if (i == 0) {
            look.size = size;
            look.ground = ground.value_or(cv::Point2d(kCorner * size.width, kCorner * size.height));
            side = std::max(1, (std::max(size.width, size.height) + kReducedSide - 1) / kReducedSide);
            look.profile = picture.profile;
        } else if (size != look.size) {
            throw FileError(views[i].string() + ": is " + std::to_string(size.width) + "x" +
                            std::to_string(size.height) + ", the views before it " +
                            std::to_string(look.size.width) + "x" + std::to_string(look.size.height) +
                            ". Views of a turntable need one camera that stands still.");
        }
        const ToneCurve curve(picture.profile);
        const GroundMap map = ground_of(picture, curve, look.ground, reach, own.part(0, 0.8));
        look.outlines.push_back(outline_of(object_of(map)));
        if (look.outlines.back().rows.empty())
            throw BadParameter(
                views[i].string() +
                ": no object stands out of the ground. Pick a place of the ground, or change its "
                "reach.");
        reduced.emplace_back();
        block_means(picture, curve, side, own.quiet()).convertTo(reduced.back(), CV_16U, kWhite);
        cv::Mat1b surely(reduced.back().size(), std::uint8_t(255));
        for (int y = 0; y < size.height; ++y)
            for (int x = 0; x < size.width; ++x)
                if (map.share(y, x) < 250) surely(y / side, x / side) = 0;
        if (i == 0)
            always_ground = surely;
        else
            always_ground &= surely;
        own.checkpoint(1);
    }
    // Shadows lie beside the object: the ground counts where it is free all around.
    cv::erode(always_ground, always_ground, cv::Mat::ones(5, 5, CV_8U), {-1, -1}, 1, cv::BORDER_CONSTANT,
              cv::Scalar(255));
    const Axis axis = axis_of(look.outlines, look.size.height);
    look.axis_x = axis.at;
    look.axis_y = axis.middle;
    look.tilt_deg = std::atan(axis.slope) * 180 / CV_PI;

    std::vector<double> lights;
    for (const cv::Mat3w& view : reduced) {
        double sum = 0;
        int count = 0;
        for (int y = 0; y < view.rows; ++y)
            for (int x = 0; x < view.cols; ++x)
                if (always_ground(y, x)) sum += brightness(cv::Vec3f(view(y, x))), ++count;
        lights.push_back(count > 0 ? sum / count : 0);
    }
    const double usual_light = median_of(lights);
    if (usual_light <= 0)
        look.remarks.push_back("no ground is free in all views: their light stays as it is");
    for (const double own : lights) look.gains.push_back(own > 0 && usual_light > 0 ? usual_light / own : 1);

    std::vector<double> steps;
    const std::size_t count = reduced.size();
    for (std::size_t i = 0; i < count; ++i) steps.push_back(difference(reduced[i], reduced[(i + 1) % count]));
    const double usual_step = median_of(steps);
    for (std::size_t i = 0; i < count && count > 2; ++i)
        if (steps[i] < kSameShare * usual_step)
            look.remarks.push_back("views " + std::to_string(i + 1) + " and " +
                                   std::to_string((i + 1) % count + 1) +
                                   " show the same: one is there twice");
    return look;
}

Framing framing_of_views(const TurntableLook& look, const TurntableRule& rule) {
    const PixelRect all({}, look.size);
    Framing framing = levelling(look, rule);
    if (rule.crop) {
        framing.crop = rule.crop;
        kept_of(framing, all);
        return framing;
    }
    const cv::Matx33d turned = to_turned(framing);
    const auto at = [&](double x, double y) {
        const cv::Vec3d place = turned * cv::Vec3d(x, y, 1);
        return cv::Point2d(place[0] / place[2], place[1] / place[2]);
    };
    const double axis = at(look.axis_x, look.axis_y).x;
    double reach = 0, top = 1e9, bottom = -1e9;
    for (const Outline& own : look.outlines)
        for (std::size_t i = 0; i < own.rows.size(); ++i)
            for (const double x : {own.left[i], own.right[i]}) {
                const cv::Point2d place = at(x, own.rows[i]);
                reach = std::max(reach, std::abs(place.x - axis));
                top = std::min(top, place.y), bottom = std::max(bottom, place.y);
            }
    const double margin = rule.margin * std::max(2 * reach, bottom - top);
    const PixelRect inside = turned_area(framing, all);
    // As wide to the left of the axis as to the right, within the picture.
    const double most = std::min(axis - inside.x, inside.x + inside.width - 1 - axis);
    const int half = int(std::floor(std::min(reach + margin, most)));
    const int from = std::max(inside.y, int(std::floor(top - margin)));
    const int to = std::min(inside.y + inside.height - 1, int(std::ceil(bottom + margin)));
    framing.crop = PixelRect(int(std::lround(axis)) - half, from, 2 * half + 1, to - from + 1);
    kept_of(framing, all);
    return framing;
}

PixelRect levelled_area(const TurntableLook& look, const TurntableRule& rule) {
    return turned_area(levelling(look, rule), PixelRect({}, look.size));
}

Picture levelled_views(const TurntableLook& look, const TurntableRule& rule, ViewsShown shown, int view) {
    const auto light_of = [&](std::size_t i) {
        cv::Mat3f light;
        look.views[i].convertTo(light, CV_32F, (rule.even_light ? look.gains[i] : 1.0) / double(kWhite));
        return light;
    };
    cv::Mat3f light = light_of(shown == ViewsShown::one ? std::size_t(view) : 0);
    for (std::size_t i = 1; i < look.views.size() && shown != ViewsShown::one; ++i) {
        const cv::Mat3f own = light_of(i);
        if (shown == ViewsShown::darkest)
            cv::min(cv::InputArray(light), cv::InputArray(own), cv::OutputArray(light));
        if (shown == ViewsShown::lightest)
            cv::max(cv::InputArray(light), cv::InputArray(own), cv::OutputArray(light));
        if (shown == ViewsShown::mean) light += own;
    }
    if (shown == ViewsShown::mean) light /= double(look.views.size());
    const PixelRect area = levelled_area(look, rule);
    const cv::Matx33d matrix = enlarging(look.shrink, area.tl()).inv() * to_turned(levelling(look, rule)) *
                               enlarging(look.shrink, {});
    const cv::Size size((area.width + look.shrink - 1) / look.shrink,
                        (area.height + look.shrink - 1) / look.shrink);
    cv::Mat3f turned;
    cv::warpPerspective(light, turned, matrix, size, cv::INTER_LINEAR, cv::BORDER_REPLICATE);
    return from_linear(turned, ToneCurve(look.profile), look.profile);
}

Finish finish_of_view(Finish finish, const TurntableLook& look, const TurntableRule& rule, int view) {
    finish.framing = framing_of_views(look, rule);
    if (rule.even_light)
        finish.light.exposure_ev =
            std::clamp(finish.light.exposure_ev + std::log2(look.gains[std::size_t(view)]), -5.0, 5.0);
    if (rule.white_ground && !finish.ground.picked) {
        finish.ground.picked = look.ground;
        finish.ground.keep_shadow = 0;
    }
    return finish;
}

}  // namespace moorhaze
