// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/ground.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/picture/block_means.h"
#include "core/picture/luma.h"
#include "core/work/errors.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kGroundSide = 900;
constexpr int kTerms = 6;               // of a quadratic surface
constexpr int kRounds = 5;              // of fitting and choosing anew
constexpr int kFitEach = 3;             // reduced px: a smooth surface needs no more places
constexpr float kDeepestShadow = 0.3f;  // of the ground's light; darker is no ground
constexpr float kColourShare = 0.6f;    // of the reach: how far colours may differ
constexpr float kSteepest = 0.035f;     // log of light per reduced pixel; steeper is an edge
constexpr int kEdgePx = 4;              // where ground and subject may be mixed, beyond what is ground
constexpr int kMostBlurPx = 40;         // of blurred edges, however large the picture is
constexpr float kMixedThing = 0.35f;    // more of the ground in what lies inside of an edge: it is blurred
constexpr float kOffLine = 0.04f;       // of the ground's light: a mixture lies between both in colour, too
constexpr float kBlurredShare = 0.4f;   // more of the ground at the inner end of a sharp edge: it is blurred
constexpr float kFarthest = 2;          // times the blur's width: what lies farther off is another thing
constexpr float kRampShare = 0.6f;      // of the blur's width that an even ramp takes
constexpr int kPiecePx = 384, kPieceRoomPx = 96;  // edges are told in pieces, with so much around them
constexpr float kFalls = 1.5f;                    // power by which it falls from pixel to pixel inwards
constexpr float kUnsure = 0.08f;     // share of the ground's light: so different a subject is told half
constexpr float kLeastMixed = 0.1f;  // less of the ground in a pixel is left there
constexpr float kMostMixed = 0.9f;   // more of it is ground with the merge's own unrest beside an edge
constexpr uchar kNear = 128;         // beside what was found reduced: the subject's edge may lie there
constexpr int kNearPx = 5;           // so far, reduced
constexpr int kIslandPx = 3;         // side of an island that may be ground, reduced
constexpr int kLevelPx = 5;          // side of the square that a level is the mean of, reduced
constexpr float kLeastGrain = 0.006f,
                kGrains = 3.5f;  // beside the edge ground is told by its light: sigma, times

float brightness(const cv::Vec3f& light) {
    return kLuminance[0] * light[0] + kLuminance[1] * light[1] + kLuminance[2] * light[2];
}

cv::Vec3f ratio(const cv::Vec3f& light, const cv::Vec3f& ground) {
    return {light[0] / ground[0], light[1] / ground[1], light[2] / ground[2]};
}

/// How far a colour is from the ground's, whatever their light.
float colour_difference(const cv::Vec3f& share) {
    const float mean = (share[0] + share[1] + share[2]) / 3;
    return std::max({std::abs(share[0] - mean), std::abs(share[1] - mean), std::abs(share[2] - mean)}) /
           std::max(mean, 1e-3f);
}

/// A quadratic surface through the logarithm of light at the marked places, by least squares.
cv::Mat3f smooth_light(const cv::Mat3f& light, const cv::Mat1b& marked, const Job& job) {
    auto terms = [&](int y, int x) {
        const double u = 2.0 * x / std::max(1, light.cols - 1) - 1,
                     v = 2.0 * y / std::max(1, light.rows - 1) - 1;
        return cv::Vec<double, kTerms>(1, u, v, u * u, u * v, v * v);
    };
    cv::Matx<double, kTerms, kTerms> normal = cv::Matx<double, kTerms, kTerms>::eye() * 1e-3;
    cv::Matx<double, kTerms, 3> right = cv::Matx<double, kTerms, 3>::zeros();
    for (int y = kFitEach / 2; y < light.rows; y += kFitEach)
        for (int x = kFitEach / 2; x < light.cols; x += kFitEach) {
            if (!marked(y, x)) continue;
            const auto own = terms(y, x);
            normal += own * own.t();
            for (int c = 0; c < 3; ++c)
                for (int k = 0; k < kTerms; ++k)
                    right(k, c) += own[k] * std::log(std::max(1e-4f, light(y, x)[c]));
        }
    const cv::Matx<double, kTerms, 3> found = normal.inv(cv::DECOMP_CHOLESKY) * right;
    cv::Mat3f smooth(light.size());
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x) {
            const auto own = terms(y, x);
            for (int c = 0; c < 3; ++c) {
                double sum = 0;
                for (int k = 0; k < kTerms; ++k) sum += own[k] * found(k, c);
                smooth(y, x)[c] = float(std::exp(std::clamp(sum, -9.0, 1.0)));
            }
        }
    });
    return smooth;
}

