// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/edits.h"

#include <algorithm>
#include <map>
#include <set>

namespace moorhaze {
namespace {

Project with_frame(Project project, FrameId id, const std::function<void(ProjectFrame&)>& change) {
    if (const auto place = place_of(project, id)) {
        ProjectFrame frame = project.frames[*place];
        change(frame);
        if (frame != project.frames[*place]) project.frames = project.frames.replaced(*place, frame);
    }
    return project;
}

Project with_changed(Project project, ResultId id, const std::function<void(ProjectResult&)>& change) {
    const int place = project.results.find([&](const ProjectResult& own) { return own.id == id; });
    if (place < project.results.size()) {
        ProjectResult result = project.results[place];
        change(result);
        project.results = project.results.replaced(place, std::move(result));
    }
    return project;
}

/// For the core's functions about cards, which look at order and names alone.
std::vector<FoundSeries> found_of(const SharedList<CardSeries>& card) {
    std::vector<FoundSeries> found;
    for (const CardSeries& series : card)
        found.push_back({frames_of(series, {}), series.reason, series.name});
    return found;
}

/// `changed` by ids, with the frames as the project knows them.
SharedList<CardSeries> card_with(const SharedList<CardSeries>& card,
                                 const std::vector<FoundSeries>& changed) {
    std::map<FrameId, ProjectFrame> known;
    for (const CardSeries& series : card)
        for (const ProjectFrame& frame : series.frames) known[frame.id] = frame;
    std::vector<CardSeries> made;
    for (const FoundSeries& series : changed) {
        std::vector<ProjectFrame> frames;
        for (const Frame& frame : series.frames) frames.push_back(known.at(frame.id));
        made.push_back({series.name, series.reason, SharedList(frames)});
    }
    return SharedList(made);
}

}  // namespace

Project with_used(Project project, FrameId frame, bool used) {
    return with_frame(std::move(project), frame, [used](ProjectFrame& own) { own.used = used; });
}

Project without_frames(Project project, const std::vector<FrameId>& left_out) {
    for (const FrameId frame : left_out) project = with_used(std::move(project), frame, false);
    return project;
}

Project with_range(Project project, FrameRange range) {
    const int last = project.frames.size() - 1;
    if (last < 0) return project;
    range.first = std::clamp(range.first, 0, last);
    range.last = std::clamp(range.last, range.first, last);
    project.nearest = range.first > 0 ? std::optional(project.frames[range.first].id) : std::nullopt;
    project.farthest = range.last < last ? std::optional(project.frames[range.last].id) : std::nullopt;
    return project;
}

Project with_reference(Project project, std::optional<FrameId> reference) {
    if (!reference || place_of(project, *reference)) project.reference = reference;
    return project;
}

Project with_order(Project project, const std::vector<FrameId>& order) {
    std::vector<int> places;
    for (const FrameId frame : order)
        if (const auto place = place_of(project, frame)) places.push_back(*place);
    if (std::set(places.begin(), places.end()).size() != std::size_t(project.frames.size()) ||
        places.size() != order.size())
        throw BadParameter("an order names every frame of the series once");
    project.frames = project.frames.picked(places);
    return project;
}

Project with_development(Project project, const Development& development) {
    project.development = development;
    return project;
}

Project with_placing(Project project, const Placing& placing) {
    project.placing = placing;
    return project;
}

Project with_kept(Project project, KeptArea kept) {
    project.kept = kept;
    return project;
}

Project with_merge(Project project, const MergeChoice& choice) {
    project.merge = choice;
    return project;
}

Project with_strokes(Project project, ResultId result, const SharedList<Stroke>& strokes) {
    return with_changed(std::move(project), result, [&](ProjectResult& own) { own.strokes = strokes; });
}

Project with_stroke(Project project, ResultId result, const Stroke& stroke) {
    return with_changed(std::move(project), result,
                        [&](ProjectResult& own) { own.strokes = own.strokes.appended(stroke); });
}

Project with_ignored(Project project, ResultId result, const SharedList<IgnoredPlace>& ignored) {
    return with_changed(std::move(project), result, [&](ProjectResult& own) { own.ignored = ignored; });
}

Project with_title(Project project, ResultId result, const std::string& title) {
    return with_changed(std::move(project), result, [&](ProjectResult& own) {
        own.title = title;
        own.ahead = false;
    });
}

Project without_result(Project project, ResultId result) {
    const int place = project.results.find([&](const ProjectResult& own) { return own.id == result; });
    if (place < project.results.size()) project.results = project.results.without(place);
    return project;
}

Project with_finish(Project project, const Finish& finish, std::optional<FrameId> plane) {
    check(finish);
    project.finish = {finish, has_places(finish) ? plane : std::nullopt};
    return project;
}

Project with_hand_over(Project project, const HandOver& hand_over) {
    for (const Output& output : hand_over.outputs) check(output);
    project.hand_over = hand_over;
    return project;
}

Project with_shooting(Project project, const Shooting& shooting) {
    project.shooting = shooting;
    return project;
}

Project with_set(Project project, const SetChoice& set) {
    project.set = set;
    return project;
}

Project with_set_of(Project opened, const Project& before) {
    const auto first_frames = [](const Project& project) {
        std::set<std::filesystem::path> all;
        if (!project.frames.empty()) all.insert(project.frames[0].path);
        for (const CardSeries& series : project.card)
            if (!series.frames.empty()) all.insert(series.frames[0].path);
        return all;
    };
    const auto here = first_frames(opened), there = first_frames(before);
    const bool are_of_one_set =
        std::any_of(here.begin(), here.end(), [&](const auto& path) { return there.contains(path); });
    if (are_of_one_set || opened.set == SetChoice{}) opened.set = before.set;
    return opened;
}

Project with_series(Project project, const Series& series, const SharedList<CardSeries>& card,
                    std::optional<int> card_place) {
    Project made;
    made.name = series.name;
    made.turned_round = series.turned_round;
    std::vector<ProjectFrame> frames;
    for (const Frame& frame : series.frames) frames.push_back({frame.id, frame.path, {}, 0, frame.used});
    made.frames = SharedList(frames);
    // Raw frames tell how they are developed, and all of them alike.
    for (const Frame& frame : series.frames)
        if (made.development == Development{}) made.development = frame.development;
    made.kept = project.kept;
    made.merge = project.merge;
    made.merge.backdrop.reset();
    made.shooting = project.shooting;
    // How files are named and made stays; a finish belongs to its pictures.
    made.hand_over = project.hand_over;
    made.set = project.set;
    made.card = card;
    made.card_place = card_place;
    return made;
}

SharedList<CardSeries> card_of(const std::vector<FoundSeries>& found) {
    std::vector<CardSeries> card;
    for (const FoundSeries& series : found) {
        std::vector<ProjectFrame> frames;
        for (const Frame& frame : series.frames) frames.push_back({frame.id, frame.path, {}, 0, true});
        card.push_back({series.name, series.reason, SharedList(frames)});
    }
    return SharedList(card);
}

SharedList<CardSeries> cut_before(const Project& project, FrameId frame) {
    if (!project.card_place) throw BadParameter("only a series of a card can be cut");
    // The card's frames stand as they were found, the open series perhaps the other way round.
    const SharedList<ProjectFrame>& frames = project.card[*project.card_place].frames;
    int before = frames.find([&](const ProjectFrame& own) { return own.id == frame; });
    if (project.turned_round) ++before;
    std::vector<FoundSeries> found = found_of(project.card);
    split_series(found, *project.card_place, before);
    return card_with(project.card, found);
}

SharedList<CardSeries> joined_with_next(const Project& project) {
    if (!project.card_place) throw BadParameter("there is no next series to join with");
    std::vector<FoundSeries> found = found_of(project.card);
    join_with_next(found, *project.card_place);
    return card_with(project.card, found);
}

std::vector<Frame> frames_of(const CardSeries& series, const FrameFacts& facts) {
    std::vector<Frame> frames;
    for (const ProjectFrame& own : series.frames) {
        Frame frame;
        frame.path = own.path;
        frame.id = own.id;
        if (const auto known = facts.find(own.id); known != facts.end()) frame.info = known->second;
        frames.push_back(std::move(frame));
    }
    return frames;
}

Project with_frame_added(Project project, const ProjectFrame& frame) {
    if (!place_of(project, frame.id)) project.frames = project.frames.appended(frame);
    return project;
}

Project with_frame_shot_again(Project project, FrameId frame) {
    return with_frame(std::move(project), frame, [](ProjectFrame& own) {
        ++own.revision;
        own.content_key.clear();
    });
}

Project with_content_keys(Project project, const std::vector<std::pair<FrameId, std::string>>& keys) {
    for (const auto& [frame, key] : keys)
        project = with_frame(std::move(project), frame, [own_key = key](ProjectFrame& own) {
            if (!own.content_key.empty() && own.content_key != own_key) ++own.revision;
            own.content_key = own_key;
        });
    return project;
}

Project with_name(Project project, const std::string& name) {
    project.name = name;
    return project;
}

Project with_frame_paths(Project project,
                         const std::vector<std::pair<FrameId, std::filesystem::path>>& paths) {
    std::map<std::filesystem::path, std::filesystem::path> went;
    auto moved = [&](SharedList<ProjectFrame> frames) {
        for (int place = 0; place < frames.size(); ++place)
            for (const auto& [frame, path] : paths)
                if (frames[place].id == frame) {
                    ProjectFrame own = frames[place];
                    went[own.path] = path;
                    own.path = path;
                    frames = frames.replaced(place, own);
                }
        return frames;
    };
    project.frames = moved(project.frames);
    for (int place = 0; place < project.card.size(); ++place) {
        CardSeries series = project.card[place];
        series.frames = moved(series.frames);
        project.card = project.card.replaced(place, series);
    }
    for (std::filesystem::path& unticked : project.set.unticked)
        if (const auto found = went.find(unticked); found != went.end()) unticked = found->second;
    return project;
}

Project with_result(Project project, const ProjectResult& result) {
    if (result.ahead)
        for (int place = project.results.size() - 1; place >= 0; --place)
            if (const ProjectResult& own = project.results[place]; own.ahead && !own.would_be_missed())
                project.results = project.results.without(place);
    project.results = project.results.appended(result);
    return project;
}

Project with_result_asked_for(Project project, ResultId result) {
    return with_changed(std::move(project), result, [](ProjectResult& own) { own.ahead = false; });
}

Project with_saved(Project project, ResultId result, const SharedList<Stroke>& strokes,
                   const PlacedFinish& finish) {
    return with_changed(std::move(project), result, [&](ProjectResult& own) {
        own.saved_strokes = strokes;
        own.saved_finish = finish;
    });
}

}  // namespace moorhaze
