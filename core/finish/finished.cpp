// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/finished.h"

#include <algorithm>
#include <cmath>

#include "core/align/homography.h"
#include "core/files/picture_file.h"
#include "core/finish/colour_shift.h"
#include "core/finish/fine_detail.h"
#include "core/finish/framing.h"
#include "core/finish/fringes.h"
#include "core/finish/lens.h"
#include "core/finish/noise.h"
#include "core/finish/tone_mapping.h"
#include "core/finish/white_balance.h"
#include "core/picture/continued_colour.h"
#include "core/picture/fast_math.h"
#include "core/picture/luma.h"
#include "core/picture/over_white.h"
#include "core/picture/warp.h"
#include "core/work/errors.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr int kStripRows = 192;
constexpr int kResamplingReach = 5;  // px of what a lens's correction and a turn look at

/// The picture at half its size, the mean of the light of 2×2 pixels; transparent ones count by their alpha.
Picture mean_of_2x2(const Picture& fine, const ToneCurve& curve) {
    const cv::Size size((fine.width() + 1) / 2, (fine.height() + 1) / 2);
    Picture half{cv::Mat(size, CV_16UC3), {}, fine.profile};
    if (!fine.alpha.empty()) half.alpha.create(size, CV_16UC1);
    for_rows(size.height, Job{}, [&](int y) {
        const int rows[] = {2 * y, std::min(2 * y + 1, fine.height() - 1)};
        std::vector<float> light(3 * std::size_t(size.width));
        for (int x = 0; x < size.width; ++x) {
            const int columns[] = {2 * x, std::min(2 * x + 1, fine.width() - 1)};
            float* sum = light.data() + 3 * x;
            unsigned alpha = 0;
            for (const int row : rows)
                for (const int column : columns) {
                    const auto* rgb = fine.pixels.ptr<std::uint16_t>(row) + 3 * column;
                    const unsigned own =
                        fine.alpha.empty() ? 65535 : fine.alpha.at<std::uint16_t>(row, column);
                    for (int c = 0; c < 3; ++c) sum[c] += float(own) * curve.linear_of_16(c)[rgb[c]];
                    alpha += own;
                }
            for (int c = 0; c < 3; ++c) sum[c] = alpha > 0 ? sum[c] / float(alpha) : 1;
            if (!half.alpha.empty()) half.alpha.at<std::uint16_t>(y, x) = std::uint16_t((alpha + 2) / 4);
        }
        curve.encode_row_16(light.data(), half.pixels.ptr<std::uint16_t>(y), size.width);
    });
    return half;
}

/// Pixels of a level, from the merge's corner, to reference pixels.
cv::Matx33d from_level(int level, cv::Point corner) {
    const double scale = double(1 << level), shift = (scale - 1) / 2;
    return {scale, 0, corner.x + shift, 0, scale, corner.y + shift, 0, 0, 1};
}

/// Alpha 0..1 between pixels, bilinear; the border continues.
double alpha_at(const cv::Mat1w& alpha, cv::Point2d at) {
    const double left = std::floor(at.x), top = std::floor(at.y), across = at.x - left, down = at.y - top;
    const auto of = [&](double x, double y) {
        return double(alpha(std::clamp(int(y), 0, alpha.rows - 1), std::clamp(int(x), 0, alpha.cols - 1)));
    };
    const double upper = std::lerp(of(left, top), of(left + 1, top), across),
                 lower = std::lerp(of(left, top + 1), of(left + 1, top + 1), across);
    return std::lerp(upper, lower, down) / 65535;
}

