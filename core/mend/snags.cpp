// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mend/snags.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/mend/dust_trails.h"
#include "core/picture/blur.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

// Everything is worked out at half size: its pixels are meant unless said otherwise.
/// Reaches grow with the picture: people look at all of it first. At a long side of so many they are as
/// below.
constexpr double kGatheringSide = 1000;
constexpr double kGathered = 1.5;      ///< differences are gathered over a Gaussian of so many px
constexpr int kAround = 8;             ///< depths that meet within so many px
constexpr double kLargest = 1.0 / 24;  ///< of the long side: a place's radius
constexpr int kLeastRadius = 12;
constexpr float kOfBorder = 0.5f;  ///< weight of the difference to the depths around
constexpr float kBelongs = 0.4f;   ///< of a place's strongest: what belongs to it
constexpr float kSlope = 0.25f;    ///< and what is still its slope
constexpr int kTurns = 20;         ///< peaks looked at for each place asked for, at most
constexpr double kEdge = 2.5;      ///< frames between depths that meet at an edge
constexpr double kMovedShare = 0.3, kDustShare = 0.5, kGlareShare = 0.2, kNeverSharpShare = 0.5;
constexpr double kBeyondFrames =
    0.35;  ///< of the difference to its frame: a halo's part outside of what any holds
constexpr double kPainted = 0.35;  ///< share of strokes: one pass of the brush with its usual flow
constexpr int kThin = 3;           ///< px: half the breadth of a thin thing

/// How often a kind errs by three times the usual and more, against soft rims: of 987 places on layered
/// series (seeds 51 to 69) 73 % of thin things, 55 of soft rims, 9 of what lies around highlights, whose own
/// frame is known.
double likelihood(SnagKind kind) {
    switch (kind) {
        case SnagKind::thin_thing:
            return 1.33;
        case SnagKind::never_sharp:
            return 1.2;
        case SnagKind::dark_rim:
            return 0.87;
        case SnagKind::moved:
            return 0.8;
        case SnagKind::blended:
            return 0.4;
        case SnagKind::glare:
            return 0.16;
        case SnagKind::soft_rim:
        case SnagKind::bright_halo:
        case SnagKind::dust:
            break;
    }
    return 1;
}

struct Sizes {
    double gathered;
    int around, radius;
};

Sizes sizes_for(cv::Size half) {
    const double large = std::max(half.width, half.height), scale = std::max(1.0, large / kGatheringSide);
    return {kGathered * scale, int(std::lround(kAround * scale)),
            std::max(kLeastRadius, int(std::lround(large * kLargest)))};
}

cv::Mat square(int radius) {
    return cv::getStructuringElement(cv::MORPH_RECT, {2 * radius + 1, 2 * radius + 1});
}

/// A frame's luma where its number is wanted; no place is wanted twice.
struct Wanted {
    cv::Mat1w number;  ///< from 1; 0: none
    cv::Mat1f luma;    ///< NaN until its frame came
    explicit Wanted(const cv::Mat1w& numbers)
        : number(numbers), luma(numbers.size(), std::numeric_limits<float>::quiet_NaN()) {}
    void take_row(int y, int begin, int end, ushort from, const float* frame) {
        const ushort* own = number[y];
        float* to = luma[y];
        for (int x = begin; x < end; ++x)
            if (own[x] == from) to[x] = frame[x];
    }
};

/// The merge beside what its frames hold, at half size.
struct Compared {
    cv::Mat1f merge;
    Wanted own, nearest, farthest;  ///< of the depth of the place, and of those around
    cv::Mat1f darkest, brightest;   ///< of all frames that cover the place
    cv::Mat1f dust;                 ///< what dust darkens the merge by
    DustTrails trails;
};

/// The luma planes that differences are taken of.
struct Differing {
    cv::Mat1f merge, own, nearest, farthest, dust;
    Differing smaller() const {
        Differing made;
        for (const auto& [from, to] : {std::pair(&merge, &made.merge),
                                       {&own, &made.own},
                                       {&nearest, &made.nearest},
                                       {&farthest, &made.farthest},
                                       {&dust, &made.dust}})
            cv::resize(*from, *to, {(from->cols + 1) / 2, (from->rows + 1) / 2}, 0, 0, cv::INTER_AREA);
        return made;
    }
};

