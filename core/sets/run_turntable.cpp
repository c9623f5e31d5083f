// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/run_turntable.h"

#include <algorithm>
#include <chrono>

#include "core/finish/finished.h"
#include "core/focus/profile_cache.h"
#include "core/project/decisions_json.h"
#include "core/project/handed_picture.h"
#include "core/project/words.h"
#include "core/sets/spin_page.h"
#include "core/sets/turntable.h"
#include "core/work/json_text.h"
#include "core/work/words.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;
using Json = DecisionJson;

constexpr double kViewsLookedAt = 0.5;

std::string inputs_of(const SetPlan& plan, const std::vector<SeriesRecord>& views) {
    Json json{{"recipe", parsed_json(json_of(plan.recipe))},
              {"name", plan.out.name},
              {"folders", plan.out.folders},
              {"views", Json::array()}};
    for (const SeriesRecord& own : views)
        json["views"].push_back(own.is_made() && !own.made_of.empty() ? parsed_json(own.made_of)["frames"]
                                                                      : Json());
    return json_text(json);
}

/// What is missing or there twice, as far as numbers and names tell.
std::vector<std::string> remarks_on(const SetPlan& plan, const std::vector<SeriesRecord>& views) {
    std::vector<std::string> remarks;
    const int wanted = plan.recipe.turntable->views;
    if (wanted > 0 && wanted != int(views.size()))
        remarks.push_back(std::to_string(wanted) + " views were expected, " + std::to_string(views.size()) +
                          " are there");
    std::vector<fs::path> names;
    for (const SeriesRecord& own : views) {
        names.emplace_back(own.name);
        if (!own.is_made()) remarks.push_back("view " + own.name + " is missing: it failed");
    }
    for (std::string& gap : gaps_in_numbers(names)) remarks.push_back(std::move(gap));
    return remarks;
}

/// All views looked at, finished and written; the record is filled in.
void make_alike(SeriesRecord& record, const SetPlan& plan, const std::vector<SeriesRecord>& views,
                const std::function<void(const std::vector<fs::path>&)>& claim, const Job& job) {
    std::vector<const SetSeries*> made;
    for (std::size_t i = 0; i < views.size(); ++i)
        if (views[i].is_made()) made.push_back(&plan.series[i]);
    const TurntableRule& rule = *plan.recipe.turntable;
    const Finish finish = plan.recipe.finish.value_or(Finish{});
    const std::vector<fs::path> merged = merged_views(plan, views);
    const TurntableLook look =
        look_at_views(merged, finish.ground.picked, finish.ground.reach, job.part(0, kViewsLookedAt));
    record.reasons.insert(record.reasons.end(), look.remarks.begin(), look.remarks.end());
    record.warnings.push_back("the axis leaned by " + words("%.2f", look.tilt_deg) + " degrees");
    const auto [least, most] = std::minmax_element(look.gains.begin(), look.gains.end());
    record.warnings.push_back("the ground's light differed by " +
                              words("%.1f %%", 100 * (*most / *least - 1)));

    const PixelRect kept = *framing_of_views(look, rule).crop;
    std::vector<std::vector<OutputFile>> outputs(made.size());
    std::vector<fs::path> paths;
    for (std::size_t i = 0; i < made.size(); ++i)
        for (const SetFile& file :
             files_of_view(plan, *made[i], made[i]->frames.front().info.shooting, kept.size())) {
            outputs[i].push_back({file.path, file.output});
            paths.push_back(file.path);
        }
    claim(paths);
    std::size_t written = 0;
    for (std::size_t i = 0; i < made.size(); ++i) {
        const double share = (1 - kViewsLookedAt) / double(made.size()),
                     from = kViewsLookedAt + share * double(i);
        const Job own = job.part(from, from + share);
        const Finish of_view = finish_of_view(finish, look, rule, int(i));
        auto subject = finish_subject(with_bits(read_picture(merged[i]), 16), {}, 1, own.quiet());
        subject = prepared(subject, of_view, look.size, own.quiet());
        const HandedPicture handed = handed_picture(subject, of_view, own.quiet());
        record.width = handed.finished.width();
        record.height = handed.finished.height();
        const SaidInFile said =
            said_of(plan.recipe.hand_over.value_or(HandOver{}), read_picture_info(merged[i]).shooting,
                    "Moorhaze, view " + std::to_string(made[i]->number) + " of a turntable" +
                        finish_in_words(of_view));
        for (const WrittenFile& file : write_outputs(handed, outputs[i], said, true, own)) {
            if (!file.problem.empty()) throw FileError(file.problem);
            RecordedFile& own_file = record.files[written++];
            own_file.bytes = file.bytes;
            own_file.hash = content_key_of(file.path, own.quiet());
        }
    }
    record.merged = int(made.size());
}

}  // namespace

std::vector<fs::path> merged_views(const SetPlan& plan, const std::vector<SeriesRecord>& views) {
    std::vector<fs::path> files;
    for (std::size_t i = 0; i < views.size(); ++i)
        if (views[i].is_made()) files.push_back(files_of(plan, plan.series[i], {}, {1, 1})[0].path);
    return files;
}

SeriesRecord run_turntable(const SetPlan& plan, const std::vector<SeriesRecord>& views,
                           const RunSettings& settings, const Job& job) {
    const fs::path folder = set_folder(plan.out);
    SeriesRecord record;
    record.name = turntable_name(plan) + ", all views";
    record.number = int(plan.series.size()) + 1;
    record.frames = int(views.size());
    record.made_of = inputs_of(plan, views);
    const SeriesClaim claim(folder, record.name);
    const auto before = read_record(folder, record.name);
    const bool is_same = before && before->made_of == record.made_of;
    if (is_same && before->is_made() && all_there(plan, *before)) return *before;
    const auto begun = std::chrono::steady_clock::now();
    try {
        if (!claim.is_mine()) throw Error("another run works on it just now");
        record.reasons = remarks_on(plan, views);
        const auto claim_names = [&](const std::vector<fs::path>& paths) {
            // What is refused must not stand in the record: the next run would take it for its own. Views
            // are framed and lit anew again and again: what of them nobody has touched may be replaced.
            auto own = before;
            if (own && !is_same) own->files = untouched_files(plan, *before);
            if (!settings.overwrite) refuse_foreign_files(plan, paths, own);
            std::error_code failed;
            for (const fs::path& path : paths) {
                fs::create_directories(path.parent_path(), failed);
                record.files.push_back({path.lexically_relative(plan.out.folder).generic_string(), 0, {}});
            }
            record.state = SeriesState::writing;
            write_record(folder, record);
        };
        make_alike(record, plan, views, claim_names, job);
        record.state = record.reasons.empty() ? SeriesState::done : SeriesState::doubtful;
    } catch (const Cancelled&) {
        throw;
    } catch (const std::exception& error) {
        record.state = SeriesState::failed;
        record.reasons.insert(record.reasons.begin(), error.what());
    }
    record.seconds["turntable"] =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
    if (claim.is_mine()) write_record(folder, record);
    return record;
}

}  // namespace moorhaze