/// How transparent places of a part are: 16 bit; empty when none is.
/// @param continues  beyond the border: it is not transparent there.
cv::Mat1w alpha_of(const Picture& picture, const cv::Matx33d& to_picture, PixelRect part, bool is_turned,
                   bool continues) {
    const cv::Rect all({}, picture.pixels.size());
    if (!is_turned) {
        if (picture.alpha.empty() && (part & all) == part) return {};
        cv::Mat1w alpha(part.size(), std::uint16_t(0));
        if (const cv::Rect own = part & all; !own.empty()) {
            if (picture.alpha.empty())
                alpha(own - part.tl()) = 65535;
            else
                picture.alpha(own).copyTo(alpha(own - part.tl()));
        }
        return alpha;
    }
    cv::Mat1w alpha(part.size());
    std::atomic<bool> any = false;
    for_rows(part.height, Job{}, [&](int row) {
        for (int x = 0; x < part.width; ++x) {
            const cv::Point2d at = mapped(to_picture, part.x + x, part.y + row);
            // The outermost half pixel fades.
            const double inside =
                std::min({at.x + 0.5, at.y + 0.5, all.width - 0.5 - at.x, all.height - 0.5 - at.y, 1.0});
            double share = continues ? 1.0 : std::clamp(inside + 0.5, 0.0, 1.0);
            if (share > 0 && !picture.alpha.empty()) share *= alpha_at(picture.alpha, at);
            alpha(row, x) = std::uint16_t(std::lround(65535 * share));
            if (alpha(row, x) < 65535) any = true;
        }
    });
    return any ? alpha : cv::Mat1w();
}

/// Everything that is done to light, ready to be called row by row.
class LightSteps {
  public:
    /// @param to_finest  pixels of the turned level to pixels of the picture at full size.
    LightSteps(const FinishSubject& subject, const Finish& finish, PixelRect kept, int level,
               const cv::Matx33d& to_finest)
        : subject_(subject), finish_(finish), to_finest_(to_finest) {
        has_ground_ = !is_neutral(finish.ground);
        if (!is_neutral(finish.light)) {
            balance_ = white_balance(finish.light, subject.space);
            exposure_ = std::exp2(finish.light.exposure_ev);
            gain_.lights = finish.light.lights;
            gain_.shadows = finish.light.shadows;
            gain_.exposure_ev = finish.light.exposure_ev;
            has_balance_ = true;
        }
        if (!is_neutral(finish.detail)) gain_.clarity = finish.detail.clarity;
        if (!is_neutral(finish.tones)) tones_ = tone_table(ToneMapping(finish.tones));
        if (!is_neutral(finish.colour)) colour_.emplace(finish.colour, subject.space);
        if (!is_neutral(finish.vignette)) {
            // In pixels of the level, around its own centre.
            const double scale = double(1 << level);
            const double left = (kept.x - subject.area.x) / scale, top = (kept.y - subject.area.y) / scale;
            half_across_ = std::max(1.0, kept.width / scale / 2);
            half_down_ = std::max(1.0, kept.height / scale / 2);
            centre_x_ = left - 0.5 + 2 * half_across_ * finish.vignette.across;
            centre_y_ = top - 0.5 + 2 * half_down_ * finish.vignette.down;
            const double round = (half_across_ + half_down_) / 2;
            half_across_ += finish.vignette.roundness * (round - half_across_);
            half_down_ += finish.vignette.roundness * (round - half_down_);
        }
    }

    /// @param x, y  of the row's first pixel, in the turned level.
    void before_detail(float* row, int x, int y, int count) const {
        if (has_ground_) take_ground_out(row, x, y, count);
        std::vector<float> factors;
        if (!gain_.is_none()) {
            std::vector<float> logs(std::size_t(count), 0.0f);
            log_luminance(row, count, logs.data());
            factors.resize(std::size_t(count));
            const cv::Point2d start = mapped(to_finest_, x, y), next = mapped(to_finest_, x + 1, y);
            local_gains(subject_.local, gain_, logs.data(), start, next - start, count, factors.data());
        }
        if (has_balance_) {
            float m[9];
            for (int i = 0; i < 9; ++i) m[i] = float(balance_.val[i] * exposure_);
            for (int i = 0; i < count; ++i) {
                float* rgb = row + 3 * i;
                const float r = rgb[0], g = rgb[1], b = rgb[2];
                for (int c = 0; c < 3; ++c)
                    rgb[c] = std::max(0.0f, m[3 * c] * r + m[3 * c + 1] * g + m[3 * c + 2] * b);
            }
        }
        if (!is_neutral(finish_.vignette)) {
            factors.resize(std::size_t(count), 1.0f);
            const auto down = float((y - centre_y_) / half_down_),
                       ev = float(finish_.vignette.corners_ev / 2);
            const auto start = float((x - centre_x_) / half_across_), step = float(1 / half_across_);
            for (int i = 0; i < count; ++i) {
                const float across = start + float(i) * step;
                factors[std::size_t(i)] *= fast_exp2(ev * (across * across + down * down));
            }
        }
        if (!factors.empty())
            for (int i = 0; i < count; ++i)
                for (int c = 0; c < 3; ++c) row[3 * i + c] *= factors[std::size_t(i)];
        if (!tones_.empty()) map_tones(tones_, row, 3 * count);
        if (colour_) colour_->apply(row, count);
    }