/// The merge's depths as numbers of frames that there are, at half size.
cv::Mat1w numbers_of(const cv::Mat1f& depth, const std::vector<ushort>& known, const Job& job) {
    cv::Mat1w numbers(depth.size(), ushort(0));
    for_rows(depth.rows, job, [&](int y) {
        for (int x = 0; x < depth.cols; ++x) {
            const long number = std::lround(depth(y, x));
            if (number >= 1) numbers(y, x) = known[std::min(std::size_t(number), known.size() - 1)];
        }
    });
    return numbers;
}

/// For each number up to the largest the nearest one that there is.
std::vector<ushort> nearest_known(const AlignedFrames& frames) {
    int largest = 1;
    for (int place = 0; place < frames.count(); ++place) largest = std::max(largest, frames.index(place) + 1);
    std::vector<ushort> known(std::size_t(largest) + 1, 0);
    for (int number = 1; number <= largest; ++number)
        for (int place = 0; place < frames.count(); ++place) {
            const int own = frames.index(place) + 1;
            ushort& best = known[std::size_t(number)];
            if (best == 0 || std::abs(own - number) < std::abs(int(best) - number)) best = ushort(own);
        }
    return known;
}

Compared compared(const MergeResult& merge, AlignedFrames& frames, const Job& job) {
    const cv::Size full = merge.picture.pixels.size(), size((full.width + 1) / 2, (full.height + 1) / 2);
    cv::Mat1f depth(size);
    for_rows(size.height, job.quiet(), [&](int y) {
        for (int x = 0; x < size.width; ++x) depth(y, x) = merge.depth(2 * y, 2 * x);
    });
    const cv::Mat kernel = square(sizes_for(size).around);
    cv::Mat1f near, far, inside = depth.clone();
    inside.setTo(std::numeric_limits<float>::max(), depth < 1);
    cv::erode(inside, near, kernel);
    near.setTo(0, near > 1e6f);
    cv::dilate(depth, far, kernel);
    const std::vector<ushort> known = nearest_known(frames);
    // The same way down as for frames, so that only contents differ.
    const WarpPlan plan{
        .frame_to_reference = {1, 0, double(merge.area.x), 0, 1, double(merge.area.y), 0, 0, 1},
        .target = merge.area};
    Compared result{WarpedFrame(merge.picture, frames.curve(), plan).downsampled_luma(job.quiet()).luma,
                    Wanted(numbers_of(depth, known, job.quiet())),
                    Wanted(numbers_of(near, known, job.quiet())),
                    Wanted(numbers_of(far, known, job.quiet())),
                    cv::Mat1f(size, 1e9f),
                    cv::Mat1f(size, -1e9f),
                    {},
                    {}};
    result.trails = DustTrails(frames, result.own.number, job.quiet());
    Wanted clean(result.trails.clean());
    int read = 0;
    std::string why = "there is no frame to compare the merge with";
    for (int place = 0; place < frames.count(); ++place) {
        job.checkpoint(0.9 * place / frames.count());
        const auto frame = frames.open(place);
        if (!frame) {
            why = frame.error().what;
            continue;
        }
        ++read;
        const auto number = ushort(frames.index(place) + 1);
        const DownsampledFrame small = frame->downsampled_luma(job.quiet());
        for_rows(size.height, job.quiet(), [&](int y) {
            const RowSpan span = small.covered[std::size_t(2 * y)];
            const int begin = (span.begin + 1) / 2, end = std::max(begin, (span.end + 1) / 2);
            const float* luma = small.luma[y];
            for (Wanted* wanted : {&result.own, &result.nearest, &result.farthest, &clean})
                wanted->take_row(y, begin, end, number, luma);
            float *darkest = result.darkest[y], *brightest = result.brightest[y];
            for (int x = begin; x < end; ++x) {
                darkest[x] = std::min(darkest[x], luma[x]);
                brightest[x] = std::max(brightest[x], luma[x]);
            }
        });
    }
    if (read == 0) throw FileError(why);
    result.dust = result.trails.darkened(result.merge, clean.luma);
    return result;
}

