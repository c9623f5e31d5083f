// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/recipe_json.h"

#include <algorithm>
#include <fstream>
#include <sstream>

#include "core/files/safe_write.h"
#include "core/finish/finish_json.h"
#include "core/project/decisions_json.h"
#include "core/project/unattended.h"
#include "core/work/json_text.h"
#include "core/work/words.h"

namespace moorhaze {
namespace {

using Json = DecisionJson;

constexpr Named<RangeRule::Kind> kRangeKinds[] = {
    {RangeRule::Kind::all, "all"}, {RangeRule::Kind::trimmed, "trimmed"}, {RangeRule::Kind::depth, "depth"}};

void check_share(const char* name, double share) {
    if (!(share >= 0 && share <= 1))
        throw FileError(std::string("says ") + name + " " + words("%g", share) + "; it lies between 0 and 1");
}

Json rule_json(const FlagRule& own) {
    return {{"accept", own.accepts_all ? Json("all") : Json(own.accepted)}};
}
FlagRule flags_of(const Json& json) {
    Members members(json, "of the flags");
    FlagRule own;
    if (const Json* accept = members.find("accept")) {
        own.accepts_all = *accept == "all";
        if (!own.accepts_all) accept->get_to(own.accepted);
    }
    members.done();
    for (const std::string& kind : own.accepted)
        if (std::find(flag_kinds().begin(), flag_kinds().end(), kind) == flag_kinds().end()) {
            std::string all;
            for (const std::string& known : flag_kinds()) all += (all.empty() ? "" : ", ") + known;
            throw FileError("accepts flag " + kind + ", which there is none of. There are: " + all);
        }
    return own;
}

Json rule_json(const RangeRule& own) {
    Json json{{"frames", name_of(kRangeKinds, own.kind)}};
    if (own.kind == RangeRule::Kind::trimmed) json["least_share"] = own.least_share;
    if (own.kind == RangeRule::Kind::depth) {
        json["nearest"] = own.nearest;
        json["farthest"] = own.farthest;
    }
    return json;
}
RangeRule range_of(const Json& json) {
    Members members(json, "of the range");
    RangeRule own;
    if (const Json* kind = members.find("frames")) own.kind = named(kRangeKinds, *kind);
    members.get("least_share", own.least_share);
    members.get("nearest", own.nearest);
    members.get("farthest", own.farthest);
    members.done();
    check_share("least_share", own.least_share);
    check_share("nearest", own.nearest);
    check_share("farthest", own.farthest);
    return own;
}

Json rule_json(const AlignmentRule& own) {
    Json json = json_of(own.placing);
    if (own.reference) json["reference"] = *own.reference;
    return json;
}
AlignmentRule alignment_of(const Json& json) {
    Members members(json, "of the alignment");
    AlignmentRule own;
    read(members, own.placing);
    if (const Json* reference = members.find("reference")) own.reference = reference->get<double>();
    members.done();
    if (own.reference) check_share("reference", *own.reference);
    return own;
}

Json rule_json(const MergeRule& own) {
    Json json = json_of(own.choice);
    if (own.backdrop) json["backdrop"] = *own.backdrop;
    return json;
}
MergeRule merge_of(const Json& json) {
    Members members(json, "of a merge");
    MergeRule own;
    read(members, own.choice);
    if (const Json* backdrop = members.find("backdrop")) own.backdrop = backdrop->get<double>();
    members.done();
    merge_method(own.choice.method);
    check(own.choice.settings);
    if (own.backdrop) check_share("backdrop", *own.backdrop);
    return own;
}

Json rule_json(const DoubtLimits& own) {
    Json json{{"left_out", own.left_out}, {"gap_steps", own.gap_steps}, {"residual_px", own.residual_px}};
    if (own.snags) json["snags"] = *own.snags;
    return json;
}
DoubtLimits doubts_of(const Json& json) {
    Members members(json, "of the doubts");
    DoubtLimits own;
    members.get("left_out", own.left_out);
    members.get("gap_steps", own.gap_steps);
    members.get("residual_px", own.residual_px);
    if (const Json* snags = members.find("snags")) own.snags = snags->get<int>();
    members.done();
    return own;
}

Json rule_json(const TurntableRule& own) {
    Json json{{"views", own.views},
              {"level", own.level},
              {"even_light", own.even_light},
              {"white_ground", own.white_ground},
              {"margin", own.margin}};
    if (own.crop) json["crop_px"] = {own.crop->x, own.crop->y, own.crop->width, own.crop->height};
    return json;
}
TurntableRule turntable_of(const Json& json) {
    Members members(json, "of the turntable");
    TurntableRule own;
    members.get("views", own.views);
    members.get("level", own.level);
    members.get("even_light", own.even_light);
    members.get("white_ground", own.white_ground);
    members.get("margin", own.margin);
    if (const Json* crop = members.find("crop_px"))
        own.crop = PixelRect(crop->at(0).get<int>(), crop->at(1).get<int>(), crop->at(2).get<int>(),
                             crop->at(3).get<int>());
    members.done();
    check_share("margin", own.margin);
    return own;
}

Json development_json(const Development& own) {
    Json json = json_of(own);
    json.erase("orientation");  // belongs to each series
    return json;
}
Development development_of(const Json& json) {
    Members members(json, "of the development");
    Development own;
    read(members, own);
    members.done();
    own.orientation = 0;
    return own;
}

}  // namespace

std::string json_of(const Recipe& recipe) {
    Json json{{"moorhaze_recipe", kRecipeVersion}};
    if (recipe.development) json["development"] = development_json(*recipe.development);
    if (recipe.flags) json["flags"] = rule_json(*recipe.flags);
    if (recipe.range) json["range"] = rule_json(*recipe.range);
    if (recipe.alignment) json["alignment"] = rule_json(*recipe.alignment);
    if (recipe.area) json["area"] = name_of(kKeptAreaNames, *recipe.area);
    if (recipe.merges) {
        json["merge"] = Json::array();
        for (const MergeRule& rule : *recipe.merges) json["merge"].push_back(rule_json(rule));
    }
    if (recipe.finish) json["finish"] = parsed_json(json_of(*recipe.finish));
    if (recipe.hand_over) json["hand_over"] = parsed_json(json_of(*recipe.hand_over));
    if (recipe.doubts) json["doubts"] = rule_json(*recipe.doubts);
    if (recipe.turntable) json["turntable"] = rule_json(*recipe.turntable);
    return json_text(json, 1) + "\n";
}

Recipe recipe_from_json(const std::string& text) {
    try {
        const Json json = parsed_json(text);
        if (!json.is_object() || !json.contains("moorhaze_recipe"))
            throw FileError("is no recipe of Moorhaze");
        Members members(json, "of the recipe");
        int version = 0;
        members.get("moorhaze_recipe", version);
        if (version > kRecipeVersion)
            throw FileError("is of version " + std::to_string(version) + ", newer than this Moorhaze (" +
                            std::to_string(kRecipeVersion) + "). Use the newer one.");
        Recipe recipe;
        if (const Json* own = members.find("development")) recipe.development = development_of(*own);
        if (const Json* own = members.find("flags")) recipe.flags = flags_of(*own);
        if (const Json* own = members.find("range")) recipe.range = range_of(*own);
        if (const Json* own = members.find("alignment")) recipe.alignment = alignment_of(*own);
        if (const Json* own = members.find("area")) recipe.area = named(kKeptAreaNames, *own);
        if (const Json* own = members.find("merge")) {
            recipe.merges.emplace();
            for (const Json& rule : own->is_array() ? *own : Json::array({*own}))
                recipe.merges->push_back(merge_of(rule));
            if (recipe.merges->empty())
                throw FileError("names no way to merge; leave merge out, or name one");
        }
        if (const Json* own = members.find("finish"))
            recipe.finish = without_painted(finish_of(json_text(*own)));
        if (const Json* own = members.find("hand_over")) recipe.hand_over = hand_over_of(json_text(*own));
        if (const Json* own = members.find("doubts")) recipe.doubts = doubts_of(*own);
        if (const Json* own = members.find("turntable")) recipe.turntable = turntable_of(*own);
        members.done();
        return recipe;
    } catch (const nlohmann::json::exception& error) {
        throw FileError("is damaged (" + std::string(error.what()) + ")");
    } catch (const BadParameter& error) {
        throw FileError(std::string("cannot be: ") + error.what());
    }
}

Recipe read_recipe(const std::filesystem::path& file) {
    std::ifstream in(file);
    std::ostringstream text;
    text << in.rdbuf();
    if (!in) throw FileError(file.string() + ": cannot be read. Check that it exists and may be read.");
    try {
        Recipe recipe = recipe_from_json(text.str());
        // Files that a recipe names lie beside it, wherever it is called from.
        const auto beside = [&](std::filesystem::path& named) {
            if (!named.empty() && named.is_relative())
                named = std::filesystem::absolute(file.parent_path() / named).lexically_normal();
        };
        if (recipe.hand_over) {
            beside(recipe.hand_over->article_list);
            for (Output& own : recipe.hand_over->outputs) beside(own.profile_file);
        }
        return recipe;
    } catch (const FileError& error) {
        throw FileError(file.string() + ": " + error.what());
    }
}

void write_recipe(const std::filesystem::path& file, const Recipe& recipe, bool overwrite) {
    write_text_file(file, json_of(recipe), overwrite);
}

}  // namespace moorhaze