    /// @param before  the row as it came from the picture.
    void put_ground_in(float* row, const float* before, int x, int y, int count) const {
        if (!has_ground_) return;
        cv::Vec3f becomes = cv::Vec3f::all(float(light_of_tone(finish_.ground.tone)));
        if (finish_.ground.colour) {
            static const ColourSpace srgb = colour_space_of({});
            cv::Vec3d light;
            for (int c = 0; c < 3; ++c) light[c] = light_of_tone((*finish_.ground.colour)[c]);
            becomes = subject_.space.from_xyz * srgb.to_xyz * light;
        }
        for (int i = 0; i < count; ++i) {
            const cv::Point2d at = mapped(to_finest_, x + i, y);
            const float share = subject_.ground.share_at(at.x, at.y);
            if (share <= 0) continue;
            float level = subject_.ground.level_at(at.x, at.y);
            if (share >= 1) {
                const cv::Vec3f own = subject_.ground.light_at(at.x, at.y);
                float light = 0, ground = 0;
                for (int c = 0; c < 3; ++c)
                    light += kLuminance[c] * before[3 * i + c], ground += kLuminance[c] * own[c];
                level = light / ground;
            }
            level = ground_level(finish_.ground, level);
            for (int c = 0; c < 3; ++c)
                row[3 * i + c] = (1 - share) * row[3 * i + c] + share * becomes[c] * level;
        }
    }
    bool has_ground() const { return has_ground_; }

  private:
    void take_ground_out(float* row, int x, int y, int count) const {
        for (int i = 0; i < count; ++i) {
            const cv::Point2d at = mapped(to_finest_, x + i, y);
            const float share = subject_.ground.share_at(at.x, at.y);
            if (share <= 0 || share > 0.9f) continue;
            const cv::Vec3f own = subject_.ground.light_at(at.x, at.y) * subject_.ground.level_at(at.x, at.y);
            for (int c = 0; c < 3; ++c)
                row[3 * i + c] = std::max(0.0f, row[3 * i + c] - share * own[c]) / (1 - share);
        }
    }

    const FinishSubject& subject_;
    const Finish& finish_;
    cv::Matx33d to_finest_, balance_ = cv::Matx33d::eye();
    double exposure_ = 1;
    bool has_ground_ = false, has_balance_ = false;
    LocalGain gain_;
    std::vector<float> tones_;
    std::optional<ColourShift> colour_;
    double centre_x_ = 0, centre_y_ = 0, half_across_ = 1, half_down_ = 1;
};

}  // namespace

std::shared_ptr<const FinishSubject> finish_subject(Picture picture, cv::Point corner, int levels,
                                                    const Job& job) {
    if (picture.pixels.empty()) throw BadParameter("there is no picture to finish");
    picture = with_colour_continued(with_bits(picture, 16), kResamplingReach);
    const ToneCurve curve(picture.profile);
    auto subject = std::make_shared<FinishSubject>(FinishSubject{{},
                                                                 {corner, picture.pixels.size()},
                                                                 curve,
                                                                 colour_space_of(picture.profile),
                                                                 {},
                                                                 {},
                                                                 {},
                                                                 {},
                                                                 0,
                                                                 {},
                                                                 {},
                                                                 {}});
    subject->local = local_light_of(picture, curve, job.part(0, 0.4));
    subject->surround = Surround(picture, curve, job.part(0.4, 0.5));
    subject->levels.push_back(std::move(picture));
    for (int level = 1; level < levels; ++level) {
        job.checkpoint(0.5 + 0.5 * level / levels);
        const Picture& fine = subject->levels.back();
        if (std::max(fine.width(), fine.height()) < 64) break;
        subject->levels.push_back(mean_of_2x2(fine, curve));
    }
    return subject;
}