/// A plane at any place of it, between its nearest four.
template <class Value, class Plane>
Value between_four(const Plane& plane, double x, double y) {
    const double at_x = std::clamp(x, 0.0, double(plane.cols - 1)),
                 at_y = std::clamp(y, 0.0, double(plane.rows - 1));
    const int left = int(at_x), top = int(at_y);
    const int right = std::min(left + 1, plane.cols - 1), below = std::min(top + 1, plane.rows - 1);
    const auto dx = float(at_x - left), dy = float(at_y - top);
    const Value upper = Value(plane(top, left)) * (1 - dx) + Value(plane(top, right)) * dx,
                lower = Value(plane(below, left)) * (1 - dx) + Value(plane(below, right)) * dx;
    return upper * (1 - dy) + lower * dy;
}

/// Where a picture's pixel lies in a reduced plane.
double reduced(double place, double shrink) {
    return (place - (shrink - 1) / 2) / shrink;
}

/// What of `may` is connected with a place.
cv::Mat1b connected(const cv::Mat1b& may, cv::Point at) {
    cv::Mat1i labels;
    cv::connectedComponents(may, labels, 4, CV_32S);
    cv::Mat1b found = cv::Mat1b::zeros(may.size());
    if (const int own = labels(at); own > 0) found = labels == own;
    return found;
}

/// What of `may` is connected with a seed, corners counting.
/// @param is_seed  of a place.
template <class IsSeed>
cv::Mat1b connected_with(const cv::Mat1b& may, const IsSeed& is_seed) {
    cv::Mat1i labels;
    const int count = cv::connectedComponents(may, labels, 8, CV_32S);
    std::vector<uchar> has_seed(std::size_t(count), 0);
    for (int y = 0; y < may.rows; ++y)
        for (int x = 0; x < may.cols; ++x)
            if (may(y, x) && is_seed(y, x)) has_seed[std::size_t(labels(y, x))] = 255;
    cv::Mat1b found(may.size());
    // What may not be has the label 0, which has no seed.
    for_rows(may.rows, Job{}, [&](int y) {
        for (int x = 0; x < may.cols; ++x) found(y, x) = has_seed[std::size_t(labels(y, x))];
    });
    return found;
}

/// What of the picture's rim is connected along it with ground, by its light and colour alone. A narrow strip
/// between a subject's blurred edge and the end of the picture is steep all over, yet ground at its rim.
cv::Mat1b along_rim(const cv::Mat1b& around, const cv::Mat1b& alike) {
    cv::Mat1b rim(around.size(), std::uint8_t(255));
    if (rim.cols > 4 && rim.rows > 4) rim(cv::Rect(2, 2, rim.cols - 4, rim.rows - 4)).setTo(0);
    return connected_with(rim & (alike | around), [&](int y, int x) { return around(y, x) != 0; });
}

struct ReducedGround {
    cv::Mat3f light;   // smooth
    cv::Mat1b around;  // 255: ground; kNear: looked for more strictly; 0: none
    cv::Mat1f
        level;  // how light it is against `light` (less in a shadow), of the nearest place that is ground
};