/// RMS difference in a Gaussian neighbourhood; places that no frame tells of differ by nothing.
cv::Mat1f difference(const cv::Mat1f& one, const cv::Mat1f& other, double sigma_px, const Job& job) {
    cv::Mat1f squares(one.size());
    for_rows(one.rows, job, [&](int y) {
        for (int x = 0; x < one.cols; ++x) {
            const float off = one(y, x) - other(y, x);
            squares(y, x) = std::isfinite(off) ? off * off : 0;
        }
    });
    cv::Mat1f gathered = gaussian_blur(squares, sigma_px, job);
    cv::sqrt(gathered, gathered);
    return gathered;
}

cv::Mat1f strengths(const Differing& all, const Job& job) {
    const double sigma = sizes_for(all.merge.size()).gathered;
    cv::Mat1f strength = difference(all.merge, all.own, sigma, job);
    const cv::Mat1f near = difference(all.merge, all.nearest, sigma, job),
                    far = difference(all.merge, all.farthest, sigma, job);
    for_rows(strength.rows, job, [&](int y) {
        for (int x = 0; x < strength.cols; ++x)
            strength(y, x) += kOfBorder * std::min(near(y, x), far(y, x)) + all.dust(y, x);
    });
    return strength;
}

/// How strong places are in smaller pictures: judged there as at full size.
void judge_smaller(std::vector<Snag>& snags, Differing all, PixelRect area, const Job& job) {
    for (std::size_t k = 0; k < snags[0].strength_smaller.size(); ++k) {
        all = all.smaller();
        const cv::Mat1f strength = strengths(all, job);
        const int shrunk = 4 << k;  // half size, and halved once or more
        for (Snag& snag : snags) {
            const cv::Point from = (snag.area.tl() - area.tl()) / shrunk,
                            to = (snag.area.br() - area.tl() - cv::Point(1, 1)) / shrunk;
            double most = 0;
            cv::minMaxLoc(strength(cv::Rect(from, to + cv::Point(1, 1)) & cv::Rect({}, strength.size())),
                          nullptr, &most);
            snag.strength_smaller[k] = most;
        }
    }
}

/// What belongs to a snag: `places` is 255 within `box`, at half size.
struct Found {
    cv::Rect box;
    cv::Mat1b places;
    cv::Rect shoulders;  ///< holds what lies on its slopes beyond; may be empty
    cv::Point peak;
    double strength = 0;
};

/// What of `places` hangs together with one of them.
cv::Mat1b hanging_together(const cv::Mat1b& places, cv::Point with) {
    cv::Mat1i labels;
    cv::connectedComponents(places, labels, 8);
    return labels == labels(with);
}