std::shared_ptr<const FinishSubject> with_ground(std::shared_ptr<const FinishSubject> subject,
                                                 const Ground& ground, const Job& job) {
    if (is_neutral(ground) ||
        (subject->ground_picked == ground.picked && subject->ground_reach == ground.reach))
        return subject;
    auto made = std::make_shared<FinishSubject>(*subject);
    made->ground = ground_of(made->levels[0], made->curve, *ground.picked - cv::Point2d(made->area.tl()),
                             ground.reach, job);
    made->ground_picked = ground.picked;
    made->ground_reach = ground.reach;
    return made;
}

std::shared_ptr<const FinishSubject> with_lens(std::shared_ptr<const FinishSubject> subject, const Lens& lens,
                                               cv::Size frame, const Job& job) {
    const auto plain = subject->plain ? subject->plain : subject;
    if (is_neutral(lens)) return plain;
    if (subject->plain && subject->lens == lens) return subject;
    auto made = std::make_shared<FinishSubject>(*finish_subject(
        corrected_for_lens(plain->levels[0], plain->curve, lens, plain->area, frame, job.part(0, 0.7)),
        plain->area.tl(), int(plain->levels.size()), job.part(0.7, 1)));
    made->lens = lens;
    made->lens_frame = frame;
    made->plain = plain;
    return made;
}

std::shared_ptr<const FinishSubject> prepared(std::shared_ptr<const FinishSubject> subject,
                                              const Finish& finish, cv::Size frame, const Job& job) {
    subject = with_lens(std::move(subject), finish.lens, frame, job.part(0, 0.5));
    return with_ground(std::move(subject), finish.ground, job.part(0.5, 1));
}

