// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/inputs.h"

#include <algorithm>

namespace moorhaze {

FrameFacts facts_of(const Series& series) {
    FrameFacts facts;
    for (const Frame& frame : series.frames) facts[frame.id] = frame.info;
    return facts;
}

Series series_of(const Project& project, const FrameFacts& facts) {
    Series series;
    series.name = project.name;
    series.turned_round = project.turned_round;
    series.range = range_of(project);
    for (const ProjectFrame& own : project.frames) {
        Frame frame;
        frame.path = own.path;
        frame.id = own.id;
        frame.used = own.used;
        frame.development = project.development;
        if (const auto known = facts.find(own.id); known != facts.end()) frame.info = known->second;
        series.frames.push_back(std::move(frame));
    }
    return series;
}

LookInputs look_inputs(const Project& project) {
    LookInputs inputs;
    for (const ProjectFrame& frame : project.frames) inputs.frames.push_back({frame.id, frame.revision});
    inputs.development = project.development;
    return inputs;
}

AlignInputs align_inputs(const Project& project, FrameId suggested) {
    AlignInputs inputs;
    inputs.look = look_inputs(project);
    for (const ProjectFrame& frame : project.frames)
        if (frame.used) inputs.used.push_back(frame.id);
    inputs.reference = project.reference.value_or(suggested);
    inputs.placing = project.placing;
    return inputs;
}

MadeFrom merge_inputs(const Project& project, FrameId suggested) {
    return {align_inputs(project, suggested), chosen_frames(project), project.kept, project.merge};
}

std::optional<int> index_of(const Series& series, FrameId frame) {
    for (int i = 0; i < series.count(); ++i)
        if (series.frames[std::size_t(i)].id == frame) return i;
    return std::nullopt;
}

PlaceSettings place_settings(const AlignInputs& inputs, const Series& series) {
    PlaceSettings settings;
    settings.reference = index_of(series, inputs.reference).value_or(0);
    settings.model = inputs.placing.model;
    settings.unplaced = inputs.placing.unplaced;
    settings.levelling = inputs.placing.levelling;
    settings.mend_dust = inputs.placing.mend_dust;
    for (const PointPair& pair : inputs.placing.points) {
        const auto one = index_of(series, pair.one), other = index_of(series, pair.other);
        if (one && other) settings.points.push_back({*one, *other, pair.in_one, pair.in_other});
    }
    return settings;
}

MergeSettings merge_settings(const MergeChoice& choice, const Series& series) {
    MergeSettings settings = choice.settings;
    settings.backdrop_frame = 0;
    if (choice.backdrop)
        if (const auto index = index_of(series, *choice.backdrop)) settings.backdrop_frame = *index + 1;
    return settings;
}

std::vector<int> indices_of(const std::vector<FrameId>& frames, const Series& series) {
    std::vector<int> indices;
    for (const FrameId frame : frames)
        if (const auto index = index_of(series, frame)) indices.push_back(*index);
    return indices;
}

}  // namespace moorhaze