/// The strongest places, each with what hangs together with it; taken out of `strength`.
std::vector<Found> peaks(cv::Mat1f& strength, double least, int most, const Job& job) {
    const int radius = sizes_for(strength.size()).radius;
    cv::Mat1b disc = cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * radius + 1, 2 * radius + 1});
    const cv::Mat1f whole = strength.clone();
    cv::Mat1s owner(strength.size(), short(-1));
    std::vector<Found> all;
    // A noisy picture has no end of slopes.
    for (int turn = 0; int(all.size()) < most && turn < kTurns * most; ++turn) {
        job.checkpoint();
        double peak = 0;
        cv::Point at;
        cv::minMaxLoc(strength, nullptr, &peak, nullptr, &at);
        if (!(peak > least)) break;
        const cv::Rect around(at.x - radius, at.y - radius, 2 * radius + 1, 2 * radius + 1);
        const cv::Rect box = around & cv::Rect({}, strength.size());
        const cv::Mat1b round = disc(box - around.tl());
        const cv::Mat1b strong =
            hanging_together((strength(box) > kBelongs * peak) & (round != 0), at - box.tl());
        // Its slopes are no places of their own.
        cv::Mat1b slopes = hanging_together((strength(box) > kSlope * peak) & (round != 0), at - box.tl());
        cv::dilate(slopes, slopes, square(3));
        strength(box).setTo(0, slopes);
        // The highest that is left may be the foot of a place that is known.
        const cv::Rect next_to = cv::Rect(at.x - 1, at.y - 1, 3, 3) & cv::Rect({}, strength.size());
        short home = -1;
        double highest = 0;
        for (int y = next_to.y; y < next_to.y + next_to.height; ++y)
            for (int x = next_to.x; x < next_to.x + next_to.width; ++x)
                if (double(whole(y, x)) > std::max(highest, peak)) highest = whole(y, x), home = owner(y, x);
        if (home >= 0) {
            owner(box).setTo(home, slopes);
            Found& foot = all[std::size_t(home)];
            const cv::Rect with = foot.shoulders | foot.box | (cv::boundingRect(strong) + box.tl());
            if (std::max(with.width, with.height) <= 4 * radius)
                foot.shoulders |= cv::boundingRect(strong) + box.tl();
            continue;
        }
        owner(box).setTo(short(all.size()), slopes);
        all.push_back({box, strong, {}, at, peak});
    }
    return all;
}

double share_of(const cv::Mat1b& places, const cv::Mat1b& of) {
    return double(cv::countNonZero(places & of)) / std::max(1, cv::countNonZero(of));
}

/// True when nearly all of the near part lies within a few pixels of its rim.
bool is_thin(const cv::Mat1b& near) {
    cv::Mat1b core;
    cv::morphologyEx(near, core, cv::MORPH_OPEN,
                     cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * kThin + 1, 2 * kThin + 1}));
    return cv::countNonZero(core) < 0.4 * cv::countNonZero(near);
}

/// Middle of the numbers at the places, 0 ones left out; 0 where there is none.
int middle_of(const cv::Mat1w& numbers, const cv::Mat1b& places, double share) {
    std::vector<ushort> seen;
    for (int y = 0; y < places.rows; ++y)
        for (int x = 0; x < places.cols; ++x)
            if (places(y, x) && numbers(y, x) > 0) seen.push_back(numbers(y, x));
    if (seen.empty()) return 0;
    const auto at = seen.begin() + long(share * double(seen.size() - 1));
    std::nth_element(seen.begin(), at, seen.end());
    return *at;
}