/// The level of each place's nearest place that is ground, a mean over what is ground around that.
cv::Mat1f nearest_level(const cv::Mat3f& light, const cv::Mat3f& ground, const cv::Mat1b& inner) {
    cv::Mat1f sum(light.size(), 0.f), count(light.size(), 0.f);
    for (int y = 0; y < light.rows; ++y)
        for (int x = 0; x < light.cols; ++x)
            if (inner(y, x)) {
                sum(y, x) = brightness(light(y, x)) / brightness(ground(y, x));
                count(y, x) = 1;
            }
    cv::boxFilter(sum, sum, -1, {kLevelPx, kLevelPx}, {-1, -1}, false, cv::BORDER_CONSTANT);
    cv::boxFilter(count, count, -1, {kLevelPx, kLevelPx}, {-1, -1}, false, cv::BORDER_CONSTANT);
    cv::Mat1f unused;
    cv::Mat1i nearest;
    cv::distanceTransform(inner == 0, unused, nearest, cv::DIST_L2, 5, cv::DIST_LABEL_PIXEL);
    std::vector<float> levels(light.total() + 1, 1.0f);
    for (int y = 0; y < light.rows; ++y)
        for (int x = 0; x < light.cols; ++x)
            if (inner(y, x)) levels[std::size_t(nearest(y, x))] = sum(y, x) / count(y, x);
    cv::Mat1f level(light.size());
    for (int y = 0; y < light.rows; ++y)
        for (int x = 0; x < light.cols; ++x) level(y, x) = levels[std::size_t(nearest(y, x))];
    cv::boxFilter(level, level, -1, {kLevelPx, kLevelPx});
    return level;
}

ReducedGround find_reduced(const cv::Mat3f& light, cv::Point picked, double reach, const Job& job) {
    cv::Vec3f sum;
    const cv::Rect nearby = cv::Rect(picked.x - 2, picked.y - 2, 5, 5) & cv::Rect({}, light.size());
    for (int y = nearby.y; y < nearby.br().y; ++y)
        for (int x = nearby.x; x < nearby.br().x; ++x) sum += light(y, x);
    const cv::Vec3f own = sum * (1.0f / float(nearby.area()));
    if (*std::min_element(own.val, own.val + 3) < 1e-3f)
        throw BadParameter("the picked ground is black; pick a lighter place of it");
    // Edges are never ground, and keep a thing of the ground's colour apart from it.
    cv::Mat1b flat(light.size());
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x) {
            const float here = std::log(std::max(1e-4f, brightness(light(y, x))));
            float steepest = 0;
            for (const auto& [dx, dy] : {std::pair(1, 0), {-1, 0}, {0, 1}, {0, -1}}) {
                const int u = std::clamp(x + dx, 0, light.cols - 1),
                          v = std::clamp(y + dy, 0, light.rows - 1);
                steepest =
                    std::max(steepest, std::abs(std::log(std::max(1e-4f, brightness(light(v, u)))) - here));
            }
            flat(y, x) = steepest < kSteepest ? 255 : 0;
        }
    });
    flat(nearby) = 255;
    cv::Mat3f ground(light.size(), own);
    cv::Mat1b found;
    for (int round = 0; round < kRounds; ++round) {
        job.checkpoint(double(round) / kRounds);
        // At first light may run off farther than at last, when its surface is known.
        const float darkest = round == 0 ? 0.6f : 1 - float(reach);
        const float brightest = round == 0 ? 1.7f : 1 + 2 * float(reach);
        cv::Mat1b may(light.size());
        for_rows(light.rows, job, [&](int y) {
            for (int x = 0; x < light.cols; ++x) {
                const cv::Vec3f share = ratio(light(y, x), ground(y, x));
                const float level = brightness(light(y, x)) / brightness(ground(y, x));
                may(y, x) = flat(y, x) && level > darkest && level < brightest &&
                                    colour_difference(share) < kColourShare * float(reach)
                                ? 255
                                : 0;
            }
        });
        may(nearby) = 255;
        found = connected(may, picked);
        ground = smooth_light(light, found, job.quiet());
    }
    // Shadows on it: connected, without an edge, of its colour.
    cv::Mat1b shaded(light.size()), alike(light.size());
    for_rows(light.rows, job, [&](int y) {
        for (int x = 0; x < light.cols; ++x) {
            const cv::Vec3f share = ratio(light(y, x), ground(y, x));
            const float level = brightness(light(y, x)) / brightness(ground(y, x));
            const bool has_colour = colour_difference(share) < kColourShare * float(reach);
            shaded(y, x) = flat(y, x) && level > kDeepestShadow && has_colour ? 255 : found(y, x);
            alike(y, x) = has_colour && std::abs(level - 1) < float(reach) ? 255 : 0;
        }
    });
    ReducedGround made{ground, connected(shaded, picked), {}};
    // Small islands within are ground with dust or grain on it; the edge's own pixels are decided at full
    // size.
    cv::morphologyEx(made.around, made.around, cv::MORPH_CLOSE,
                     cv::getStructuringElement(cv::MORPH_ELLIPSE, {3, 3}));
    const cv::Mat1b rim = along_rim(made.around, alike);
    cv::Mat1b inner, outer;
    cv::erode(made.around, inner, cv::getStructuringElement(cv::MORPH_ELLIPSE, {5, 5}), {-1, -1}, 1,
              cv::BORDER_CONSTANT, cv::Scalar::all(255));
    cv::dilate(made.around | rim, outer,
               cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * kNearPx + 1, 2 * kNearPx + 1}));
    made.around.setTo(0);
    made.around.setTo(kNear, outer);
    made.around.setTo(255, inner);
    made.level = nearest_level(light, ground, inner | rim);
    return made;
}

