// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/finish.h"

#include <cmath>
#include <cstdio>

#include "core/work/errors.h"

namespace moorhaze {
namespace {

void check_range(const char* what, double value, double least, double most) {
    if (value >= least && value <= most) return;  // not for NaN
    char text[160];
    std::snprintf(text, sizeof text, "%s is %g; it lies between %g and %g", what, value, least, most);
    throw BadParameter(text);
}

void check(const Lens& own) {
    if (own.name.empty()) return;
    check_range("the lens's focal length (mm)", own.focal_mm, 0.1, 10000);
    check_range("the lens's f-number", own.f_number, 0.1, 1000);
    check_range("the lens's distance (m)", own.focus_m, 0, 1e6);
}

void check(const Framing& own) {
    check_range("the turn", own.turn_deg, -45, 45);
    if (own.crop && own.crop->empty())
        throw BadParameter("the crop holds no pixel; draw it larger, or take all of the picture");
    if (own.crop)
        for (const int value : {own.crop->x, own.crop->y, own.crop->width, own.crop->height})
            check_range("the crop", value, -1e6, 1e6);
}

void check(const Fringes& own) {
    for (const LateralFringe& colour : {own.red, own.blue}) {
        check_range("how far a colour lies outwards", colour.linear, -0.01, 0.01);
        check_range("how far a colour lies outwards", colour.square, -0.01, 0.01);
    }
    check_range("fringes at edges", own.at_edges, 0, 1);
}

void check(const Light& own) {
    check_range("the warmth (K)", own.warmth_k, 2000, 15000);
    check_range("green to violet", own.violet, -50, 50);
    check_range("the exposure (EV)", own.exposure_ev, -5, 5);
    check_range("lights", own.lights, -1, 1);
    check_range("shadows", own.shadows, -1, 1);
}

void check(const Tones& own) {
    check_range("the black point", own.black, 0, 1);
    check_range("the white point", own.white, 0, 1);
    if (!(own.white - own.black >= 0.01))
        throw BadParameter("the black point lies above the white point; move one of them");
    check_range("the middle tone", own.middle, 0.05, 0.95);
    double tone = -1, becomes = -1;
    for (const TonePoint& point : own.curve) {
        check_range("a point of the curve", point.tone, 0, 1);
        check_range("a point of the curve", point.becomes, 0, 1);
        if (!(point.tone > tone && point.becomes >= becomes))
            throw BadParameter("the curve falls; each of its points lies right of and above the one before");
        tone = point.tone, becomes = point.becomes;
    }
}

void check(const Colour& own) {
    check_range("the saturation", own.saturation, -1, 1);
    check_range("the vibrance", own.vibrance, -1, 1);
    for (const OneColour& one : own.ones) {
        check_range("the hue of one colour", one.hue_deg, 0, 360);
        check_range("the turn of one colour's hue", one.turn_deg, -60, 60);
        check_range("the saturation of one colour", one.saturation, -1, 1);
        check_range("the lightness of one colour", one.lightness, -1, 1);
    }
}

void check(const Detail& own) {
    check_range("the clarity", own.clarity, -1, 1);
    check_range("the sharpening", own.sharpening, 0, 3);
    check_range("the radius of sharpening (px)", own.radius_px, 0.3, 5);
    check_range("the threshold of sharpening", own.threshold, 0, 0.1);
    for (const SharpenedStroke& stroke : own.painted) {
        check_range("the brush of sharpening (px)", stroke.radius_px, 0.5, 10000);
        check_range("the softness of its brush", stroke.softness, 0, 1);
        for (const cv::Point2d& point : stroke.points)
            for (const double value : {point.x, point.y})
                check_range("a stroke of sharpening", value, -1e6, 1e6);
    }
    check_range("the noise", own.noise, 0, 0.1);
    check_range("the colour noise", own.colour_noise, 0, 1);
}

void check(const Vignette& own) {
    check_range("the vignette (EV)", own.corners_ev, -4, 4);
    check_range("the vignette's centre", own.across, 0, 1);
    check_range("the vignette's centre", own.down, 0, 1);
    check_range("the vignette's roundness", own.roundness, 0, 1);
}

void check(const Ground& own) {
    check_range("the reach of the ground", own.reach, 0.02, 0.5);
    check_range("the shadow kept on the ground", own.keep_shadow, 0, 1);
    check_range("the tone of the ground", own.tone, 0, 1);
    if (own.colour)
        for (const double value : own.colour->val) check_range("the colour of the ground", value, 0, 1);
}

/// Calls `act` with the part of that name.
template <class Own, class Act>
auto with_part(Own& finish, FinishPart part, const Act& act) {
    switch (part) {
        case FinishPart::lens:
            return act(finish.lens);
        case FinishPart::framing:
            return act(finish.framing);
        case FinishPart::fringes:
            return act(finish.fringes);
        case FinishPart::light:
            return act(finish.light);
        case FinishPart::tones:
            return act(finish.tones);
        case FinishPart::colour:
            return act(finish.colour);
        case FinishPart::detail:
            return act(finish.detail);
        case FinishPart::vignette:
            return act(finish.vignette);
        case FinishPart::ground:
            break;
    }
    return act(finish.ground);
}

/// Words put together with commas.
class Words {
  public:
    template <class... Values>
    void add(bool wanted, const char* format, Values... values) {
        if (!wanted) return;
        char text[96];
        std::snprintf(text, sizeof text, format, values...);
        all_ += (all_.empty() ? "" : ", ") + std::string(text);
    }
    const std::string& all() const { return all_; }

