// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/project_json.h"

#include "core/finish/finish_json.h"
#include "core/project/decisions_json.h"
#include "core/project/recipe_json.h"
#include "core/work/json_text.h"

namespace moorhaze {
namespace {

using Json = DecisionJson;

Json ids_json(const std::vector<FrameId>& ids) {
    Json list = Json::array();
    for (const FrameId id : ids) list.push_back(id.value);
    return list;
}
std::vector<FrameId> ids_of(const Json& json) {
    std::vector<FrameId> ids;
    for (const Json& id : json) ids.push_back({id.get<int>()});
    return ids;
}
Json id_json(const std::optional<FrameId>& id) {
    return id ? Json(id->value) : Json();
}
Json placing_json(const Placing& own) {
    Json json = json_of(own);
    json["points"] = Json::array();
    for (const PointPair& pair : own.points)
        json["points"].push_back({{"one", pair.one.value},
                                  {"other", pair.other.value},
                                  {"in_one_px", {pair.in_one.x, pair.in_one.y}},
                                  {"in_other_px", {pair.in_other.x, pair.in_other.y}}});
    return json;
}
Json choice_json(const MergeChoice& own) {
    Json json = json_of(own);
    json["backdrop"] = id_json(own.backdrop);
    return json;
}
Json json_of(const MadeFrom& own) {
    Json versions = Json::array();
    for (const FrameVersion& frame : own.align.look.frames)
        versions.push_back({frame.id.value, frame.revision});
    Json json{{"frames", versions},
              {"used", ids_json(own.align.used)},
              {"merged", ids_json(own.frames)},
              {"reference", own.align.reference.value},
              {"development", json_of(own.align.look.development)},
              {"placing", placing_json(own.align.placing)},
              {"kept", name_of(kKeptAreaNames, own.kept)},
              {"merge", choice_json(own.choice)}};
    if (!own.brought_in.empty()) json["brought_in"] = own.brought_in;
    return json;
}
Json flat(const std::vector<StrokePoint>& points) {
    Json list = Json::array();
    for (const StrokePoint& point : points) {
        list.push_back(point.x_px);
        list.push_back(point.y_px);
    }
    return list;
}
std::vector<StrokePoint> points_of(const Json& list) {
    std::vector<StrokePoint> points;
    for (std::size_t i = 0; i + 1 < list.size(); i += 2)
        points.push_back({list[i].get<double>(), list[i + 1].get<double>()});
    return points;
}

constexpr Named<WhereRule::Kind> kRules[] = {{WhereRule::Kind::trust_below, "trust_below"},
                                             {WhereRule::Kind::depth_between, "depth_between"},
                                             {WhereRule::Kind::from_frame, "from_frame"}};

/// Nothing for a path, which is what most strokes are.
Json json_of(const StrokeShape& shape) {
    if (const auto* fade = std::get_if<FadeAcross>(&shape))
        return fade->through.empty() ? Json("fade") : Json{{"fade_through", ids_json(fade->through)}};
    if (const auto* within = std::get_if<WithinOutline>(&shape)) {
        Json outlines = Json::array();
        for (const std::vector<StrokePoint>& outline : within->outlines) outlines.push_back(flat(outline));
        return {{"outlines_px", outlines}};
    }
    if (const auto* rule = std::get_if<WhereRule>(&shape))
        return {{"where", name_of(kRules, rule->kind)},
                {"least", rule->least},
                {"most", rule->most},
                {"frame", rule->frame.value}};
    return {};
}
Json json_of(const Stroke& own) {
    Json from = "merge";
    if (const auto* frame = std::get_if<FrameId>(&own.source)) from = Json{{"frame", frame->value}};
    if (const auto* result = std::get_if<ResultId>(&own.source)) from = Json{{"result", result->value}};
    if (const auto* place = std::get_if<FromPlace>(&own.source))
        from = Json{{"place_px", {place->dx_px, place->dy_px}}};
    Json json{{"from", from},
              {"radius_px", own.radius_px},
              {"softness", own.softness},
              {"flow", own.flow},
              {"points_px", flat(own.points)}};
    if (const Json shape = json_of(own.shape); !shape.is_null()) json["shape"] = shape;
    if (own.match_tone) json["match_tone"] = true;
    if (own.is_off) json["off"] = true;
    const auto is_pressed_less = [](const StrokePoint& point) { return point.pressure != 1; };
    if (std::any_of(own.points.begin(), own.points.end(), is_pressed_less))
        for (const StrokePoint& point : own.points) json["pressures"].push_back(point.pressure);
    return json;
}
Json json_of(const SharedList<Stroke>& strokes) {
    Json list = Json::array();
    for (const Stroke& stroke : strokes) list.push_back(json_of(stroke));
    return list;
}
SnagKind snag_kind_of(const Json& json) {
    try {
        return snag_kind_named(json.get<std::string>());
    } catch (const BadParameter&) {
        throw FileError("says " + json_text(json) + ", which means nothing here");
    }
}

void write_finish(Json& json, const char* name, const char* plane, const PlacedFinish& own) {
    if (own.finish != Finish{}) json[name] = parsed_json(json_of(own.finish));
    if (own.plane) json[plane] = own.plane->value;
}

Json json_of(const ProjectResult& own) {
    Json json{{"id", own.id.value},
              {"title", own.title},
              {"seconds", own.seconds},
              {"ahead", own.ahead},
              {"made_from", json_of(own.made_from)},
              {"strokes", json_of(own.strokes)}};
    for (const IgnoredPlace& place : own.ignored)
        json["ignored"].push_back({{"kind", name_of(place.kind)}, {"at_px", {place.place.x, place.place.y}}});
    if (own.saved_strokes) {
        // Most often what was exported is what there is, or was before the last few strokes.
        if (own.saved_strokes->is_shared_start_of(own.strokes))
            json["saved_with_first"] = own.saved_strokes->size();
        else
            json["saved_with"] = json_of(*own.saved_strokes);
        write_finish(json, "saved_finish", "saved_finish_plane", own.saved_finish);
    }
    return json;
}
/// Where files lie, against the folder that the project lies in.
struct Paths {
    std::filesystem::path folder;
    /// Frames may be named from where the program was called, and the project lie anywhere.
    std::filesystem::path whole(const std::filesystem::path& path) const {
        return folder.empty() ? path : std::filesystem::absolute(path).lexically_normal();
    }
    /// As the members of whatever the file is named in.
    void write(Json& json, const std::filesystem::path& path) const {
        json["file"] = written(path);
        if (!folder.empty()) json["lay_at"] = whole(path).generic_string();
    }
    std::string written(const std::filesystem::path& path) const {
        const auto relative =
            folder.empty() ? path : whole(path).lexically_relative(std::filesystem::absolute(folder));
        return (relative.empty() ? whole(path) : relative).generic_string();
    }
    /// @param lay_at  where it lay when it was written; taken where it is still there and not beside the
    ///                project.
    std::filesystem::path read(const std::string& text, const std::string& lay_at) const {
        const std::filesystem::path path(text), at(lay_at);
        if (path.is_absolute() || folder.empty()) return path;
        const std::filesystem::path beside = (folder / path).lexically_normal();
        std::error_code unknown;
        return !at.empty() && !std::filesystem::exists(beside, unknown) &&
                       std::filesystem::exists(at, unknown)
                   ? at
                   : beside;
    }
};

Json json_of(const SharedList<ProjectFrame>& frames, const Paths& paths) {
    Json list = Json::array();
    for (const ProjectFrame& own : frames) {
        Json frame{{"id", own.id.value}, {"used", own.used}};
        paths.write(frame, own.path);
        if (!own.content_key.empty()) frame["content"] = own.content_key;
        if (own.revision > 0) frame["shot_again"] = own.revision;
        list.push_back(std::move(frame));
    }
    return list;
}
Json json_of(const SetChoice& own, const Paths& paths) {
    Json json{{"out", own.out}, {"replaces", own.replaces}};
    if (!own.recipe_name.empty()) json["recipe_name"] = own.recipe_name;
    if (own.whole != Recipe{}) json["recipe"] = parsed_json(json_of(own.whole));
    for (const RecipePart part : own.left_out) json["left_out"].push_back(name_of(part));
    for (const std::filesystem::path& first_frame : own.unticked) {
        Json series;
        paths.write(series, first_frame);
        json["unticked"].push_back(std::move(series));
    }
    return json;
}
cv::Point2d point_of(const Json& json) {
    return {json.at(0).get<double>(), json.at(1).get<double>()};
}
cv::Point pixel_of(const Json& json) {
    return {json.at(0).get<int>(), json.at(1).get<int>()};
}

/// Reads a project's file. Members that may be missing are those that files of an older version do without;
/// of this version's own files every member is known, so that saving again loses none.
class ProjectReader {
  public:
    ProjectReader(Paths paths, bool is_own_version) : paths_(std::move(paths)), is_strict_(is_own_version) {}