/// Ground is mixed in less the farther in: each ring around it holds the next one down. What a pixel can have
/// is a power of the most that one beside it, nearer to the ground, has: a blurred edge's even ramp fits
/// under it, and of a sharp edge hardly anything is left two pixels in. Farther in only what is blurred over
/// many pixels goes on, and the power is that of a longer ramp.
void hold_inwards(cv::Mat1b& share, const cv::Mat1f& from_ground, int far_px) {
    std::vector<std::vector<cv::Point>> rings(std::size_t(far_px) + 1);
    for (int y = 0; y < share.rows; ++y)
        for (int x = 0; x < share.cols; ++x)
            if (const int ring = int(std::ceil(from_ground(y, x)));
                ring >= 2 && ring <= far_px && share(y, x))
                rings[std::size_t(ring)].emplace_back(x, y);
    cv::Mat1b is_blurred = cv::Mat1b::zeros(share.size());
    const float far_falls = std::pow(kFalls, 1 / std::max(1.0f, kRampShare * float(far_px) / kEdgePx));
    for (int ring = 2; ring <= far_px; ++ring)
        for (const cv::Point at : rings[std::size_t(ring)]) {
            int most = 0;
            bool goes_on = false;
            for (int v = std::max(0, at.y - 1); v <= std::min(share.rows - 1, at.y + 1); ++v)
                for (int u = std::max(0, at.x - 1); u <= std::min(share.cols - 1, at.x + 1); ++u) {
                    const float other = from_ground(v, u);
                    if (!(other > float(ring - 2) && other <= float(ring - 1))) continue;
                    most = std::max<int>(most, share(v, u));
                    goes_on = goes_on || is_blurred(v, u);
                }
            if (ring > kEdgePx && !goes_on) most = 0;
            const float held = std::pow(float(most) / 255, ring <= kEdgePx ? kFalls : far_falls);
            share(at) = std::min(share(at), uchar(std::lround(255 * held)));
            is_blurred(at) = goes_on || (ring == kEdgePx && float(share(at)) > kBlurredShare * 255);
        }
}