  private:
    std::string all_;
};

double percent(double share) {
    return std::round(100 * share);
}

void say(Words& words, const Lens& own) {
    if (own.name.empty()) return;
    words.add(true, "%.80s", own.name.c_str());
    words.add(own.straightens, "straightened");
    words.add(own.evens_light, "light evened");
}
void say(Words& words, const Framing& own) {
    if (own.crop) words.add(true, "%d x %d px", own.crop->width, own.crop->height);
    words.add(own.turn_deg != 0, "turned by %+.2f°", own.turn_deg);
}
void say(Words& words, const Fringes& own) {
    const auto corner = [](const LateralFringe& colour) { return 1000 * (colour.linear + colour.square); };
    words.add(own.red != LateralFringe{}, "red moved %+.2f per mille", -corner(own.red));
    words.add(own.blue != LateralFringe{}, "blue moved %+.2f per mille", -corner(own.blue));
    words.add(own.at_edges != 0, "fringes at edges %.0f %%", percent(own.at_edges));
}
void say(Words& words, const Light& own) {
    words.add(own.warmth_k != kNeutralWarmth, "%.0f K", own.warmth_k);
    words.add(own.violet != 0, "violet %+.1f", own.violet);
    words.add(own.exposure_ev != 0, "exposure %+.2f EV", own.exposure_ev);
    words.add(own.lights != 0, "lights %+.0f %%", percent(own.lights));
    words.add(own.shadows != 0, "shadows %+.0f %%", percent(own.shadows));
}
void say(Words& words, const Tones& own) {
    words.add(own.black != 0, "black %.2g %%", 100 * own.black);
    words.add(own.white != 1, "white %.3g %%", 100 * own.white);
    words.add(own.middle != 0.5, "middle %.0f %%", percent(own.middle));
    words.add(!own.curve.empty(), own.curve.size() == 1 ? "curve of %zu point" : "curve of %zu points",
              own.curve.size());
}
void say(Words& words, const Colour& own) {
    words.add(own.saturation != 0, "saturation %+.0f %%", percent(own.saturation));
    words.add(own.vibrance != 0, "vibrance %+.0f %%", percent(own.vibrance));
    words.add(!own.ones.empty(), own.ones.size() == 1 ? "%zu colour" : "%zu colours", own.ones.size());
}
void say(Words& words, const Detail& own) {
    words.add(own.clarity != 0, "clarity %+.0f %%", percent(own.clarity));
    words.add(
        own.sharpening != 0,
        own.painted.empty() ? "sharpened %.0f %% at %.1f px" : "sharpened %.0f %% at %.1f px where painted",
        percent(own.sharpening), own.radius_px);
    words.add(own.noise != 0, "noise %.1f %%", 100 * own.noise);
    words.add(own.colour_noise != 0, "colour noise %.0f %%", percent(own.colour_noise));
}
void say(Words& words, const Vignette& own) {
    words.add(own.corners_ev != 0, "corners %+.2f EV", own.corners_ev);
}
void say(Words& words, const Ground& own) {
    if (!own.picked) return;
    const auto byte = [&](int c) { return int(std::lround(255 * (*own.colour)[c])); };
    if (own.colour) words.add(true, "#%02x%02x%02x", byte(0), byte(1), byte(2));
    words.add(!own.colour && own.tone >= 1, "white");
    words.add(!own.colour && own.tone <= 0, "black");
    words.add(!own.colour && own.tone > 0 && own.tone < 1, "tone %.0f %%", percent(own.tone));
    words.add(own.keep_shadow > 0, "shadow kept %.0f %%", percent(own.keep_shadow));
}

}  // namespace

bool is_neutral(const Lens& own) {
    return own.is_off || own.name.empty() || (!own.straightens && !own.evens_light);
}
bool is_neutral(const Framing& own) {
    return own.is_off || (own.turn_deg == 0 && !own.crop);
}
bool is_neutral(const Fringes& own) {
    return own.is_off || (own.red == LateralFringe{} && own.blue == LateralFringe{} && own.at_edges == 0);
}
bool is_neutral(const Light& own) {
    return own.is_off || (own.warmth_k == kNeutralWarmth && own.violet == 0 && own.exposure_ev == 0 &&
                          own.lights == 0 && own.shadows == 0);
}
bool is_neutral(const Tones& own) {
    return own.is_off || (own.black == 0 && own.white == 1 && own.middle == 0.5 && own.curve.empty());
}
bool is_neutral(const Colour& own) {
    return own.is_off || (own.saturation == 0 && own.vibrance == 0 && own.ones.empty());
}
bool is_neutral(const Detail& own) {
    return own.is_off || (own.clarity == 0 && own.sharpening == 0 && own.noise == 0 && own.colour_noise == 0);
}
bool is_neutral(const Vignette& own) {
    return own.is_off || own.corners_ev == 0;
}
bool is_neutral(const Ground& own) {
    return own.is_off || !own.picked;
}
bool leaves_pixels(const Finish& own) {
    return is_neutral(own.lens) && is_neutral(own.fringes) && is_neutral(own.light) &&
           is_neutral(own.tones) && is_neutral(own.colour) && is_neutral(own.detail) &&
           is_neutral(own.vignette) && is_neutral(own.ground);
}
bool is_neutral(const Finish& own) {
    return is_neutral(own.framing) && leaves_pixels(own);
}

bool has_places(const Finish& own) {
    return own.framing.crop || own.framing.turn_deg != 0 || own.ground.picked || !own.detail.painted.empty();
}

void check(const Finish& finish) {
    for (const FinishPart part : kFinishParts) with_part(finish, part, [](const auto& own) { check(own); });
}

const char* name_of(FinishPart part) {
    static const char* const names[] = {"lens",   "frame",  "fringes",  "light", "tones",
                                        "colour", "detail", "vignette", "ground"};
    return names[int(part)];
}

bool is_set(const Finish& finish, FinishPart part) {
    return with_part(finish, part, [](auto own) {
        own.is_off = false;
        return own != decltype(own){};
    });
}

bool is_off(const Finish& finish, FinishPart part) {
    return with_part(finish, part, [](const auto& own) { return own.is_off; });
}

Finish with_off(Finish finish, FinishPart part, bool off) {
    with_part(finish, part, [off](auto& own) { own.is_off = off; });
    return finish;
}

Finish without(Finish finish, FinishPart part) {
    with_part(finish, part, [](auto& own) { own = {}; });
    return finish;
}

std::string in_words(const Finish& finish, FinishPart part) {
    Words words;
    with_part(finish, part, [&](const auto& own) { say(words, own); });
    return words.all();
}

}  // namespace moorhaze
