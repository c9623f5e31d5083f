// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/recipe.h"

#include <algorithm>
#include <cmath>
#include <fstream>
#include <sstream>

#include "core/files/safe_write.h"
#include "core/finish/finish_json.h"
#include "core/project/decisions_json.h"
#include "core/project/edits.h"
#include "core/work/json_text.h"
#include "core/work/words.h"

namespace moorhaze {
namespace {

using Json = DecisionJson;

constexpr Named<RangeRule::Kind> kRangeKinds[] = {
    {RangeRule::Kind::all, "all"}, {RangeRule::Kind::trimmed, "trimmed"}, {RangeRule::Kind::depth, "depth"}};

int place_at(double share, int count) {
    return std::clamp(int(std::lround(share * (count - 1))), 0, std::max(0, count - 1));
}
double share_of(int place, int count) {
    return count > 1 ? double(place) / (count - 1) : 0;
}
std::optional<double> share_of(const Project& project, const std::optional<FrameId>& frame) {
    const auto place = frame ? place_of(project, *frame) : std::nullopt;
    return place ? std::optional(share_of(*place, project.frames.size())) : std::nullopt;
}

void check_share(const char* name, double share) {
    if (!(share >= 0 && share <= 1))
        throw FileError(std::string("says ") + name + " " + words("%g", share) + "; it lies between 0 and 1");
}

std::string percent(double share) {
    return words("%.0f %%", 100 * share);
}

Json json_of(const FlagRule& own) {
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

Json json_of(const RangeRule& own) {
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

Json json_of(const AlignmentRule& own) {
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

Json json_of(const MergeRule& own) {
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

Json json_of(const DoubtLimits& own) {
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

Json json_of(const TurntableRule& own) {
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

/// What was done at places of one picture does not fit another.
Finish without_painted(Finish finish) {
    finish.detail.painted = {};
    return finish;
}

}  // namespace

FrameRange range_by(const RangeRule& rule, const std::vector<double>& share) {
    const int count = int(share.size());
    if (rule.kind == RangeRule::Kind::depth) {
        const int one = place_at(rule.nearest, count), other = place_at(rule.farthest, count);
        return {std::min(one, other), std::max(one, other)};
    }
    FrameRange range{0, count - 1};
    if (rule.kind == RangeRule::Kind::all) return range;
    const auto counts = [&](int frame) { return share[std::size_t(frame)] >= rule.least_share; };
    while (range.first < range.last && !counts(range.first)) ++range.first;
    while (range.last > range.first && !counts(range.last)) --range.last;
    // Nothing counts: an even picture, of which nothing is known.
    return counts(range.first) ? range : FrameRange{0, count - 1};
}

const char* name_of(RecipePart part) {
    constexpr const char* names[] = {"development", "flags",  "range",     "alignment", "area",
                                     "merge",       "finish", "hand_over", "doubts",    "turntable"};
    return names[int(part)];
}

const char* title_of(RecipePart part) {
    constexpr const char* titles[] = {"Development of raw files",
                                      "Frames with faults",
                                      "Range",
                                      "Alignment",
                                      "Area kept",
                                      "Merge",
                                      "Finish",
                                      "Files to write",
                                      "When to look",
                                      "Turntable"};
    return titles[int(part)];
}

Recipe recipe_of(const Project& project) {
    Recipe recipe;
    recipe.development = project.development;
    recipe.development->orientation = 0;
    // Frames that the person left out or kept are the series' own; which flags matter was not said.
    recipe.flags = FlagRule{};
    RangeRule range;
    if (project.nearest || project.farthest) {
        const FrameRange own = moorhaze::range_of(project);
        range.kind = RangeRule::Kind::depth;
        range.nearest = share_of(own.first, project.frames.size());
        range.farthest = share_of(own.last, project.frames.size());
    }
    recipe.range = range;
    AlignmentRule alignment{project.placing, share_of(project, project.reference)};
    alignment.placing.points.clear();
    recipe.alignment = alignment;
    recipe.area = project.kept;
    MergeRule merge{project.merge, share_of(project, project.merge.backdrop)};
    merge.choice.backdrop = {};
    recipe.merges = {merge};
    recipe.finish = without_painted(project.finish.finish);
    recipe.hand_over = project.hand_over;
    recipe.hand_over->article.clear();  // each series has its own
    recipe.doubts = DoubtLimits{};
    return recipe;
}

bool carries(const Recipe& recipe, RecipePart part) {
    switch (part) {
        case RecipePart::development:
            return recipe.development.has_value();
        case RecipePart::flags:
            return recipe.flags.has_value();
        case RecipePart::range:
            return recipe.range.has_value();
        case RecipePart::alignment:
            return recipe.alignment.has_value();
        case RecipePart::area:
            return recipe.area.has_value();
        case RecipePart::merge:
            return recipe.merges.has_value();
        case RecipePart::finish:
            return recipe.finish.has_value();
        case RecipePart::hand_over:
            return recipe.hand_over.has_value();
        case RecipePart::doubts:
            return recipe.doubts.has_value();
        case RecipePart::turntable:
            return recipe.turntable.has_value();
    }
    return false;
}

Recipe without(Recipe recipe, RecipePart part) {
    switch (part) {
        case RecipePart::development:
            recipe.development.reset();
            break;
        case RecipePart::flags:
            recipe.flags.reset();
            break;
        case RecipePart::range:
            recipe.range.reset();
            break;
        case RecipePart::alignment:
            recipe.alignment.reset();
            break;
        case RecipePart::area:
            recipe.area.reset();
            break;
        case RecipePart::merge:
            recipe.merges.reset();
            break;
        case RecipePart::finish:
            recipe.finish.reset();
            break;
        case RecipePart::hand_over:
            recipe.hand_over.reset();
            break;
        case RecipePart::doubts:
            recipe.doubts.reset();
            break;
        case RecipePart::turntable:
            recipe.turntable.reset();
            break;
    }
    return recipe;
}

std::string in_words(const Recipe& recipe, RecipePart part) {
    if (!carries(recipe, part)) return {};
    std::ostringstream text;
    switch (part) {
        case RecipePart::development: {
            const Development& own = *recipe.development;
            text << (own.red > 0 ? "white balance " + words("%.2f", own.red) + " / " + words("%.2f", own.blue)
                                 : std::string("white balance of each series' middle frame"))
                 << ", " << words("%+.2f EV", own.exposure_ev);
            break;
        }
        case RecipePart::flags: {
            const FlagRule& own = *recipe.flags;
            std::string kinds;
            for (const std::string& kind : own.accepted) kinds += (kinds.empty() ? "" : ", ") + kind;
            text << (own.accepts_all ? "used all the same"
                     : kinds.empty() ? "left out"
                                     : "left out but: " + kinds);
            break;
        }
        case RecipePart::range: {
            const RangeRule& own = *recipe.range;
            if (own.kind == RangeRule::Kind::all) text << "all frames";
            if (own.kind == RangeRule::Kind::trimmed) text << "ends trimmed where nothing is sharp";
            if (own.kind == RangeRule::Kind::depth)
                text << "from " << percent(own.nearest) << " to " << percent(own.farthest) << " of the depth";
            break;
        }
        case RecipePart::alignment: {
            const AlignmentRule& own = *recipe.alignment;
            text << (own.placing.as_they_lie ? "frames as they lie" : "measured") << ", reference "
                 << (own.reference ? "at " + percent(*own.reference) + " of the depth"
                                   : std::string("as suggested"))
                 << (own.placing.mend_dust ? ", dust mended" : "");
            break;
        }
        case RecipePart::area:
            text << name_of(kKeptAreaNames, *recipe.area);
            break;
        case RecipePart::merge:
            for (const MergeRule& own : *recipe.merges) {
                if (text.tellp() > 0) text << "; ";
                text << merge_method(own.choice.method).title << ", detail "
                     << own.choice.settings.detail_size_px << " px";
            }
            break;
        case RecipePart::finish:
            for (const FinishPart finish_part : kFinishParts)
                if (const std::string own = in_words(*recipe.finish, finish_part); !own.empty())
                    text << (text.tellp() > 0 ? ", " : "") << own;
            if (text.tellp() == 0) text << "nothing changed";
            break;
        case RecipePart::hand_over:
            for (const Output& own : recipe.hand_over->outputs)
                if (!own.is_off) text << (text.tellp() > 0 ? "; " : "") << own.name << ", " << in_words(own);
            break;
        case RecipePart::doubts: {
            const DoubtLimits& own = *recipe.doubts;
            text << "gaps of " << own.gap_steps << " steps, " << own.residual_px << " px off";
            if (own.snags) text << ", " << *own.snags << " snags";
            break;
        }
        case RecipePart::turntable: {
            const TurntableRule& own = *recipe.turntable;
            text << (own.views > 0 ? std::to_string(own.views) + " views" : std::string("all views"))
                 << (own.crop ? ", one crop as set" : ", one crop around all")
                 << (own.level ? ", axis upright" : "") << (own.even_light ? ", light evened" : "")
                 << (own.white_ground ? ", white ground" : "");
            break;
        }
    }
    return text.str();
}

Project with_recipe(Project project, const Recipe& recipe) {
    if (recipe.development) {
        Development own = *recipe.development;
        own.orientation = project.development.orientation;
        if (own.red <= 0) own.red = project.development.red;
        if (own.blue <= 0) own.blue = project.development.blue;
        project = with_development(std::move(project), own);
    }
    if (recipe.alignment) project = with_placing(std::move(project), recipe.alignment->placing);
    if (recipe.area) project = with_kept(std::move(project), *recipe.area);
    // The camera stood still: what all views share is the plane of the same frame, the whole of it.
    if (recipe.turntable) project = with_kept(std::move(project), KeptArea::reference);
    if (recipe.finish) project = with_finish(std::move(project), *recipe.finish, {});
    if (recipe.hand_over) project = with_hand_over(std::move(project), *recipe.hand_over);
    return project;
}

Project with_recipe_for_frames(Project project, const Recipe& recipe, const SeriesProfile& whole,
                               const std::vector<LeftOut>& left_out) {
    project = without(std::move(project), left_out);
    if (recipe.range) project = with_range(std::move(project), range_by(*recipe.range, whole.share));
    std::optional<double> reference = recipe.alignment ? recipe.alignment->reference : std::nullopt;
    if (recipe.turntable && !reference) reference = 0.5;
    if (reference && !project.frames.empty()) {
        // The nearest to that place that is used.
        const int wanted = place_at(*reference, project.frames.size());
        std::optional<int> nearest;
        for (int i = 0; i < project.frames.size(); ++i)
            if (project.frames[i].used && (!nearest || std::abs(i - wanted) < std::abs(*nearest - wanted)))
                nearest = i;
        if (nearest) project = with_reference(std::move(project), project.frames[*nearest].id);
    }
    return with_merge(project, merges_of(recipe, project)[0]);
}

std::vector<MergeChoice> merges_of(const Recipe& recipe, const Project& project) {
    if (!recipe.merges || recipe.merges->empty()) return {project.merge};
    std::vector<MergeChoice> merges;
    for (const MergeRule& rule : *recipe.merges) {
        merges.push_back(rule.choice);
        if (rule.backdrop && !project.frames.empty())
            merges.back().backdrop = project.frames[place_at(*rule.backdrop, project.frames.size())].id;
    }
    return merges;
}

std::string json_of(const Recipe& recipe) {
    Json json{{"moorhaze_recipe", kRecipeVersion}};
    if (recipe.development) json["development"] = development_json(*recipe.development);
    if (recipe.flags) json["flags"] = json_of(*recipe.flags);
    if (recipe.range) json["range"] = json_of(*recipe.range);
    if (recipe.alignment) json["alignment"] = json_of(*recipe.alignment);
    if (recipe.area) json["area"] = name_of(kKeptAreaNames, *recipe.area);
    if (recipe.merges) {
        json["merge"] = Json::array();
        for (const MergeRule& rule : *recipe.merges) json["merge"].push_back(json_of(rule));
    }
    if (recipe.finish) json["finish"] = parsed_json(json_of(*recipe.finish));
    if (recipe.hand_over) json["hand_over"] = parsed_json(json_of(*recipe.hand_over));
    if (recipe.doubts) json["doubts"] = json_of(*recipe.doubts);
    if (recipe.turntable) json["turntable"] = json_of(*recipe.turntable);
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