/// Each pixel's nearest place that is farther than so many pixels from the ground; (-1, -1): none.
class NearestInside {
  public:
    NearestInside(const cv::Mat1f& from_ground, int px) {
        const cv::Mat1b outside = from_ground <= float(px);
        cv::Mat1f unused;
        cv::distanceTransform(outside, unused, nearest_, cv::DIST_L2, 5, cv::DIST_LABEL_PIXEL);
        double labels = 0;
        cv::minMaxLoc(nearest_, nullptr, &labels);
        places_.assign(std::size_t(labels) + 1, {-1, -1});
        for (int y = 0; y < nearest_.rows; ++y)
            for (int x = 0; x < nearest_.cols; ++x)
                if (!outside(y, x)) places_[std::size_t(nearest_(y, x))] = {x, y};
    }
    cv::Point of(int y, int x) const { return places_[std::size_t(nearest_(y, x))]; }

  private:
    cv::Mat1i nearest_;
    std::vector<cv::Point> places_;
};

/// Small islands of subject in the ground that are nearly of its light are ground as well: a merge is uneven
/// beside a blurred edge.
/// @param is_alike  of a place.
template <class Alike>
void fill_islands(cv::Mat1b& ground, int most_px, const Alike& is_alike) {
    cv::Mat labels, stats, centres;
    const int count = cv::connectedComponentsWithStats(ground == 0, labels, stats, centres, 4, CV_32S);
    const cv::Rect inside(1, 1, ground.cols - 2, ground.rows - 2);
    for (int i = 1; i < count; ++i) {
        const int* own = stats.ptr<int>(i);
        const cv::Rect box(own[cv::CC_STAT_LEFT], own[cv::CC_STAT_TOP], own[cv::CC_STAT_WIDTH],
                           own[cv::CC_STAT_HEIGHT]);
        // What reaches the piece's end may be part of something larger.
        if (own[cv::CC_STAT_AREA] > most_px || (box & inside) != box) continue;
        bool is_ground = true;
        for (int y = box.y; y < box.br().y; ++y)
            for (int x = box.x; x < box.br().x && is_ground; ++x)
                is_ground = labels.at<int>(y, x) != i || is_alike(y, x);
        if (is_ground) ground(box).setTo(255, labels(box) == i);
    }
}

/// How far a light is on the way from another to the ground's: 0..1.
float share_between(const cv::Vec3f& light, const cv::Vec3f& thing, const cv::Vec3f& ground) {
    const cv::Vec3f way = ground - thing;
    return std::clamp((light - thing).dot(way) / std::max(way.dot(way), 1e-5f), 0.0f, 1.0f);
}

/// The ground's share of each pixel of a piece: wholly where it is ground, less at the subject's edge, by the
/// light between ground and subject. The subject's own light is looked for just inside of a sharp edge, and
/// farther in where that place is mixed itself: the edge is blurred.
/// @param lights  of a place: its own, and the ground's there.   @param far_px  how wide a blur may be.
template <class Lights>
cv::Mat1b edge_shares(const cv::Mat1b& ground, int far_px, const Lights& lights) {
    cv::Mat1b shares = ground.clone();
    cv::Mat1f from_ground;
    cv::distanceTransform(ground == 0, from_ground, cv::DIST_L2, 3);
    const NearestInside near(from_ground, kEdgePx), far(from_ground, far_px);
    for (int y = 0; y < shares.rows; ++y)
        for (int x = 0; x < shares.cols; ++x) {
            const float depth = from_ground(y, x);
            if (ground(y, x) || depth > float(far_px)) continue;
            const std::pair<cv::Vec3f, cv::Vec3f> both = lights(y, x);
            const cv::Vec3f &light = both.first, &own = both.second;
            const cv::Point beside = near.of(y, x), within = far.of(y, x);
            const bool has_far =
                within.x >= 0 && std::hypot(within.x - x, within.y - y) < kFarthest * float(far_px);
            if (depth > kEdgePx ? !has_far : beside.x < 0) continue;
            cv::Vec3f thing = depth > kEdgePx ? cv::Vec3f() : lights(beside.y, beside.x).first;
            if (has_far) {
                const cv::Vec3f inner = lights(within.y, within.x).first;
                const auto is_off = [&](const cv::Vec3f& of) {
                    const cv::Vec3f off = of - inner - share_between(of, inner, own) * (own - inner);
                    return off.dot(off) > kOffLine * kOffLine * own.dot(own);
                };
                if (depth > kEdgePx && is_off(light)) continue;
                if (depth > kEdgePx || (share_between(thing, inner, own) > kMixedThing && !is_off(thing)))
                    thing = inner;
            }
            // A subject nearly as light as the ground cannot be told apart: it stays. So does what is mixed
            // in so little that it may as well be the subject's own texture.
            const float length = (own - thing).dot(own - thing), noise = kUnsure * kUnsure * own.dot(own);
            const float share = share_between(light, thing, own);
            const float sure = std::clamp((share - kLeastMixed) / (kMostMixed - kLeastMixed), 0.0f, 1.0f) *
                               length / (length + noise);
            shares(y, x) = uchar(std::lround(255 * sure));
        }
    hold_inwards(shares, from_ground, far_px);
    return shares;
}

