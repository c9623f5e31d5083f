// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/finish_json.h"

#include <fstream>

#include "core/files/safe_write.h"
#include "core/work/json_text.h"
#include "core/work/members.h"

namespace moorhaze {
namespace {

using Json = nlohmann::ordered_json;

constexpr int kLookVersion = 1;
constexpr const char* kCorners[] = {"left_out", "transparent", "white",
                                    "continued"};  // in the order of EmptyCorners

constexpr const char* kCompressions[] = {"none", "lzw", "deflate"};         // TiffCompression
constexpr const char* kProfiles[] = {"as_frames", "srgb", "wide", "file"};  // ProfileWish
constexpr const char* kIntents[] = {"relative", "perceptual", "absolute"};  // ColourIntent
constexpr const char* kSizes[] = {"full", "long_side", "width", "height", "percent", "print"};  // SizeWish

struct NamedFormat {
    FileFormat format;
    const char* name;
};
constexpr NamedFormat kFormats[] = {
    {FileFormat::tiff, "tiff"},   {FileFormat::jpeg, "jpeg"},      {FileFormat::png, "png"},
    {FileFormat::jxl, "jpeg-xl"}, {FileFormat::raw, "linear-dng"}, {FileFormat::open_raster, "open-raster"}};

std::size_t format_place(FileFormat format) {
    for (std::size_t i = 0; i < std::size(kFormats); ++i)
        if (kFormats[i].format == format) return i;
    return 0;
}
FileFormat format_named(const std::string& name) {
    for (const NamedFormat& own : kFormats)
        if (name == own.name) return own.format;
    throw FileError("says format " + name + ", which cannot be written");
}

Json json_of_part(const Lens& own) {
    return {{"name", own.name},
            {"camera_maker", own.camera_maker},
            {"camera_model", own.camera_model},
            {"focal_mm", own.focal_mm},
            {"f_number", own.f_number},
            {"focus_m", own.focus_m},
            {"straightens", own.straightens},
            {"evens_light", own.evens_light}};
}
void read_part(Members& members, Lens& own) {
    members.get("name", own.name);
    members.get("camera_maker", own.camera_maker);
    members.get("camera_model", own.camera_model);
    members.get("focal_mm", own.focal_mm);
    members.get("f_number", own.f_number);
    members.get("focus_m", own.focus_m);
    members.get("straightens", own.straightens);
    members.get("evens_light", own.evens_light);
}

Json json_of_part(const Framing& own) {
    Json json{{"turn_deg", own.turn_deg},
              {"turned_about_px", {own.turned_about.x, own.turned_about.y}},
              {"corners", kCorners[int(own.corners)]}};
    if (own.crop) json["crop_px"] = {own.crop->x, own.crop->y, own.crop->width, own.crop->height};
    return json;
}
void read_part(Members& members, Framing& own) {
    members.get("turn_deg", own.turn_deg);
    members.point("turned_about_px", own.turned_about);
    if (const Json* crop = members.find("crop_px"))
        own.crop = {crop->at(0).get<int>(), crop->at(1).get<int>(), crop->at(2).get<int>(),
                    crop->at(3).get<int>()};
    own.corners = EmptyCorners(place_in(kCorners, members, "corners", 0));
}

Json json_of_part(const Fringes& own) {
    return {{"red", {own.red.linear, own.red.square}},
            {"blue", {own.blue.linear, own.blue.square}},
            {"at_edges", own.at_edges}};
}
void read_part(Members& members, Fringes& own) {
    const auto read_colour = [&](const char* name, LateralFringe& colour) {
        if (const Json* found = members.find(name))
            colour = {found->at(0).get<double>(), found->at(1).get<double>()};
    };
    read_colour("red", own.red);
    read_colour("blue", own.blue);
    members.get("at_edges", own.at_edges);
}

Json json_of_part(const Light& own) {
    return {{"warmth_k", own.warmth_k},
            {"violet", own.violet},
            {"exposure_ev", own.exposure_ev},
            {"lights", own.lights},
            {"shadows", own.shadows}};
}
void read_part(Members& members, Light& own) {
    members.get("warmth_k", own.warmth_k);
    members.get("violet", own.violet);
    members.get("exposure_ev", own.exposure_ev);
    members.get("lights", own.lights);
    members.get("shadows", own.shadows);
}

Json json_of_part(const Tones& own) {
    Json json{{"black", own.black}, {"white", own.white}, {"middle", own.middle}};
    for (const TonePoint& point : own.curve) json["curve"].push_back({point.tone, point.becomes});
    return json;
}
void read_part(Members& members, Tones& own) {
    members.get("black", own.black);
    members.get("white", own.white);
    members.get("middle", own.middle);
    if (const Json* curve = members.find("curve"))
        for (const Json& point : *curve)
            own.curve.push_back({point.at(0).get<double>(), point.at(1).get<double>()});
}

Json json_of_part(const Colour& own) {
    Json json{{"saturation", own.saturation}, {"vibrance", own.vibrance}};
    for (const OneColour& one : own.ones)
        json["ones"].push_back({{"hue_deg", one.hue_deg},
                                {"turn_deg", one.turn_deg},
                                {"saturation", one.saturation},
                                {"lightness", one.lightness}});
    return json;
}
void read_part(Members& members, Colour& own) {
    members.get("saturation", own.saturation);
    members.get("vibrance", own.vibrance);
    if (const Json* ones = members.find("ones"))
        for (const Json& json : *ones) {
            Members of_one(json, "one colour's");
            OneColour one;
            of_one.get("hue_deg", one.hue_deg);
            of_one.get("turn_deg", one.turn_deg);
            of_one.get("saturation", one.saturation);
            of_one.get("lightness", one.lightness);
            of_one.done();
            own.ones.push_back(one);
        }
}

Json json_of_part(const Detail& own) {
    Json json{{"clarity", own.clarity},     {"sharpening", own.sharpening},
              {"radius_px", own.radius_px}, {"threshold", own.threshold},
              {"noise", own.noise},         {"colour_noise", own.colour_noise}};
    for (const SharpenedStroke& stroke : own.painted) {
        Json points = Json::array();
        for (const cv::Point2d& point : stroke.points) points.push_back(point.x), points.push_back(point.y);
        json["painted"].push_back({{"points_px", points},
                                   {"radius_px", stroke.radius_px},
                                   {"softness", stroke.softness},
                                   {"takes_back", stroke.takes_back}});
    }
    return json;
}
void read_part(Members& members, Detail& own) {
    members.get("clarity", own.clarity);
    members.get("sharpening", own.sharpening);
    members.get("radius_px", own.radius_px);
    members.get("threshold", own.threshold);
    if (const Json* painted = members.find("painted")) {
        std::vector<SharpenedStroke> strokes;
        for (const Json& json : *painted) {
            Members of_one(json, "a stroke of sharpening's");
            SharpenedStroke stroke;
            if (const Json* points = of_one.find("points_px"))
                for (std::size_t i = 0; i + 1 < points->size(); i += 2)
                    stroke.points.emplace_back(points->at(i).get<double>(), points->at(i + 1).get<double>());
            of_one.get("radius_px", stroke.radius_px);
            of_one.get("softness", stroke.softness);
            of_one.get("takes_back", stroke.takes_back);
            of_one.done();
            strokes.push_back(stroke);
        }
        own.painted = SharedList(strokes);
    }
    members.get("noise", own.noise);
    members.get("colour_noise", own.colour_noise);
}

Json json_of_part(const Vignette& own) {
    return {{"corners_ev", own.corners_ev},
            {"across", own.across},
            {"down", own.down},
            {"roundness", own.roundness}};
}
void read_part(Members& members, Vignette& own) {
    members.get("corners_ev", own.corners_ev);
    members.get("across", own.across);
    members.get("down", own.down);
    members.get("roundness", own.roundness);
}

Json json_of_part(const Ground& own) {
    Json json{{"reach", own.reach}, {"keep_shadow", own.keep_shadow}, {"tone", own.tone}};
    if (own.picked) json["picked_px"] = {own.picked->x, own.picked->y};
    if (own.colour) json["colour"] = {(*own.colour)[0], (*own.colour)[1], (*own.colour)[2]};
    return json;
}
void read_part(Members& members, Ground& own) {
    members.get("reach", own.reach);
    members.get("keep_shadow", own.keep_shadow);
    members.get("tone", own.tone);
    if (const Json* colour = members.find("colour"))
        own.colour =
            cv::Vec3d(colour->at(0).get<double>(), colour->at(1).get<double>(), colour->at(2).get<double>());
    cv::Point2d picked{-1e9, 0};
    members.point("picked_px", picked);
    if (picked.x > -1e8) own.picked = picked;
}

template <class Part>
void add(Json& json, const char* name, const Part& part) {
    if (part == Part{}) return;
    json[name] = json_of_part(part);
    if (part.is_off) json[name]["off"] = true;
}
template <class Part>
void read(Members& members, const char* name, Part& part) {
    const Json* found = members.find(name);
    if (!found) return;
    Members own(*found, name);
    read_part(own, part);
    own.get("off", part.is_off);
    own.done();
}

Json json_object(const Finish& finish) {
    Json json = Json::object();
    add(json, "lens", finish.lens);
    add(json, "framing", finish.framing);
    add(json, "fringes", finish.fringes);
    add(json, "light", finish.light);
    add(json, "tones", finish.tones);
    add(json, "colour", finish.colour);
    add(json, "detail", finish.detail);
    add(json, "vignette", finish.vignette);
    add(json, "ground", finish.ground);
    return json;
}

Finish finish_of_object(Members& members) {
    Finish finish;
    read(members, "lens", finish.lens);
    read(members, "framing", finish.framing);
    read(members, "fringes", finish.fringes);
    read(members, "light", finish.light);
    read(members, "tones", finish.tones);
    read(members, "colour", finish.colour);
    read(members, "detail", finish.detail);
    read(members, "vignette", finish.vignette);
    read(members, "ground", finish.ground);
    members.done();
    try {
        check(finish);
    } catch (const BadParameter& error) {
        throw FileError(std::string("cannot be: ") + error.what());
    }
    return finish;
}

}  // namespace

std::string json_of(const Finish& finish) {
    return json_text(json_object(finish));
}

Finish finish_of(const std::string& text) {
    try {
        const Json json = parsed_json(text);
        Members members(json, "of the finish");
        return finish_of_object(members);
    } catch (const nlohmann::json::exception& error) {
        throw FileError(std::string("holds no finish (") + error.what() + ")");
    }
}

std::string json_of(const HandOver& own) {
    Json json{{"outputs", Json::array()}};
    for (const Output& output : own.outputs) {
        Json file{{"format", kFormats[format_place(output.format)].name},
                  {"bits", output.bits},
                  {"quality", output.quality},
                  {"compression", kCompressions[int(output.compression)]},
                  {"profile", kProfiles[int(output.profile)]},
                  {"size", kSizes[int(output.size.wish)]},
                  {"size_value", output.size.value},
                  {"dots_per_inch", output.size.dots_per_inch},
                  {"sharpen", output.sharpen},
                  {"name", output.name}};
        if (!output.profile_file.empty()) file["profile_file"] = output.profile_file.string();
        if (output.intent != ColourIntent::relative) file["intent"] = kIntents[int(output.intent)];
        if (output.is_off) file["off"] = true;
        json["outputs"].push_back(file);
    }
    if (own.about != AboutPicture{})
        json["about"] = {{"title", own.about.title},
                         {"description", own.about.description},
                         {"creator", own.about.creator},
                         {"rights", own.about.rights},
                         {"keywords", own.about.keywords}};
    if (!own.article.empty()) json["article"] = own.article;
    if (!own.article_list.empty()) json["article_list"] = own.article_list.string();
    if (own.with_private) json["with_private"] = true;
    return json_text(json);
}

HandOver hand_over_of(const std::string& text) {
    HandOver own;
    try {
        const Json json = parsed_json(text);
        Members members(json, "of handing over");
        members.get("article", own.article);
        std::string article_list;
        members.get("article_list", article_list);
        own.article_list = article_list;
        members.get("with_private", own.with_private);
        if (const Json* about = members.find("about")) {
            Members said(*about, "about the picture");
            said.get("title", own.about.title);
            said.get("description", own.about.description);
            said.get("creator", own.about.creator);
            said.get("rights", own.about.rights);
            said.get("keywords", own.about.keywords);
            said.done();
        }
        if (const Json* outputs = members.find("outputs")) {
            own.outputs.clear();
            for (const Json& file : *outputs) {
                Members of_file(file, "of an output");
                Output output;
                std::string format = "tiff", profile_file;
                of_file.get("format", format);
                output.format = format_named(format);
                of_file.get("bits", output.bits);
                of_file.get("quality", output.quality);
                output.compression =
                    TiffCompression(place_in(kCompressions, of_file, "compression", int(output.compression)));
                output.profile = ProfileWish(place_in(kProfiles, of_file, "profile", int(output.profile)));
                output.size.wish = SizeWish(place_in(kSizes, of_file, "size", int(output.size.wish)));
                of_file.get("size_value", output.size.value);
                of_file.get("dots_per_inch", output.size.dots_per_inch);
                of_file.get("sharpen", output.sharpen);
                of_file.get("name", output.name);
                of_file.get("profile_file", profile_file);
                output.profile_file = profile_file;
                output.intent = ColourIntent(place_in(kIntents, of_file, "intent", 0));
                of_file.get("off", output.is_off);
                of_file.done();
                check(output);
                own.outputs.push_back(output);
            }
        }
        members.done();
    } catch (const nlohmann::json::exception& error) {
        throw FileError(std::string("does not say how to hand over (") + error.what() + ")");
    } catch (const BadParameter& error) {
        throw FileError(std::string("cannot be: ") + error.what());
    }
    return own;
}

void write_look(const std::filesystem::path& file, const Finish& finish, bool overwrite) {
    Json json{{"moorhaze_look", kLookVersion}};
    json.update(json_object(with_look({}, finish)));
    write_text_file(file, json_text(json, 1) + "\n", overwrite);
}

Finish read_look(const std::filesystem::path& file) {
    std::ifstream in(file);
    if (!in) throw FileError(file.string() + ": cannot be read. Check that it exists and may be read.");
    try {
        const Json json = parsed_json(in);
        Members members(json, "of the look");
        int version = 0;
        members.get("moorhaze_look", version);
        if (version < 1) throw FileError("is no look of Moorhaze");
        if (version > kLookVersion)
            throw FileError("is of a newer version than this Moorhaze. Use the newer one.");
        return finish_of_object(members);
    } catch (const nlohmann::json::exception& error) {
        throw FileError(file.string() + ": is no look of Moorhaze (" + error.what() + ")");
    } catch (const FileError& error) {
        throw FileError(file.string() + ": " + error.what());
    }
}

Finish with_look(Finish finish, const Finish& look) {
    finish.fringes = look.fringes;
    finish.light = look.light;
    finish.tones = look.tones;
    finish.colour = look.colour;
    const auto painted = finish.detail.painted;
    finish.detail = look.detail;
    finish.detail.painted = painted;
    finish.vignette = look.vignette;
    return finish;
}

}  // namespace moorhaze