    Project project_of(const Json& json) const {
        Project own;
        Members members(json, "of the project");
        for (const char* key : {"moorhaze_project", "frame_size_px", "window"}) members.find(key);
        members.get("name", own.name);
        own.frames = frames_of(needed(members, "frames"));
        members.get("turned_round", own.turned_round);
        own.nearest = id_of(members, "nearest");
        own.farthest = id_of(members, "farthest");
        own.reference = id_of(members, "reference");
        own.development = development_of(needed(members, "development"));
        own.placing = placing_of(needed(members, "placing"));
        own.kept = named(kKeptAreaNames, needed(members, "kept"));
        own.merge = choice_of(needed(members, "merge"));
        std::vector<ProjectResult> results;
        for (const Json& result : needed(members, "results")) results.push_back(result_of(result));
        own.results = SharedList(results);
        if (const Json* card = members.find("card")) {
            std::vector<CardSeries> all;
            for (const Json& series : *card) all.push_back(card_series_of(series));
            own.card = SharedList(all);
        }
        if (const Json* place = members.find("card_place")) own.card_place = place->get<int>();
        if (const Json* shooting = members.find("shooting")) read_shooting(*shooting, own);
        own.finish = finish_of_members(members, "finish", "finish_plane");
        if (const Json* hand_over = members.find("hand_over"))
            own.hand_over = hand_over_of(json_text(*hand_over));
        if (const Json* set = members.find("set")) own.set = set_of(*set);
        end(members);
        return own;
    }

