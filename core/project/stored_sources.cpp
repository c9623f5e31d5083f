// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/stored_sources.h"

#include "core/project/result_files.h"
#include "core/project/result_series.h"

namespace moorhaze {
ResultSources stored_sources(const SharedList<Stroke>& strokes, const Project& project,
                             const FrameFacts& facts, const std::filesystem::path& folder,
                             const Series& series, const SeriesGeometry& geometry) {
    ResultSources sources;
    for (const Stroke& stroke : strokes) {
        const auto* id = std::get_if<ResultId>(&stroke.source);
        const ProjectResult* result = id && !stroke.is_off ? find_result(project, *id) : nullptr;
        if (!result || sources.contains(*id)) continue;
        StoredResult stored = read_result(folder, *result, {});
        const Series own = series_of_result(project, facts, *result);
        if (const auto lies = between_planes(own, stored.geometry, series, geometry))
            sources[*id] = {std::make_shared<const MergeResult>(std::move(stored.result)), *lies};
    }
    return sources;
}

const ProjectResult& result_numbered(const Project& project, int number, const std::string& file) {
    const int count = project.results.size();
    if (count == 0)
        throw FileError(file + ": has no result yet. Merge in the window, or with moorhaze-cli merge.");
    if (number > count)
        throw BadParameter("--result " + std::to_string(number) + ": the project has " +
                           std::to_string(count) + (count == 1 ? " result" : " results"));
    return project.results[number > 0 ? number - 1 : count - 1];
}

}  // namespace moorhaze
