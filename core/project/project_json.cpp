// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/project_json.h"

#include "core/finish/finish_json.h"
#include "core/project/decisions_json.h"
#include "core/work/json_text.h"

namespace moorhaze {
namespace {

using Json = DecisionJson;

/// Reads a member that may be missing: files of an older version do without it.
template <class Value>
void get(const Json& json, const char* key, Value& value) {
    if (const auto found = json.find(key); found != json.end()) found->get_to(value);
}

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
std::optional<FrameId> id_of(const Json& json, const char* key) {
    const auto found = json.find(key);
    return found == json.end() || found->is_null() ? std::nullopt : std::optional(FrameId{found->get<int>()});
}

/// Decisions as they stand in recipes, too (see decisions_json.h); files of an older version name less.
Development development_of(const Json& json) {
    Development own;
    Members members(json, "of the development");
    read(members, own);
    return own;
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
cv::Point2d point_of(const Json& json) {
    return {json.at(0).get<double>(), json.at(1).get<double>()};
}
Placing placing_of(const Json& json) {
    Placing own;
    own.mend_dust = false;  // results of before this choice existed were made without
    Members members(json, "of the placing");
    read(members, own);
    for (const Json& pair : json.value("points", Json::array()))
        own.points.push_back({{pair.at("one").get<int>()},
                              {pair.at("other").get<int>()},
                              point_of(pair.at("in_one_px")),
                              point_of(pair.at("in_other_px"))});
    return own;
}

Json choice_json(const MergeChoice& own) {
    Json json = json_of(own);
    json["backdrop"] = id_json(own.backdrop);
    return json;
}
MergeChoice choice_of(const Json& json) {
    MergeChoice own;
    Members members(json, "of the merge");
    read(members, own);
    own.backdrop = id_of(json, "backdrop");
    return own;
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
MadeFrom made_from_of(const Json& json) {
    MadeFrom own;
    for (const Json& frame : json.at("frames"))
        own.align.look.frames.push_back({{frame.at(0).get<int>()}, frame.at(1).get<int>()});
    own.align.used = ids_of(json.at("used"));
    own.frames = ids_of(json.at("merged"));
    own.align.reference = {json.at("reference").get<int>()};
    own.align.look.development = development_of(json.at("development"));
    own.align.placing = placing_of(json.at("placing"));
    own.kept = named(kKeptAreaNames, json.at("kept"));
    own.choice = choice_of(json.at("merge"));
    get(json, "brought_in", own.brought_in);
    return own;
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
StrokeShape shape_of(const Json& json) {
    if (json.is_null()) return AlongPath{};
    if (json == "fade") return FadeAcross{};
    if (json.is_object() && json.contains("fade_through")) return FadeAcross{ids_of(json["fade_through"])};
    if (json.is_object() && json.contains("outlines_px")) {
        WithinOutline within;
        for (const Json& outline : json["outlines_px"]) within.outlines.push_back(points_of(outline));
        return within;
    }
    WhereRule rule;
    rule.kind = named(kRules, json.at("where"));
    get(json, "least", rule.least);
    get(json, "most", rule.most);
    get(json, "frame", rule.frame.value);
    return rule;
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
Stroke stroke_of(const Json& json) {
    Stroke own;
    if (const Json& from = json.at("from"); from.is_object() && from.contains("result"))
        own.source = ResultId{from["result"].get<int>()};
    else if (from.is_object() && from.contains("place_px"))
        own.source = FromPlace{from["place_px"].at(0).get<int>(), from["place_px"].at(1).get<int>()};
    else if (from.is_object())
        own.source = FrameId{from.at("frame").get<int>()};
    else if (from != "merge")
        throw FileError("says a stroke comes from " + from.dump() + ", which means nothing here");
    get(json, "radius_px", own.radius_px);
    get(json, "softness", own.softness);
    get(json, "flow", own.flow);
    get(json, "off", own.is_off);
    own.points = points_of(json.at("points_px"));
    get(json, "match_tone", own.match_tone);
    if (json.contains("shape")) own.shape = shape_of(json["shape"]);
    if (json.contains("pressures"))
        for (std::size_t i = 0; i < std::min(own.points.size(), json["pressures"].size()); ++i)
            own.points[i].pressure = std::clamp(json["pressures"][i].get<double>(), 0.0, 1.0);
    return own;
}

Json json_of(const SharedList<Stroke>& strokes) {
    Json list = Json::array();
    for (const Stroke& stroke : strokes) list.push_back(json_of(stroke));
    return list;
}
SharedList<Stroke> strokes_of(const Json& json) {
    std::vector<Stroke> strokes;
    for (const Json& stroke : json) strokes.push_back(stroke_of(stroke));
    return SharedList(strokes);
}

SnagKind snag_kind_of(const Json& json) {
    try {
        return snag_kind_named(json.get<std::string>());
    } catch (const BadParameter&) {
        throw FileError("says " + json.dump() + ", which means nothing here");
    }
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
        if (own.saved_finish != Finish{}) json["saved_finish"] = Json::parse(json_of(own.saved_finish));
    }
    return json;
}
ProjectResult result_of(const Json& json) {
    ProjectResult own;
    own.id = {json.at("id").get<int>()};
    get(json, "title", own.title);
    get(json, "seconds", own.seconds);
    get(json, "ahead", own.ahead);
    own.made_from = made_from_of(json.at("made_from"));
    own.strokes = strokes_of(json.at("strokes"));
    std::vector<IgnoredPlace> ignored;
    for (const Json& place : json.value("ignored", Json::array()))
        ignored.push_back({snag_kind_of(place.at("kind")),
                           {place.at("at_px").at(0).get<int>(), place.at("at_px").at(1).get<int>()}});
    own.ignored = SharedList(ignored);
    if (const auto first = json.find("saved_with_first"); first != json.end()) {
        std::vector<int> places;
        for (int i = 0; i < std::min(first->get<int>(), own.strokes.size()); ++i) places.push_back(i);
        own.saved_strokes = own.strokes.picked(places);
    } else if (json.contains("saved_with")) {
        own.saved_strokes = strokes_of(json["saved_with"]);
    }
    if (json.contains("saved_finish")) own.saved_finish = finish_of(json["saved_finish"].dump());
    return own;
}

/// Where files lie, against the folder that the project lies in.
struct Paths {
    std::filesystem::path folder;
    std::string written(const std::filesystem::path& path) const {
        const auto relative = folder.empty() ? path : path.lexically_relative(folder);
        return (relative.empty() ? path : relative).generic_string();
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
        Json frame{{"id", own.id.value}, {"file", paths.written(own.path)}, {"used", own.used}};
        if (!paths.folder.empty() && own.path.is_absolute()) frame["lay_at"] = own.path.generic_string();
        if (!own.content_key.empty()) frame["content"] = own.content_key;
        if (own.revision > 0) frame["shot_again"] = own.revision;
        list.push_back(std::move(frame));
    }
    return list;
}
SharedList<ProjectFrame> frames_of(const Json& json, const Paths& paths) {
    std::vector<ProjectFrame> frames;
    for (const Json& own : json) {
        ProjectFrame frame;
        frame.id = {own.at("id").get<int>()};
        frame.path = paths.read(own.at("file").get<std::string>(), own.value("lay_at", std::string()));
        get(own, "used", frame.used);
        get(own, "content", frame.content_key);
        get(own, "shot_again", frame.revision);
        frames.push_back(std::move(frame));
    }
    return SharedList(frames);
}

Project project_of(const Json& json, const Paths& paths) {
    Project own;
    get(json, "name", own.name);
    own.frames = frames_of(json.at("frames"), paths);
    get(json, "turned_round", own.turned_round);
    own.nearest = id_of(json, "nearest");
    own.farthest = id_of(json, "farthest");
    own.reference = id_of(json, "reference");
    own.development = development_of(json.at("development"));
    own.placing = placing_of(json.at("placing"));
    own.kept = named(kKeptAreaNames, json.at("kept"));
    own.merge = choice_of(json.at("merge"));
    std::vector<ProjectResult> results;
    for (const Json& result : json.at("results")) results.push_back(result_of(result));
    own.results = SharedList(results);
    std::vector<CardSeries> card;
    for (const Json& series : json.value("card", Json::array()))
        card.push_back({series.at("name").get<std::string>(), series.at("reason").get<std::string>(),
                        frames_of(series.at("frames"), paths)});
    own.card = SharedList(card);
    if (json.contains("card_place")) own.card_place = json["card_place"].get<int>();
    if (const auto shooting = json.find("shooting"); shooting != json.end()) {
        own.shooting.setup = setup_of_json(shooting->at("setup").dump());
        if (shooting->contains("near_mark_mm"))
            own.shooting.near_mark_mm = shooting->at("near_mark_mm").get<double>();
        if (shooting->contains("far_mark_mm"))
            own.shooting.far_mark_mm = shooting->at("far_mark_mm").get<double>();
    }
    if (json.contains("finish")) own.finish = finish_of(json["finish"].dump());
    if (json.contains("hand_over")) own.hand_over = hand_over_of(json["hand_over"].dump());
    return own;
}

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
    Json shooting{{"setup", Json::parse(json_of(own.shooting.setup))}};
    if (own.shooting.near_mark_mm) shooting["near_mark_mm"] = *own.shooting.near_mark_mm;
    if (own.shooting.far_mark_mm) shooting["far_mark_mm"] = *own.shooting.far_mark_mm;
    json["shooting"] = std::move(shooting);
    if (own.finish != Finish{}) json["finish"] = Json::parse(json_of(own.finish));
    if (own.hand_over != HandOver{}) json["hand_over"] = Json::parse(json_of(own.hand_over));
    return json.dump(1) + "\n";
}

Project project_from_json(const std::string& text, const std::filesystem::path& folder) {
    try {
        const Json json = parsed_json(text);
        if (!json.is_object() || !json.contains("moorhaze_project"))
            throw FileError("is no project of Moorhaze");
        if (const auto version = json["moorhaze_project"].get<std::int64_t>(); version > kProjectVersion)
            throw FileError("is of version " + std::to_string(version) + ", newer than this Moorhaze (" +
                            std::to_string(kProjectVersion) + "). Use the newer one.");
        return project_of(json, {folder});
    } catch (const nlohmann::json::exception& error) {
        throw FileError("is damaged (" + std::string(error.what()) + ")");
    }
}

}  // namespace moorhaze