  private:
    void end(const Members& members) const {
        if (is_strict_) members.done();
    }
    static const Json& needed(Members& members, const char* key) {
        if (const Json* found = members.find(key)) return *found;
        throw FileError(std::string("is damaged (it does not say its ") + key + ")");
    }
    static PlacedFinish finish_of_members(Members& members, const char* name, const char* plane) {
        PlacedFinish own;
        if (const Json* finish = members.find(name)) own.finish = finish_of(json_text(*finish));
        own.plane = id_of(members, plane);
        return own;
    }

    static std::optional<FrameId> id_of(Members& members, const char* key) {
        const Json* found = members.find(key);
        return found ? std::optional(FrameId{found->get<int>()}) : std::nullopt;
    }

    /// Decisions as they stand in recipes, too (see decisions_json.h); files of an older version name less.
    Development development_of(const Json& json) const {
        Development own;
        Members members(json, "of the development");
        read(members, own);
        end(members);
        return own;
    }

    Placing placing_of(const Json& json) const {
        Placing own;
        own.mend_dust = false;  // results of before this choice existed were made without
        Members members(json, "of the placing");
        read(members, own);
        if (const Json* points = members.find("points"))
            for (const Json& pair : *points) {
                Members of_pair(pair, "of a pair of points");
                own.points.push_back({{needed(of_pair, "one").get<int>()},
                                      {needed(of_pair, "other").get<int>()},
                                      point_of(needed(of_pair, "in_one_px")),
                                      point_of(needed(of_pair, "in_other_px"))});
                end(of_pair);
            }
        end(members);
        return own;
    }

    MergeChoice choice_of(const Json& json) const {
        MergeChoice own;
        Members members(json, "of the merge");
        read(members, own);
        own.backdrop = id_of(members, "backdrop");
        end(members);
        return own;
    }

    MadeFrom made_from_of(const Json& json) const {
        MadeFrom own;
        Members members(json, "of what a result is made from");
        for (const Json& frame : needed(members, "frames"))
            own.align.look.frames.push_back({{frame.at(0).get<int>()}, frame.at(1).get<int>()});
        own.align.used = ids_of(needed(members, "used"));
        own.frames = ids_of(needed(members, "merged"));
        own.align.reference = {needed(members, "reference").get<int>()};
        own.align.look.development = development_of(needed(members, "development"));
        own.align.placing = placing_of(needed(members, "placing"));
        own.kept = named(kKeptAreaNames, needed(members, "kept"));
        own.choice = choice_of(needed(members, "merge"));
        members.get("brought_in", own.brought_in);
        end(members);
        return own;
    }