Picture finished(const FinishSubject& subject, const Finish& finish, int level, PixelRect part,
                 const Job& job) {
    check(finish);
    if (!is_neutral(finish.lens) && (!subject.plain || subject.lens != finish.lens))
        throw BadParameter("the picture was not corrected for its lens yet");
    if (level < 0 || level >= int(subject.levels.size()) || part.empty())
        throw BadParameter("there is no such part of the picture");
    if (!is_neutral(finish.ground) &&
        (subject.ground_picked != finish.ground.picked || subject.ground_reach != finish.ground.reach))
        throw BadParameter("the ground was not looked for yet");
    const Picture& picture = subject.levels[std::size_t(level)];
    const bool is_turned = !finish.framing.is_off && finish.framing.turn_deg != 0;
    // At full size what a lens bends and the turn are one resampling.
    const bool straightens = is_turned && level == 0 && !is_neutral(finish.lens) && finish.lens.straightens;
    const cv::Matx33d own = from_level(level, subject.area.tl());
    const cv::Matx33d turn = is_turned ? own.inv() * to_turned(finish.framing) * own : cv::Matx33d::eye();
    const cv::Matx33d to_picture = turn.inv();
    const cv::Matx33d to_level = turn * own.inv();  // reference pixels to the turned level's
    const cv::Matx33d to_finest = from_level(0, subject.area.tl()).inv() * own * to_picture;

    const cv::Rect all({}, picture.pixels.size());
    Picture made{cv::Mat(part.size(), CV_16UC3, cv::Scalar::all(65535)), {}, picture.profile};
    const bool continues = is_turned && finish.framing.corners == EmptyCorners::continued;
    const cv::Mat1w alpha = alpha_of(picture, to_picture, part, is_turned, continues);
    const PixelRect filled = is_turned ? part : part & all;
    if (!is_turned && leaves_pixels(finish)) {
        if (!filled.empty()) picture.pixels(filled).copyTo(made.pixels(filled - part.tl()));
    } else if (!filled.empty()) {
        const double scale = double(1 << level);
        // A crop that lies outside is an error for who keeps it, not for who looks at the picture around it.
        const PixelRect kept = kept_or_all(finish.framing, subject.area);
        const LightSteps steps(subject, finish, kept, level, to_finest);
        PartPlace place{{}, {}, std::hypot(subject.area.width, subject.area.height) / 2 / scale, scale};
        place.middle = mapped(turn, (picture.width() - 1) / 2.0, (picture.height() - 1) / 2.0);
        const int border = fringe_border(finish.fringes, place.half_diagonal, scale) +
                           noise_border(finish.detail, scale) + sharpening_border(finish.detail, scale);
        const PixelRect reached = is_turned
                                      ? PixelRect(part.x - border, part.y - border, part.width + 2 * border,
                                                  part.height + 2 * border)
                                      : PixelRect(filled.x - border, filled.y - border,
                                                  filled.width + 2 * border, filled.height + 2 * border) &
                                            all;
        for (int top = filled.y; top < filled.br().y; top += kStripRows) {
            job.checkpoint(double(top - filled.y) / filled.height);
            const int bottom = std::min(filled.br().y, top + kStripRows);
            const PixelRect strip =
                PixelRect(reached.x, top - border, reached.width, bottom - top + 2 * border) & reached;
            cv::Mat3f light;
            if (straightens) {
                light = straightened_light(subject.plain->levels[0], subject.curve, finish.lens, subject.area,
                                           subject.lens_frame, to_picture, strip, job.quiet());
            } else if (is_turned) {
                light = warp_to_linear(picture, subject.curve, {.frame_to_reference = turn, .target = strip},
                                       job.quiet())
                            .pixels;
            } else {
                light = to_linear({picture.pixels(strip), {}, {}}, subject.curve);
            }
            if (continues) subject.surround.continue_border(light, strip, to_finest);
            place.corner = strip.tl();
            take_fringes_out(light, finish.fringes, place, job.quiet());
            reduce_noise(light, finish.detail, strip.tl(), scale, job.quiet());
            const cv::Mat3f before = steps.has_ground() ? light.clone() : cv::Mat3f();
            for_rows(light.rows, job.quiet(), [&](int y) {
                steps.before_detail(light.ptr<float>(y), strip.x, strip.y + y, light.cols);
            });
            sharpen_detail(light, finish.detail, strip, to_level, scale, job.quiet());
            for_rows(bottom - top, job.quiet(), [&](int row) {
                const int y = top - strip.y + row, x = filled.x - strip.x;
                float* values = light.ptr<float>(y) + 3 * x;
                if (steps.has_ground())
                    steps.put_ground_in(values, before.ptr<float>(y) + 3 * x, filled.x, top + row,
                                        filled.width);
                subject.curve.encode_row_16(
                    values, made.pixels.ptr<std::uint16_t>(top + row - part.y) + 3 * (filled.x - part.x),
                    filled.width);
            });
        }
    }
    if (alpha.empty()) return made;
    made.alpha = alpha;
    return finish.framing.corners == EmptyCorners::white && is_turned ? over_white(made) : made;
}

Picture finished(const FinishSubject& subject, const Finish& finish, const Job& job) {
    check(finish);
    const PixelRect kept = kept_of(finish.framing, subject.area);
    return finished(subject, finish, 0, kept - subject.area.tl(), job);
}

double ToneHistogram::tone_below(double share_of_all) const {
    double sum = 0;
    for (int bin = 0; bin < kBins; ++bin) {
        const double own = share[std::size_t(bin)];
        if (sum + own >= share_of_all && own > 0) return (bin + (share_of_all - sum) / own) / kBins;
        sum += own;
    }
    return 1;
}

