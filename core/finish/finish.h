// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/picture/picture.h"
#include "core/work/shared_list.h"

/// What is done to a merged picture before it leaves: plain values, each neutral by default. The order in
/// which they work is that of finished.h, whatever the order they were set in.
///
/// Tones are shares of the tone scale (see colour_space.h): 0 black, 1 white. A part that is off stays as it
/// was set and does nothing.
namespace moorhaze {

/// What becomes of the corners that a turned picture leaves empty.
enum class EmptyCorners {
    left_out,     ///< the crop gives way: it holds nothing that is empty
    transparent,  ///< formats without transparency make them white
    white,
    continued  ///< the picture's border goes on, softer the farther: for even backdrops
};

/// Which part of the picture is kept, and how it is turned. The turned picture's pixels count as the merge's
/// reference pixels do; they are the same where nothing is turned.
struct Framing {
    double turn_deg = 0;            ///< clockwise, -45..45
    cv::Point2d turned_about;       ///< the place that stays, reference pixels
    std::optional<PixelRect> crop;  ///< in pixels of the turned picture; none: all there is
    EmptyCorners corners = EmptyCorners::left_out;
    bool is_off = false;
    bool operator==(const Framing&) const = default;
};

/// A point of the tone curve.
struct TonePoint {
    double tone = 0, becomes = 0;  ///< 0..1 each
    bool operator==(const TonePoint&) const = default;
};

inline constexpr double kNeutralWarmth = 5500;

struct Light {
    double warmth_k =
        kNeutralWarmth;  ///< colour temperature of the light that fell, 2000..15000; higher: warmer picture
    double violet = 0;   ///< thousandths of Duv (CIE 1960) that the light was too green, -50..50
    double exposure_ev = 0;          ///< -5..5
    double lights = 0, shadows = 0;  ///< -1..1: large light and dark areas, brighter or darker
    bool is_off = false;
    bool operator==(const Light&) const = default;
};

/// Where black and white lie and how the tones between run.
struct Tones {
    double black = 0, white = 1;  ///< tones that become black and white; black < white
    double middle = 0.5;  ///< of the way from black to white: what becomes the middle tone; 0.05..0.95
    std::vector<TonePoint> curve = {};  ///< after black, white and middle; rising in both
    bool is_off = false;
    bool operator==(const Tones&) const = default;
};

/// A change of one colour, by its hue. Hue and chroma are those of Oklab.
struct OneColour {
    double hue_deg = 0;                    ///< 0..360
    double turn_deg = 0;                   ///< of the hue, -60..60
    double saturation = 0, lightness = 0;  ///< -1..1
    bool operator==(const OneColour&) const = default;
};

struct Colour {
    double saturation = 0;  ///< -1 (grey)..1 (twice)
    double vibrance = 0;    ///< -1..1: the same, less of what is saturated already
    std::vector<OneColour> ones = {};
    bool is_off = false;
    bool operator==(const Colour&) const = default;
};

/// A stroke of the brush over what shall be sharpened.
struct SharpenedStroke {
    std::vector<cv::Point2d> points;  ///< reference pixels
    double radius_px = 40;            ///< 0.5..10000
    double softness = 0.6;            ///< 0 hard edge, 1 soft from the middle on
    bool takes_back = false;
    bool operator==(const SharpenedStroke&) const = default;
};

struct Detail {
    double clarity = 0;                        ///< -1..1: contrast of middle sizes
    double sharpening = 0;                     ///< 0..3: times the difference from the blurred picture
    double radius_px = 0.8;                    ///< of that blur, sigma, 0.3..5
    double threshold = 0.005;                  ///< differences of tone below it stay, 0..0.1
    SharedList<SharpenedStroke> painted = {};  ///< where it is sharpened, in order; none: everywhere
    double noise = 0;         ///< of luminance, its standard deviation on the scale of luma.h, 0..0.1
    double colour_noise = 0;  ///< 0..1: how much blotches of colour are evened out
    bool is_off = false;
    bool operator==(const Detail&) const = default;
};

/// What is corrected of the lens, as the lens database knows it (see lens.h), and how the lens stood.
struct Lens {
    std::string name;  ///< empty: nothing is corrected
    std::string camera_maker, camera_model;
    double focal_mm = 0, f_number = 0, focus_m = 0;
    bool straightens = true, evens_light = true;
    bool is_off = false;
    bool operator==(const Lens&) const = default;
};

/// How far one colour lies outwards of green, as shares of a place's distance from the picture's middle.
struct LateralFringe {
    double linear = 0;  ///< everywhere alike, -0.01..0.01
    double square = 0;  ///< times the squared distance in half diagonals, -0.01..0.01
    bool operator==(const LateralFringe&) const = default;
};

/// Fringes of colour that the lens made.
struct Fringes {
    LateralFringe red = {}, blue = {};
    double at_edges = 0;  ///< 0..1: how much violet and green bands along edges lose their colour
    bool is_off = false;
    bool operator==(const Fringes&) const = default;
};

/// Light towards the edges of what is kept.
struct Vignette {
    double corners_ev = 0;            ///< brighter (+) or darker (-) in the corners, -4..4
    double across = 0.5, down = 0.5;  ///< its centre, as shares of what is kept
    double roundness = 0;             ///< 0: as the picture's shape, 1: round
    bool is_off = false;
    bool operator==(const Vignette&) const = default;
};

/// The backdrop of a product picture made one even colour.
struct Ground {
    std::optional<cv::Point2d> picked = {};  ///< a place of it, reference pixels; none: nothing is done
    double reach = 0.12;  ///< difference of colour that still belongs to it, share of its light, 0.02..0.5
    double keep_shadow = 0.5;              ///< 0: shadows and reflections on it go, too; 1: they stay
    double tone = 1;                       ///< what it becomes: 1 white, 0 black
    std::optional<cv::Vec3d> colour = {};  ///< becomes instead, in sRGB (IEC 61966-2-1), 0..1
    bool is_off = false;
    bool operator==(const Ground&) const = default;
};

struct Finish {
    Lens lens;
    Framing framing;
    Fringes fringes;
    Light light;
    Tones tones;
    Colour colour;
    Detail detail;
    Vignette vignette;
    Ground ground;
    bool operator==(const Finish&) const = default;
};

// True when a part does nothing.
bool is_neutral(const Lens& own);
bool is_neutral(const Framing& own);
bool is_neutral(const Fringes& own);
bool is_neutral(const Light& own);
bool is_neutral(const Tones& own);
bool is_neutral(const Colour& own);
bool is_neutral(const Detail& own);
bool is_neutral(const Vignette& own);
bool is_neutral(const Ground& own);
/// All but the framing.
bool leaves_pixels(const Finish& own);
bool is_neutral(const Finish& own);

/// True when something of it lies at a place of the reference plane.
bool has_places(const Finish& finish);

/// @throws BadParameter naming the first value that is outside its range, what it is and what is allowed.
void check(const Finish& finish);

/// The parts, by name, for lists and files.
enum class FinishPart { lens, framing, fringes, light, tones, colour, detail, vignette, ground };
inline constexpr FinishPart kFinishParts[] = {FinishPart::lens,   FinishPart::framing,  FinishPart::fringes,
                                              FinishPart::light,  FinishPart::tones,    FinishPart::colour,
                                              FinishPart::detail, FinishPart::vignette, FinishPart::ground};
const char* name_of(FinishPart part);
bool is_set(const Finish& finish, FinishPart part);  ///< differs from its default, on or off
bool is_off(const Finish& finish, FinishPart part);
Finish with_off(Finish finish, FinishPart part, bool off);
Finish without(Finish finish, FinishPart part);  ///< as it is by default
/// What a part does: "exposure +0.50 EV, shadows +20 %"; empty when it is not set.
std::string in_words(const Finish& finish, FinishPart part);

}  // namespace moorhaze