/// The usual difference of ground from its smooth light, as a share of it.
float grain_of(const Picture& picture, const ToneCurve& curve, const GroundMap& map,
               const cv::Mat1b& around) {
    std::vector<float> differences;
    const int shrink = int(map.shrink);
    for (int v = 0; v < around.rows; v += 3)
        for (int u = 0; u < around.cols; u += 3) {
            const int x = u * shrink, y = v * shrink;
            if (around(v, u) != 255 || x >= picture.width() || y >= picture.height()) continue;
            const auto* from = picture.pixels.ptr<std::uint16_t>(y) + 3 * x;
            const cv::Vec3f light(curve.linear_of_16(0)[from[0]], curve.linear_of_16(1)[from[1]],
                                  curve.linear_of_16(2)[from[2]]);
            differences.push_back(std::abs(brightness(light) / brightness(map.light_at(x, y)) - 1));
        }
    if (differences.empty()) return 0;
    const auto middle = differences.begin() + std::ptrdiff_t(differences.size() / 2);
    std::nth_element(differences.begin(), middle, differences.end());
    return *middle / 0.6745f;  // the median of a normal distribution's distance, in sigmas
}

}  // namespace

cv::Vec3f GroundMap::light_at(double x, double y) const {
    return between_four<cv::Vec3f>(light, reduced(x, shrink), reduced(y, shrink));
}

float GroundMap::level_at(double x, double y) const {
    return between_four<float>(level, reduced(x, shrink), reduced(y, shrink));
}

float GroundMap::share_at(double x, double y) const {
    return between_four<float>(share, x, y) / 255;
}

