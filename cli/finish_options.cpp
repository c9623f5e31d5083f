// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/finish_options.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <iostream>

#include "core/finish/finish_json.h"
#include "core/finish/framing.h"
#include "core/finish/fringes.h"
#include "core/finish/lens.h"
#include "core/finish/noise.h"
#include "core/finish/white_balance.h"
#include "core/project/handed_picture.h"
#include "core/project/words.h"

namespace moorhaze::cli {
namespace {

/// Numbers with something between them: "1,2" or "300x200+5+7".
std::vector<double> numbers(const std::string& text, const std::string& between) {
    std::vector<double> found;
    const char* at = text.data();
    const char* end = at + text.size();
    while (at < end) {
        double value = 0;
        const auto [next, error] = std::from_chars(at, end, value);
        if (error != std::errc()) return {};
        found.push_back(value);
        at = next;
        if (at < end && between.find(*at) == std::string::npos) return {};
        if (at < end) ++at;
        if (at == end && next != end) return {};
    }
    return found;
}

std::vector<double> numbers_of(const char* option, const std::string& text, const std::string& between,
                               std::size_t count, const char* example) {
    const std::vector<double> found = numbers(text, between);
    if (found.size() != count) throw BadParameter(std::string(option) + " " + text + ": expected " + example);
    return found;
}

double share(double percent) {
    return percent / 100;
}

PixelRect crop_of(const std::string& text, PixelRect area) {
    if (const auto colon = text.find(':'); colon != std::string::npos) {
        const auto shape = numbers_of("--crop", text, ":", 2, "WxH+X+Y or a shape such as 3:2");
        if (!(shape[0] > 0 && shape[1] > 0)) throw BadParameter("--crop " + text + ": a shape is above 0");
        return of_shape(area, shape[0], shape[1]);
    }
    const auto size = numbers(text, "x+");
    const bool is_whole = std::all_of(size.begin(), size.end(), [](double value) {
        return value == std::round(value) && std::abs(value) <= 1e6;
    });
    if (size.size() != 4 || !is_whole)
        throw BadParameter("--crop " + text + ": expected WxH+X+Y or a shape such as 3:2");
    const PixelRect crop{int(size[2]), int(size[3]), int(size[0]), int(size[1])};
    if (crop.empty()) throw BadParameter("--crop " + text + ": it holds no pixel");
    return crop;
}

OutputSize size_of(const std::string& text) {
    OutputSize size;
    const auto dpi = text.find("mm@");
    if (dpi != std::string::npos) {
        size.wish = SizeWish::print;
        const auto mm = numbers_of("--size", text.substr(0, dpi), "", 1, "such as 200mm@300");
        const auto dots = numbers_of("--size", text.substr(dpi + 3), "", 1, "such as 200mm@300");
        size.value = mm[0], size.dots_per_inch = dots[0];
        return size;
    }
    const char last = text.empty() ? ' ' : text.back();
    const bool has_unit = last == '%' || last == 'w' || last == 'h';
    size.wish = last == '%'   ? SizeWish::percent
                : last == 'w' ? SizeWish::width
                : last == 'h' ? SizeWish::height
                              : SizeWish::long_side;
    size.value = numbers_of("--size", has_unit ? text.substr(0, text.size() - 1) : text, "", 1,
                            "a long side in px, 1500w, 1000h, 50% or 200mm@300")[0];
    return size;
}

OneColour colour_of(const std::string& text) {
    const auto values = numbers_of("--one-colour", text, ",", 4, "HUE,TURN,SATURATION,LIGHTNESS");
    return {values[0], values[1], share(values[2]), share(values[3])};
}

}  // namespace

void FinishOptions::add_to(CLI::App& command) {
    const auto group = [&](const char* name) { return command.add_option_group(name); };
    auto* finish = group("Finish");
    finish->add_option("--recipe,--look", look, "A look saved as JSON; what is typed beside it counts more");
    finish->add_flag("--lens", correct_lens,
                     "Straightened and its light evened, as the lens database knows the lens");
    finish->add_option("--crop", crop, "WxH+X+Y in pixels of the turned picture, or a shape such as 3:2");
    finish->add_option("--turn", turn_deg, "Degrees clockwise, -45 to 45");
    finish->add_option("--level", level, "X,Y,X,Y: the line between these places becomes level or upright");
    finish
        ->add_option("--corners", corners,
                     "What a turn leaves empty: left-out, transparent, white or continued")
        ->check(CLI::IsMember({"left-out", "transparent", "white", "continued"}));
    finish->add_option("--warmth", warmth_k, "Colour temperature of the light, K; 5500 leaves the picture");
    finish->add_option("--violet", violet, "How much too green the light was, thousandths of Duv");
    finish->add_option("--grey", grey, "X,Y: what lies here becomes grey");
    finish->add_option("--brighten", exposure_ev, "EV");
    finish->add_option("--lights", lights, "Large light areas, -100 to 100 %");
    finish->add_option("--shadows", shadows, "Large dark areas, -100 to 100 %");
    finish->add_flag("--auto-tones", auto_tones, "Black and white point where the picture's tones end");
    finish->add_option("--black-point", black, "Tone that becomes black, %");
    finish->add_option("--white-point", white, "Tone that becomes white, %");
    finish->add_option("--middle", middle, "Of the way from black to white, what becomes the middle tone, %");
    finish->add_option("--curve", curve, "TONE:BECOMES,... in %, rising");
    finish->add_option("--saturation", saturation, "-100 to 100 %");
    finish->add_option("--vibrance", vibrance, "Saturation of what has little, -100 to 100 %");
    finish->add_option("--one-colour", colours, "HUE,TURN,SATURATION,LIGHTNESS: degrees, degrees, %, %");
    finish->add_option("--clarity", clarity, "Contrast of middle sizes, -100 to 100 %");
    finish->add_option("--sharpen", sharpening, "0 to 300 %");
    finish->add_option("--radius", radius_px, "Of sharpening, px");
    finish->add_option("--threshold", threshold, "Differences that are not sharpened, % of the tone scale");
    finish->add_option(
        "--noise", noise,
        "Noise of luminance that is taken out, % of the tone scale, or auto for what is measured");
    finish->add_option("--colour-noise", colour_noise,
                       "How much blotches of colour are evened out, 0 to 100 %");
    finish->add_flag("--lateral-fringes", lateral_fringes,
                     "Red and blue are brought to where green is, as measured in the picture");
    finish->add_option("--edge-fringes", edge_fringes,
                       "How much violet and green bands along edges lose their colour, 0 to 100 %");
    finish->add_option("--vignette", corners_ev, "Light in the corners, EV");
    finish->add_option("--ground", ground, "X,Y: the backdrop here and all that is connected becomes white");
    finish->add_option("--ground-reach", ground_reach, "Difference that still belongs to it, %");
    finish->add_option("--keep-shadow", keep_shadow, "How much of shadows on the ground stays, %");
    finish->add_option("--ground-tone", ground_tone, "What the ground becomes, % of the tone scale");
    auto* file = group("File");
    file->add_option("--size", size, "Long side in px, or 1500w, 1000h, 50%, 200mm@300");
    file->add_option("--sharpen-size", output_sharpening, "Sharpening after it was made smaller, 0 to 100 %");
    file->add_option("--profile", profile, "frames, srgb, wide, or an ICC profile");
    file->add_option("--intent", intent, "Of the way to it: relative, perceptual or absolute")
        ->check(CLI::IsMember({"relative", "perceptual", "absolute"}));
    file->add_option("--bits", bits, "8 or 16");
    file->add_option("--quality", quality, "Of JPEG and JPEG XL, 1 to 100; JPEG XL: 100 is lossless");
    file->add_option("--compression", compression, "Of TIFF: none, lzw or deflate")
        ->check(CLI::IsMember({"none", "lzw", "deflate"}));
    file->add_option("--title", title, "Of the picture, for its metadata");
    file->add_option("--description", description, "Of the picture");
    file->add_option("--creator", creator, "Who made it");
    file->add_option("--rights", rights, "Who may use it");
    file->add_option("--keywords", keywords, "With commas between");
    file->add_flag(
        "--private", with_private,
        "Where the frames were taken, the camera's owner, and its and the lens's numbers go along");
}

Finish FinishOptions::applied_to(Finish finish, PixelRect area) const {
    if (!look.empty()) finish = with_look(finish, read_look(look));
    Framing& framing = finish.framing;
    if (!corners.empty())
        framing.corners = corners == "transparent" ? EmptyCorners::transparent
                          : corners == "white"     ? EmptyCorners::white
                          : corners == "continued" ? EmptyCorners::continued
                                                   : EmptyCorners::left_out;
    if (turn_deg) {
        if (!(*turn_deg >= -45 && *turn_deg <= 45))
            throw BadParameter("--turn lies between -45 and 45 degrees");
        framing = with_turn(framing, area, *turn_deg);
    }
    if (!level.empty()) {
        const auto line = numbers_of("--level", level, ",", 4, "X,Y,X,Y");
        framing = with_level_line(framing, area, {line[0], line[1]}, {line[2], line[3]});
    }
    if (!crop.empty()) framing.crop = crop_of(crop, inside_turned(framing, area));
    Light& light = finish.light;
    light.warmth_k = warmth_k.value_or(light.warmth_k);
    light.violet = violet.value_or(light.violet);
    light.exposure_ev = exposure_ev.value_or(light.exposure_ev);
    const auto set_share = [](double& own, const std::optional<double>& percent) {
        if (percent) own = share(*percent);
    };
    set_share(light.lights, lights);
    set_share(light.shadows, shadows);
    set_share(finish.tones.black, black);
    set_share(finish.tones.white, white);
    set_share(finish.tones.middle, middle);
    if (!curve.empty()) {
        const auto values = numbers(curve, ":,");
        if (values.empty() || values.size() % 2 != 0)
            throw BadParameter("--curve " + curve + ": expected TONE:BECOMES,... in %");
        finish.tones.curve.clear();
        for (std::size_t i = 0; i < values.size(); i += 2)
            finish.tones.curve.push_back({share(values[i]), share(values[i + 1])});
    }
    set_share(finish.colour.saturation, saturation);
    set_share(finish.colour.vibrance, vibrance);
    for (const std::string& one : colours) finish.colour.ones.push_back(colour_of(one));
    set_share(finish.detail.clarity, clarity);
    set_share(finish.detail.sharpening, sharpening);
    finish.detail.radius_px = radius_px.value_or(finish.detail.radius_px);
    set_share(finish.detail.threshold, threshold);
    if (!noise.empty() && noise != "auto")
        finish.detail.noise = share(numbers_of("--noise", noise, "", 1, "% of the tone scale, or auto")[0]);
    set_share(finish.detail.colour_noise, colour_noise);
    set_share(finish.fringes.at_edges, edge_fringes);
    finish.vignette.corners_ev = corners_ev.value_or(finish.vignette.corners_ev);
    if (!ground.empty()) {
        const auto at = numbers_of("--ground", ground, ",", 2, "X,Y");
        finish.ground.picked = cv::Point2d(at[0], at[1]);
    }
    set_share(finish.ground.reach, ground_reach);
    set_share(finish.ground.keep_shadow, keep_shadow);
    set_share(finish.ground.tone, ground_tone);
    check(finish);
    kept_of(finish.framing, area);
    return finish;
}

Finish FinishOptions::fitted_to(Finish finish, const FinishSubject& subject) const {
    const Picture& picture = subject.levels[0];
    if (noise == "auto") finish.detail.noise = noise_of(picture, subject.curve, {});
    if (lateral_fringes) finish.fringes = with_lateral_found(finish.fringes, picture, subject.curve, {});
    if (!grey.empty()) {
        const auto at = numbers_of("--grey", grey, ",", 2, "X,Y");
        finish.light = with_grey_at(finish.light, light_around(subject, {at[0], at[1]}), subject.space);
    }
    if (auto_tones) finish.tones = auto_tones_of(subject, finish);
    return finish;
}

Output FinishOptions::output_for(Output output, const std::string& file) const {
    output.format = format_of_name(file);
    if (output.format == FileFormat::jpeg) output.bits = 8;
    if (output.format == FileFormat::raw) output.bits = 16;
    output.bits = bits.value_or(output.bits);
    output.quality = quality.value_or(output.quality);
    output.sharpen = output_sharpening ? share(*output_sharpening) : output.sharpen;
    if (!compression.empty())
        output.compression = compression == "none"  ? TiffCompression::none
                             : compression == "lzw" ? TiffCompression::lzw
                                                    : TiffCompression::deflate;
    if (!size.empty()) output.size = size_of(size);
    if (!profile.empty()) {
        output.profile = profile == "frames" ? ProfileWish::as_frames
                         : profile == "srgb" ? ProfileWish::srgb
                         : profile == "wide" ? ProfileWish::wide
                                             : ProfileWish::file;
        if (output.profile == ProfileWish::file) output.profile_file = profile;
    }
    if (!intent.empty())
        output.intent = intent == "perceptual" ? ColourIntent::perceptual
                        : intent == "absolute" ? ColourIntent::absolute
                                               : ColourIntent::relative;
    check(output);
    return output;
}

HandOver FinishOptions::said_for(HandOver own) const {
    AboutPicture& about = own.about;
    about.title = title.value_or(about.title);
    about.description = description.value_or(about.description);
    about.creator = creator.value_or(about.creator);
    about.rights = rights.value_or(about.rights);
    if (keywords) about.keywords = keywords_of(*keywords);
    own.with_private = own.with_private || with_private;
    return own;
}

namespace {

Lens lens_or_refuse(const ShootingData& shooting) {
    if (const auto lens = lens_of(shooting)) return *lens;
    throw FileError("--lens: " + (shooting.lens.empty()
                                      ? "the frames do not say which lens they were taken with"
                                      : "the lens database knows no " + shooting.lens));
}

}  // namespace

Finish finish_and_write(const FinishOptions& options, const std::string& file, const ToFinish& own,
                        bool overwrite, const Job& job) {
    Output output = own.hand_over.outputs.empty() ? Output{} : own.hand_over.outputs.front();
    output = options.output_for(output, file);
    profile_of_output(output, own.picture.profile);  // wrong use is said before the work
    auto subject = finish_subject(own.picture, own.corner, 1, job.part(0, 0.2));
    Finish wanted = options.applied_to(own.finish, subject->area);
    if (options.correct_lens) wanted.lens = lens_or_refuse(own.shooting);
    subject = with_lens(subject, wanted.lens, own.frame, job.part(0.2, 0.3));
    const Finish used = options.fitted_to(wanted, *subject);
    subject = with_ground(subject, used.ground, job.part(0.3, 0.4));
    HandedPicture handed = handed_picture(subject, used, job.part(0.4, 0.7));
    handed.raw = own.raw;
    if (own.layers)
        handed.layers = [&](const TakeLayer& take, const Job& part) { own.layers(used, take, part); };
    const std::string unsaid = write_output(
        file, handed, output,
        said_of(options.said_for(own.hand_over), own.shooting, own.made_with + finish_in_words(used)),
        overwrite, job.part(0.7, 1));
    if (!unsaid.empty()) std::cerr << "moorhaze-cli: " << file << ": " << unsaid << "\n";
    return used;
}

}  // namespace moorhaze::cli