/// @param strengths  of all places.
Snag described(const Found& found, const cv::Mat1f& strengths, const MergeResult& merge,
               const Compared& all) {
    Snag snag;
    snag.place = found.peak * 2 + merge.area.tl();
    const cv::Rect tight = (cv::boundingRect(found.places) + found.box.tl()) | found.shoulders;
    snag.area = cv::Rect(tight.tl() * 2, tight.size() * 2) + merge.area.tl();
    snag.area &= merge.area;
    snag.strength = found.strength;
    snag.frame = middle_of(all.own.number(found.box), found.places, 0.5);
    snag.nearest = middle_of(all.nearest.number(found.box), found.places, 0.25);
    snag.farthest = middle_of(all.farthest.number(found.box), found.places, 0.75);

    cv::Mat1b moved(found.box.size(), uchar(0)), glare = moved.clone(), unsure = moved.clone();
    double above = 0, below = 0, off = 0, strength = 0, dust = 0;
    for (int y = 0; y < found.box.height; ++y)
        for (int x = 0; x < found.box.width; ++x) {
            if (!found.places(y, x)) continue;
            const cv::Point at(found.box.x + x, found.box.y + y);
            const auto by = MadeBy(merge.made_by(at * 2));
            moved(y, x) = by == MadeBy::one_state ? 255 : 0;
            glare(y, x) = by == MadeBy::highlight ? 255 : 0;
            unsure(y, x) = by == MadeBy::backdrop ? 255 : 0;
            strength += double(strengths(at)), dust += double(all.dust(at));
            if (!std::isfinite(all.own.luma(at))) continue;  // its frame was not read
            off += std::abs(all.merge(at) - all.own.luma(at));
            above += std::max(0.0f, all.merge(at) - all.brightest(at));
            below += std::max(0.0f, all.darkest(at) - all.merge(at));
        }
    const double beyond = std::max(1e-6, kBeyondFrames * off);
    if (dust > kDustShare * strength) {
        snag.kind = SnagKind::dust;
        snag.nearest = snag.farthest = 0;
    } else if (share_of(moved, found.places) > kMovedShare) {
        snag.kind = SnagKind::moved;
    } else if (share_of(glare, found.places) > kGlareShare) {
        snag.kind = SnagKind::glare;
    } else if (share_of(unsure, found.places) > kNeverSharpShare) {
        snag.kind = SnagKind::never_sharp;
    } else if (above > beyond) {
        snag.kind = SnagKind::bright_halo;
    } else if (below > beyond) {
        snag.kind = SnagKind::dark_rim;
    } else if (snag.farthest - snag.nearest > kEdge) {
        const double middle = (snag.nearest + snag.farthest) / 2.0;
        const cv::Mat1b near = all.own.number(found.box) <= middle;
        snag.kind = is_thin(near) ? SnagKind::thin_thing : SnagKind::soft_rim;
    }
    return snag;
}

bool touch(const Snag& one, const Snag& other, int reach_px) {
    const cv::Rect grown(one.area.x - reach_px, one.area.y - reach_px, one.area.width + 2 * reach_px,
                         one.area.height + 2 * reach_px);
    return one.kind == other.kind && !(grown & other.area).empty();
}

/// Neighbours of one kind become one, as long as it can be looked at in one view.
std::vector<Snag> joined(const std::vector<Snag>& all, int reach_px, int largest_px) {
    std::vector<Snag> kept;
    for (const Snag& snag : all) {
        const auto home = std::find_if(kept.begin(), kept.end(), [&](const Snag& other) {
            const PixelRect both = other.area | snag.area;
            return touch(other, snag, reach_px) && std::max(both.width, both.height) <= largest_px;
        });
        if (home == kept.end()) {
            kept.push_back(snag);
        } else {
            home->area |= snag.area;
            home->nearest = std::min(home->nearest, snag.nearest);
            home->farthest = std::max(home->farthest, snag.farthest);
        }
    }
    return kept;
}

std::string frames_in_words(const Snag& snag) {
    return std::to_string(snag.nearest) + " and " + std::to_string(snag.farthest);
}

}  // namespace

namespace {

constexpr std::array<const char*, kSnagKindCount> kNames = {"soft-rim",    "thin-thing",  "bright-halo",
                                                            "dark-rim",    "moved",       "glare",
                                                            "dust-streak", "never-sharp", "blended"};

}  // namespace

const char* name_of(SnagKind kind) {
    return kNames[std::size_t(kind)];
}

SnagKind snag_kind_named(const std::string& name) {
    const auto found = std::find(kNames.begin(), kNames.end(), name);
    if (found == kNames.end()) throw BadParameter("there is no kind of doubtful place '" + name + "'");
    return SnagKind(found - kNames.begin());
}

double strength_at(const Snag& snag, double scale) {
    const double halved = std::clamp(-std::log2(scale), 0.0, double(snag.strength_smaller.size()));
    const auto of = [&](std::size_t times) {
        return times == 0 ? snag.strength : snag.strength_smaller[times - 1];
    };
    const auto low = std::size_t(halved), high = std::min(low + 1, snag.strength_smaller.size());
    return of(low) + (halved - double(low)) * (of(high) - of(low));
}

bool is_ignored(const Snag& snag, const SharedList<IgnoredPlace>& ignored) {
    return std::any_of(ignored.begin(), ignored.end(), [&](const IgnoredPlace& own) {
        return own.kind == snag.kind && snag.area.contains(own.place);
    });
}