    StrokeShape shape_of(const Json& json) const {
        if (json == "fade") return FadeAcross{};
        Members members(json, "of a stroke's shape");
        StrokeShape shape;
        if (const Json* through = members.find("fade_through")) {
            shape = FadeAcross{ids_of(*through)};
        } else if (const Json* outlines = members.find("outlines_px")) {
            WithinOutline within;
            for (const Json& outline : *outlines) within.outlines.push_back(points_of(outline));
            shape = within;
        } else {
            WhereRule rule;
            rule.kind = named(kRules, needed(members, "where"));
            members.get("least", rule.least);
            members.get("most", rule.most);
            members.get("frame", rule.frame.value);
            shape = rule;
        }
        end(members);
        return shape;
    }

    StrokeSource source_of(const Json& json) const {
        if (json == "merge") return WipeBack{};
        if (!json.is_object())
            throw FileError("says a stroke comes from " + json_text(json) + ", which means nothing here");
        Members members(json, "of where a stroke comes from");
        StrokeSource source;
        if (const Json* result = members.find("result"))
            source = ResultId{result->get<int>()};
        else if (const Json* place = members.find("place_px"))
            source = FromPlace{place->at(0).get<int>(), place->at(1).get<int>()};
        else
            source = FrameId{needed(members, "frame").get<int>()};
        end(members);
        return source;
    }

    Stroke stroke_of(const Json& json) const {
        Stroke own;
        Members members(json, "of a stroke");
        own.source = source_of(needed(members, "from"));
        members.get("radius_px", own.radius_px);
        members.get("softness", own.softness);
        members.get("flow", own.flow);
        members.get("off", own.is_off);
        own.points = points_of(needed(members, "points_px"));
        members.get("match_tone", own.match_tone);
        if (const Json* shape = members.find("shape")) own.shape = shape_of(*shape);
        if (const Json* pressures = members.find("pressures"))
            for (std::size_t i = 0; i < std::min(own.points.size(), pressures->size()); ++i)
                own.points[i].pressure = std::clamp((*pressures)[i].get<double>(), 0.0, 1.0);
        end(members);
        return own;
    }

    SharedList<Stroke> strokes_of(const Json& json) const {
        std::vector<Stroke> strokes;
        for (const Json& stroke : json) strokes.push_back(stroke_of(stroke));
        return SharedList(strokes);
    }

    ProjectResult result_of(const Json& json) const {
        ProjectResult own;
        Members members(json, "of a result");
        own.id = {needed(members, "id").get<int>()};
        members.get("title", own.title);
        members.get("seconds", own.seconds);
        members.get("ahead", own.ahead);
        own.made_from = made_from_of(needed(members, "made_from"));
        own.strokes = strokes_of(needed(members, "strokes"));
        if (const Json* ignored = members.find("ignored")) {
            std::vector<IgnoredPlace> places;
            for (const Json& place : *ignored) {
                Members of_place(place, "of an ignored place");
                places.push_back(
                    {snag_kind_of(needed(of_place, "kind")), pixel_of(needed(of_place, "at_px"))});
                end(of_place);
            }
            own.ignored = SharedList(places);
        }
        if (const Json* first = members.find("saved_with_first")) {
            std::vector<int> places;
            for (int i = 0; i < std::min(first->get<int>(), own.strokes.size()); ++i) places.push_back(i);
            own.saved_strokes = own.strokes.picked(places);
        } else if (const Json* saved = members.find("saved_with")) {
            own.saved_strokes = strokes_of(*saved);
        }
        own.saved_finish = finish_of_members(members, "saved_finish", "saved_finish_plane");
        end(members);
        return own;
    }

    std::filesystem::path path_of(Members& members) const {
        std::string lay_at;
        members.get("lay_at", lay_at);
        return paths_.read(needed(members, "file").get<std::string>(), lay_at);
    }