ToneHistogram tone_histogram(const Picture& picture, const ToneCurve& curve, const ColourSpace& space,
                             int every) {
    ToneHistogram histogram;
    const float weights[] = {float(space.to_xyz(1, 0)), float(space.to_xyz(1, 1)), float(space.to_xyz(1, 2))};
    // The bin of a light, by its square root.
    static const std::vector<int> bins = [] {
        std::vector<int> table(4097);
        for (int i = 0; i <= 4096; ++i)
            table[std::size_t(i)] =
                std::min(ToneHistogram::kBins - 1,
                         int(tone_of_light(double(i) * i / 4096 / 4096) * ToneHistogram::kBins));
        return table;
    }();
    double count = 0;
    for (int y = 0; y < picture.height(); y += every) {
        const auto* row = picture.pixels.ptr<std::uint16_t>(y);
        for (int x = 0; x < picture.width(); x += every) {
            if (!picture.alpha.empty() && picture.alpha.at<std::uint16_t>(y, x) < 32768) continue;
            float luminance = 0;
            bool black = false, white = false;
            for (int c = 0; c < 3; ++c) {
                const std::uint16_t value = row[3 * x + c];
                luminance += weights[c] * curve.linear_of_16(c)[value];
                black = black || value == 0;
                white = white || value == 65535;
            }
            const float root = std::sqrt(std::clamp(luminance, 0.0f, 1.0f));
            histogram.share[std::size_t(bins[std::size_t(root * 4096 + 0.5f)])] += 1;
            histogram.black_clipped += black;
            histogram.white_clipped += white;
            count += 1;
        }
    }
    if (count > 0) {
        for (double& share : histogram.share) share /= count;
        histogram.black_clipped /= count;
        histogram.white_clipped /= count;
    }
    return histogram;
}

cv::Vec3d light_around(const FinishSubject& subject, cv::Point2d place) {
    const Picture& picture = subject.levels[0];
    const cv::Point at(int(std::lround(place.x)) - subject.area.x,
                       int(std::lround(place.y)) - subject.area.y);
    const cv::Rect all({}, picture.pixels.size());
    if (!all.contains(at)) throw BadParameter("this place lies outside of the picture");
    const cv::Rect around = cv::Rect(at.x - 4, at.y - 4, 9, 9) & all;
    const cv::Scalar mean = cv::mean(to_linear({picture.pixels(around), {}, {}}, subject.curve));
    return {mean[0], mean[1], mean[2]};
}

Tones auto_tones_of(const FinishSubject& subject, Finish finish) {
    const Tones own = finish.tones;
    finish.tones = {};
    finish.ground = {};
    // At a size at which grain does not count.
    int level = 0;
    while (level + 1 < int(subject.levels.size()) && subject.levels[std::size_t(level)].width() > 1500)
        ++level;
    const Picture& seen = subject.levels[std::size_t(level)];
    const double scale = double(1 << level);
    const PixelRect kept = kept_or_all(finish.framing, subject.area) - subject.area.tl();
    const PixelRect part(int(kept.x / scale), int(kept.y / scale), std::max(1, int(kept.width / scale)),
                         std::max(1, int(kept.height / scale)));
    const Picture made = finished(subject, finish, level, part, {});
    const int every = std::max(1, seen.width() / 1500);
    // By each pixel's darkest and lightest channel, so that no colour is clipped before the rest.
    const auto of_channel = [&](bool lightest) {
        Picture grey{cv::Mat(made.pixels.size(), CV_16UC3), made.alpha, made.profile};
        for_rows(made.height(), Job{}, [&](int y) {
            for (int x = 0; x < made.width(); ++x) {
                const cv::Vec3w rgb = made.pixels.at<cv::Vec3w>(y, x);
                const auto ends = std::minmax({rgb[0], rgb[1], rgb[2]});
                grey.pixels.at<cv::Vec3w>(y, x) = cv::Vec3w::all(lightest ? ends.second : ends.first);
            }
        });
        return tone_histogram(grey, subject.curve, subject.space, every);
    };
    Tones fitted = auto_tones(own, of_channel(false));
    fitted.white = std::max(auto_tones(own, of_channel(true)).white, fitted.white);
    return fitted;
}

Tones auto_tones(Tones tones, const ToneHistogram& before) {
    constexpr double kCut = 0.001, kNarrowest = 0.2;
    tones.black = std::min(before.tone_below(kCut), 0.5 - kNarrowest / 2);
    tones.white = std::max(before.tone_below(1 - kCut), tones.black + kNarrowest);
    tones.is_off = false;
    return tones;
}

}  // namespace moorhaze