std::vector<Snag> nearest_next(std::vector<Snag> snags) {
    for (std::size_t k = 1; k < snags.size(); ++k) {
        const cv::Point last = snags[k - 1].place;
        const auto away = [&](const Snag& snag) {
            const cv::Point apart = snag.place - last;
            return std::pair(double(apart.x) * apart.x + double(apart.y) * apart.y, -snag.strength);
        };
        const auto next =
            std::min_element(snags.begin() + std::ptrdiff_t(k), snags.end(),
                             [&](const Snag& one, const Snag& other) { return away(one) < away(other); });
        // Those between keep their order, so that equal ones stay the strongest first.
        std::rotate(snags.begin() + std::ptrdiff_t(k), next, next + 1);
    }
    return snags;
}

std::string sentence_of(const Snag& snag) {
    switch (snag.kind) {
        case SnagKind::soft_rim:
            return "Soft rim: frames " + frames_in_words(snag) +
                   " meet here, and the blur of the nearer lies over the other.";
        case SnagKind::thin_thing:
            return "Thin thing before another depth (frames " + frames_in_words(snag) +
                   "): it may be doubled, broken or translucent.";
        case SnagKind::bright_halo:
            return "Halo: brighter than any frame is here.";
        case SnagKind::dark_rim:
            return "Dark rim: darker than any frame is here.";
        case SnagKind::moved:
            return "Something moved between frames; one state of it is shown.";
        case SnagKind::glare:
            return "Highlight: its glare differs from frame to frame.";
        case SnagKind::dust:
            return "Dust on the sensor: its shadow lies on what frame " + std::to_string(snag.frame) +
                   " gives here; frame " + std::to_string(snag.without_dust) + " has it elsewhere.";
        case SnagKind::never_sharp:
            return "No frame is surely sharp here.";
        case SnagKind::blended:
            break;
    }
    return "Put together from several frames; it looks like none of them.";
}

bool is_painted(const Snag& snag, const SharedList<Stroke>& strokes, const MergePlanes& planes) {
    return painted_on(strokes, {snag.place.x, snag.place.y, 1, 1}, planes, {}).share(0, 0) >= kPainted;
}

std::vector<Snag> find_snags(const MergeResult& merge, AlignedFrames& frames, const SnagSettings& settings,
                             const Job& job) {
    if (frames.target() != merge.area)
        throw BadParameter("the frames to compare a merge with must fill the merge's own area");
    const Compared all = compared(merge, frames, job);
    const Differing differing{all.merge, all.own.luma, all.nearest.luma, all.farthest.luma, all.dust};
    cv::Mat1f strength = strengths(differing, job.quiet());
    cv::Mat1f sorted = strength.reshape(1, 1).clone();
    float* const middle = sorted.ptr<float>() + sorted.total() / 2;
    std::nth_element(sorted.ptr<float>(), middle, sorted.ptr<float>() + sorted.total());
    const double least = std::max(kSeenStrength, settings.times_usual * double(*middle));
    std::vector<Snag> snags;
    const cv::Mat1f whole = strength.clone();
    for (const Found& found : peaks(strength, least, settings.most, job.quiet()))
        snags.push_back(described(found, whole, merge, all));
    const int radius = sizes_for(strength.size()).radius;
    snags = joined(snags, radius / 2, 6 * radius);
    for (Snag& snag : snags)
        if (snag.kind == SnagKind::dust) {
            const cv::Point corner = (snag.area.tl() - merge.area.tl()) / 2;
            snag.without_dust = all.trails.frame_without({corner, snag.area.size() / 2}, snag.frame);
        }
    if (!snags.empty()) judge_smaller(snags, differing, merge.area, job.quiet());
    std::stable_sort(snags.begin(), snags.end(), [](const Snag& one, const Snag& other) {
        return likelihood(one.kind) * one.strength > likelihood(other.kind) * other.strength;
    });
    job.checkpoint(1);
    return snags;
}

}  // namespace moorhaze