    SetChoice set_of(const Json& json) const {
        SetChoice own;
        Members members(json, "of the set");
        members.get("recipe_name", own.recipe_name);
        if (const Json* recipe = members.find("recipe")) own.whole = recipe_from_json(json_text(*recipe));
        if (const Json* left_out = members.find("left_out"))
            for (const Json& part : *left_out) own.left_out.push_back(recipe_part_named(part));
        members.get("out", own.out);
        members.get("replaces", own.replaces);
        if (const Json* unticked = members.find("unticked"))
            for (const Json& series : *unticked) {
                Members of_series(series, "of a series of the set");
                own.unticked.push_back(path_of(of_series));
                end(of_series);
            }
        end(members);
        return own;
    }

    static RecipePart recipe_part_named(const Json& json) {
        for (const RecipePart part : kRecipeParts)
            if (json == name_of(part)) return part;
        throw FileError("says " + json_text(json) + ", which is no part of a recipe");
    }

    SharedList<ProjectFrame> frames_of(const Json& json) const {
        std::vector<ProjectFrame> frames;
        for (const Json& own : json) {
            ProjectFrame frame;
            Members members(own, "of a frame");
            frame.id = {needed(members, "id").get<int>()};
            frame.path = path_of(members);
            members.get("used", frame.used);
            members.get("content", frame.content_key);
            members.get("shot_again", frame.revision);
            end(members);
            frames.push_back(std::move(frame));
        }
        return SharedList(frames);
    }

    CardSeries card_series_of(const Json& json) const {
        Members members(json, "of a series on the card");
        CardSeries series{needed(members, "name").get<std::string>(),
                          needed(members, "reason").get<std::string>(), frames_of(needed(members, "frames"))};
        end(members);
        return series;
    }

    void read_shooting(const Json& json, Project& own) const {
        Members members(json, "of the shooting");
        own.shooting.setup = setup_of_json(json_text(needed(members, "setup")));
        if (const Json* mark = members.find("near_mark_mm")) own.shooting.near_mark_mm = mark->get<double>();
        if (const Json* mark = members.find("far_mark_mm")) own.shooting.far_mark_mm = mark->get<double>();
        end(members);
    }

    Paths paths_;
    bool is_strict_;
};

}  // namespace

std::string to_json(const Project& own, const std::filesystem::path& folder) {
    const Paths paths{folder};
    Json json{{"moorhaze_project", kProjectVersion},  {"name", own.name},
              {"frames", json_of(own.frames, paths)}, {"turned_round", own.turned_round},
              {"nearest", id_json(own.nearest)},      {"farthest", id_json(own.farthest)},
              {"reference", id_json(own.reference)},  {"development", json_of(own.development)},
              {"placing", placing_json(own.placing)}, {"kept", name_of(kKeptAreaNames, own.kept)},
              {"merge", choice_json(own.merge)}};
    json["results"] = Json::array();
    for (const ProjectResult& result : own.results) json["results"].push_back(json_of(result));
    for (const CardSeries& series : own.card)
        json["card"].push_back(
            {{"name", series.name}, {"reason", series.reason}, {"frames", json_of(series.frames, paths)}});
    if (own.card_place) json["card_place"] = *own.card_place;
    Json shooting{{"setup", parsed_json(json_of(own.shooting.setup))}};
    if (own.shooting.near_mark_mm) shooting["near_mark_mm"] = *own.shooting.near_mark_mm;
    if (own.shooting.far_mark_mm) shooting["far_mark_mm"] = *own.shooting.far_mark_mm;
    json["shooting"] = std::move(shooting);
    write_finish(json, "finish", "finish_plane", own.finish);
    if (own.hand_over != HandOver{}) json["hand_over"] = parsed_json(json_of(own.hand_over));
    if (own.set != SetChoice{}) json["set"] = json_of(own.set, paths);
    return json_text(json, 1) + "\n";
}

Project project_from_json(const std::string& text, const std::filesystem::path& folder) {
    try {
        const Json json = parsed_json(text);
        if (!json.is_object() || !json.contains("moorhaze_project"))
            throw FileError("is no project of Moorhaze");
        const auto version = json["moorhaze_project"].get<std::int64_t>();
        if (version > kProjectVersion)
            throw NewerFile("is of version " + std::to_string(version) + ", newer than this Moorhaze (" +
                            std::to_string(kProjectVersion) + "). Use the newer one.");
        return ProjectReader({folder}, version == kProjectVersion).project_of(json);
    } catch (const nlohmann::json::exception& error) {
        throw FileError("is damaged (" + std::string(error.what()) + ")");
    }
}

}  // namespace moorhaze