GroundMap ground_of(const Picture& picture, const ToneCurve& curve, cv::Point2d picked, double reach,
                    const Job& job) {
    if (!(picked.x >= -0.5 && picked.y >= -0.5 && picked.x < picture.width() - 0.5 &&
          picked.y < picture.height() - 0.5))
        throw BadParameter("the picked ground lies outside of the picture; pick it anew");
    GroundMap map;
    const int shrink =
        std::max(1, (std::max(picture.width(), picture.height()) + kGroundSide - 1) / kGroundSide);
    map.shrink = shrink;
    const cv::Mat3f small = block_means(picture, curve, shrink, job.part(0, 0.3));
    const cv::Point at(int(std::lround(picked.x)) / shrink, int(std::lround(picked.y)) / shrink);
    const ReducedGround found = find_reduced(small, at, reach, job.part(0.3, 0.6));
    map.light = found.light;
    map.level = found.level;

    auto linear = [&](int y, int x) {
        const auto* from = picture.pixels.ptr<std::uint16_t>(y) + 3 * x;
        return cv::Vec3f(curve.linear_of_16(0)[from[0]], curve.linear_of_16(1)[from[1]],
                         curve.linear_of_16(2)[from[2]]);
    };
    // At full size: surely ground, the subject, and between them an edge. Where the edge may lie, ground is
    // told by its light as well, to its grain: a subject of the ground's colour is darker there, or lighter.
    const float grain = kGrains * std::max(kLeastGrain, grain_of(picture, curve, map, found.around));
    cv::Mat1b ground(picture.pixels.size());
    const auto around_at = [&](int y, int x) { return found.around(y / shrink, x / shrink); };
    for_rows(picture.height(), job, [&](int y) {
        for (int x = 0; x < picture.width(); ++x) {
            const uchar where = around_at(y, x);
            ground(y, x) = 0;
            if (where == 0) continue;
            const cv::Vec3f own = map.light_at(x, y);
            const float level_near = where == kNear ? map.level_at(x, y) : 1;
            const auto is_like = [&](const cv::Vec3f& light) {
                return std::abs(brightness(light) / brightness(own) / level_near - 1) < grain &&
                       colour_difference(ratio(light, own)) < grain;
            };
            const cv::Vec3f light = linear(y, x);
            bool is_ground = false;
            if (where == kNear) {
                // Beside a blurred edge the merge is more uneven than elsewhere: one by one, or the mean.
                is_ground = is_like(light);
                if (!is_ground) {
                    cv::Vec3f sum;
                    for (int v = y - 1; v <= y + 1; ++v)
                        for (int u = x - 1; u <= x + 1; ++u)
                            sum += linear(std::clamp(v, 0, picture.height() - 1),
                                          std::clamp(u, 0, picture.width() - 1));
                    is_ground = is_like(sum * (1.0f / 9));
                }
            } else {
                is_ground = brightness(light) > kDeepestShadow * brightness(own) &&
                            colour_difference(ratio(light, own)) < float(reach);
            }
            if (is_ground) ground(y, x) = 255;
        }
    });
    // What is like the ground near it, and yet only within the subject, is none.
    ground = connected_with(ground, [&](int y, int x) { return around_at(y, x) == 255; });
    // Grain leaves single pixels out on either side.
    cv::medianBlur(ground, ground, 5);
    job.checkpoint(0.8);
    map.share = ground.clone();
    const int far_px = std::min(kMostBlurPx, kEdgePx * shrink);
    // Only where ground and subject meet there is an edge to be told: piece by piece, with what lies around.
    const int across = (ground.cols + kPiecePx - 1) / kPiecePx,
              down = (ground.rows + kPiecePx - 1) / kPiecePx;
    const cv::Rect all({}, ground.size());
    const auto grown = [&](const cv::Rect& piece, int by) {
        return cv::Rect(piece.x - by, piece.y - by, piece.width + 2 * by, piece.height + 2 * by) & all;
    };
    for_rows(across * down, job.part(0.8, 1), [&](int number) {
        const cv::Rect piece =
            cv::Rect(number % across * kPiecePx, number / across * kPiecePx, kPiecePx, kPiecePx) & all;
        const cv::Rect near = grown(piece, far_px + 1);
        if (const int count = cv::countNonZero(ground(near)); count == 0 || count == near.area()) return;
        const cv::Rect around = grown(piece, kPieceRoomPx);
        // Where a shadow touches the subject, what is mixed in at its edge is the shadow.
        const auto lights = [&](int y, int x) {
            const int v = y + around.y, u = x + around.x;
            return std::pair(linear(v, u), map.light_at(u, v) * map.level_at(u, v));
        };
        cv::Mat1b filled = ground(around).clone();
        fill_islands(filled, kIslandPx * shrink * kIslandPx * shrink, [&](int y, int x) {
            const auto [light, own] = lights(y, x);
            return std::abs(brightness(light) / brightness(own) - 1) < float(reach) &&
                   colour_difference(ratio(light, own)) < kColourShare * float(reach);
        });
        const cv::Mat1b share = edge_shares(filled, far_px, lights);
        share(piece - around.tl()).copyTo(map.share(piece));
    });
    return map;
}

float ground_level(const Ground& ground, float level) {
    const float least = 1 - float(ground.reach);
    if (level >= least) return 1;
    return 1 - float(ground.keep_shadow) * (1 - std::max(0.0f, level) / least);
}

}  // namespace moorhaze
