// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/run_series.h"

#include <sys/resource.h>

#include <algorithm>
#include <chrono>

#include "core/finish/finished.h"
#include "core/finish/framing.h"
#include "core/focus/profile_cache.h"
#include "core/merge/merge_within.h"
#include "core/project/align_series.h"
#include "core/project/edits.h"
#include "core/project/finish_in_plane.h"
#include "core/project/handed_picture.h"
#include "core/project/merge_series.h"
#include "core/project/project_folder.h"
#include "core/project/result_files.h"
#include "core/project/result_series.h"
#include "core/project/words.h"
#include "core/sets/set_paths.h"
#include "core/work/for_rows.h"
#include "core/work/memory_budget.h"
#include "core/work/words.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;

constexpr int kSmallPicture_px = 320;

/// Where a series' work takes its time, as shares of all of it: measured on 24 frames of 24 megapixels.
constexpr double kKeysEnd = 0.01, kLookEnd = 0.08, kAlignEnd = 0.25, kMergeEnd = 0.93;

double peak_memory_mb() {
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return double(usage.ru_maxrss) / 1024;
}

std::string relative_to(const fs::path& folder, const fs::path& file) {
    return file.lexically_relative(folder).generic_string();
}

std::string plural(int count, const char* one, const char* more) {
    return std::to_string(count) + " " + (count == 1 ? one : more);
}

/// The finish with a frame that lies in the picture; where it does not, without, and it is said.
Finish fitting(Finish finish, PixelRect area, std::vector<std::string>& reasons) {
    try {
        kept_of(finish.framing, area);
    } catch (const BadParameter& error) {
        finish.framing = {};
        reasons.push_back(std::string("the recipe's crop does not fit (") + error.what() +
                          "): the whole picture was written");
    }
    return finish;
}

/// One run of one series, step after step.
class SeriesRun {
  public:
    SeriesRun(const SetPlan& plan, const SetSeries& series, const RunSettings& settings,
              const OnStep& on_step)
        : plan_(plan), set_series_(series), settings_(settings), on_step_(on_step) {
        record_.name = series.name;
        record_.number = series.number;
        record_.frames = int(series.frames.size());
    }

    SeriesRecord run(const std::vector<std::string>& keys, const Job& job) {
        record_.made_of = inputs_of(plan_, set_series_, keys);
        look(keys, job.part(kKeysEnd, kLookEnd));
        align(job.part(kLookEnd, kAlignEnd));
        const std::vector<MergeChoice> merges = ways_to_merge();
        for (std::size_t i = 0; i < merges.size(); ++i) {
            const double share = (1 - kAlignEnd) / double(merges.size());
            const double from = kAlignEnd + share * double(i);
            merge_and_write(int(i), merges[i], i + 1 == merges.size(), job.part(from, from + share));
        }
        if (!record_.reasons.empty()) keep_project();
        record_.state = record_.reasons.empty() ? SeriesState::done : SeriesState::doubtful;
        return finished_record();
    }

    /// The record as it stands when the work failed.
    SeriesRecord failed(const std::string& why) {
        record_.state = SeriesState::failed;
        record_.reasons = {why};
        record_.project.clear();
        return finished_record();
    }

  private:
    void step(const char* name) {
        const auto now = std::chrono::steady_clock::now();
        if (!step_.empty()) record_.seconds[step_] += std::chrono::duration<double>(now - begun_).count();
        step_ = name;
        begun_ = now;
        if (on_step_ && !step_.empty()) on_step_(name);
    }

    SeriesRecord finished_record() {
        step("");
        record_.peak_memory_mb = peak_memory_mb();
        return record_;
    }

    /// A reason to look at it; what is one is no mere remark.
    void doubt(std::string reason) {
        std::erase(record_.warnings, reason);
        record_.reasons.push_back(std::move(reason));
    }
    void warn(std::vector<std::string> warnings) {
        std::move(warnings.begin(), warnings.end(), std::back_inserter(record_.warnings));
    }

    void look(const std::vector<std::string>& keys, const Job& job) {
        step("profiling");
        OpenedSeries opened = make_series(set_series_.frames);
        warn(opened.problems);
        opened.series.name = set_series_.name;
        for (const Frame& frame : opened.series.frames) facts_[frame.id] = frame.info;
        project_ = with_recipe(with_series({}, opened.series, {}, std::nullopt), plan_.recipe);
        project_.name = set_series_.name;
        std::vector<std::pair<FrameId, std::string>> known;
        for (std::size_t i = 0; i < set_series_.frames.size(); ++i)
            known.emplace_back(set_series_.frames[i].id, keys[i]);
        project_ = with_content_keys(project_, known);

        const Series series = series_of(project_, facts_);
        make_room_for_frames(series);
        LookTask task;
        task.shelf = &shelf_;
        const Looked looked = look_into(series, task, job);
        for (const FrameProblem& problem : looked.problems) warn({problem.what});
        const auto left_out = flagged_frames(project_, looked.whole, plan_.recipe.flags.value_or(FlagRule{}));
        project_ = with_recipe_for_frames(project_, plan_.recipe, looked.whole, left_out);
        suggested_ = project_.frames[looked.whole.suggested_reference].id;

        int faults = 0;
        for (const LeftOut& own : left_out) {
            warn({in_words(own)});
            faults += own.why.kind != "unsharp";
        }
        warn(warnings_of(looked));
        if (!looked.problems.empty())
            doubt(plural(int(looked.problems.size()), "frame", "frames") +
                  " cannot be read: " + looked.problems[0].what);
        if (faults >= limits_.left_out && faults > 0)
            doubt(plural(faults, "frame was", "frames were") + " left out");
        if (looked.order.needs_repair()) doubt("the frames are not in order: " + looked.order.reason);
        for (const std::string& sentence : looked.mixed) doubt(sentence);
        const FrameRange range = moorhaze::range_of(project_);
        for (const FocusGap& gap : looked.whole.gaps)
            if (gap.missing >= limits_.gap_steps && range.contains(gap.after) && range.contains(gap.before))
                doubt(in_words(gap));
    }

    void align(const Job& job) {
        step("aligning");
        series_ = series_of(project_, facts_);
        from_ = merge_inputs(project_, suggested_);
        geometry_ = align_series(series_, from_.align, nullptr, &shelf_, job).geometry;
        const std::vector<std::string> unaligned = warnings_of(geometry_, series_);
        warn(unaligned);
        if (!unaligned.empty())
            doubt(plural(int(unaligned.size()), "frame was", "frames were") + " not aligned");
        record_.residual_px = geometry_.residual_px();
        if (record_.residual_px > limits_.residual_px)
            doubt("the frames lie " + words("%.2g px", record_.residual_px) + " apart after aligning");
    }

    std::vector<MergeChoice> ways_to_merge() const {
        std::vector<MergeChoice> merges = merges_of(plan_.recipe, project_);
        if (plan_.recipe.turntable) merges.resize(1);
        return merges;
    }

    /// What every merge leaves of the memory holds decoded frames, so that each is decoded once.
    void make_room_for_frames(const Series& series) {
        const std::size_t allowed =
            settings_.memory_bytes > 0 ? settings_.memory_bytes : std::size_t(default_memory_mb()) << 20;
        std::size_t room = allowed;
        for (const MergeChoice& choice : ways_to_merge())
            room = std::min(room, bytes_to_spare(merge_method(choice.method),
                                                 {series,
                                                  {},
                                                  std::vector<int>(series.frames.size()),
                                                  PixelRect({}, series.size()),
                                                  choice.settings},
                                                 allowed));
        shelf_.set_budget(room);
    }

    void merge_and_write(int place, const MergeChoice& choice, bool is_last, const Job& job) {
        const double merge_share = (kMergeEnd - kAlignEnd) / (1 - kAlignEnd);
        step("merging");
        from_.choice = choice;
        MergeContext context;
        context.shelf = &shelf_;
        const MergeResult merge = merge_series(series_, geometry_, from_, settings_.memory_bytes, context,
                                               job.part(0, merge_share));
        if (is_last) shelf_.clear();
        for (const FrameProblem& problem : merge.problems) warn({problem.what});
        const auto indices = indices_of(from_.frames, series_);
        record_.merged = int(std::count_if(indices.begin(), indices.end(), [&](int frame) {
            return geometry_.frames[std::size_t(frame)].registered;
        }));
        if (limits_.snags && place == 0) {
            step("looking for snags");
            record_.snags = int(snags_of_result(merge, series_, geometry_, from_, job.quiet()).size());
            if (*record_.snags >= *limits_.snags)
                doubt(plural(*record_.snags, "doubtful place", "doubtful places"));
        }
        step("finishing");
        const Frame& reference = series_.frames[std::size_t(geometry_.reference)];
        std::vector<std::string> same_for_all;
        // Views of a turntable are finished when all are there.
        Finish finish;
        if (!plan_.recipe.turntable) {
            const FinishInPlane lying = finish_in_plane(project_.finish, series_, geometry_);
            if (!lying.problem.empty() && place == 0) doubt(lying.problem);
            finish = fitting(lying.finish, merge.area, place == 0 ? record_.reasons : same_for_all);
        }
        auto subject = finish_subject(merge.picture, merge.area.tl(), 1, job.quiet());
        subject = prepared(subject, finish, series_.size(), job.quiet());
        HandedPicture handed = handed_picture(subject, finish, job.quiet());
        handed.raw = raw_rendering_of(reference, from_.align.look.development);
        handed.layers = [&](const TakeLayer& take, const Job& own) {
            const FrameSource frames(series_, geometry_, std::make_shared<FrameShelf>(0));
            layers_of(merge, {}, {frames, {}}, finish, take, own);
        };
        record_.width = handed.finished.width();
        record_.height = handed.finished.height();

        step("writing");
        std::vector<OutputFile> files;
        for (const SetFile& file :
             files_of(plan_, set_series_, reference.info.shooting, handed.finished.pixels.size()))
            if (file.merge == place) files.push_back({file.path, file.output});
        claim_names(files);
        const ProjectResult made{
            {place + 1}, merge_method(choice.method).title, from_, record_.seconds["merging"], false, {}, {}};
        const SaidInFile said =
            said_of(project_.hand_over, reference.info.shooting, made_with(made) + finish_in_words(finish));
        std::string problem;
        for (const WrittenFile& file : write_outputs(handed, files, said, true, job.part(merge_share, 1))) {
            if (!file.remark.empty()) warn({file.path.filename().string() + ": " + file.remark});
            if (!file.problem.empty())
                problem += (problem.empty() ? "" : "; ") + file.problem;
            else
                for (RecordedFile& own : record_.files)
                    if (own.file == relative_to(plan_.out.folder, file.path)) {
                        own.bytes = file.bytes;
                        own.hash = content_key_of(file.path, job.quiet());
                    }
        }
        if (!problem.empty()) throw FileError(problem);
        if (place == 0) write_small_picture(handed, reference.info.shooting, job);
        if (record_.reasons.empty()) return;
        keep_result(made, merge, reference.info.shooting, job);
        project_ = with_result(project_, made);
    }

    /// Names are made of what a picture turned out to be, too: two series may come to the same one.
    void refuse_names_of_others(const std::vector<fs::path>& paths) const {
        // What an older recipe named is made anew.
        const auto recipe_in = [](const SeriesRecord& own) {
            return own.made_of.substr(0, own.made_of.rfind("\"frames\""));
        };
        for (const SeriesRecord& other : all_records(paths_.folder())) {
            if (other.name == record_.name || recipe_in(other) != recipe_in(record_)) continue;
            for (const RecordedFile& file : other.files)
                for (const fs::path& path : paths)
                    if (file.file == relative_to(plan_.out.folder, path))
                        throw FileError(path.string() + ": is the picture of the series " + other.name +
                                        ". Let the names differ: with {series} in them.");
        }
    }

    /// Says in the record which files are about to be written, so that whoever goes on after an interruption
    /// may replace them.
    void claim_names(const std::vector<OutputFile>& files) {
        std::vector<fs::path> paths;
        for (const OutputFile& file : files) paths.push_back(file.path);
        // What is refused must not stand in the record: the next run would take it for its own.
        if (!settings_.overwrite) refuse_foreign_files(plan_, paths, before_);
        refuse_names_of_others(paths);
        for (const fs::path& path : paths)
            record_.files.push_back({relative_to(plan_.out.folder, path), 0, {}});
        std::error_code failed;
        for (const fs::path& path : paths) fs::create_directories(path.parent_path(), failed);
        write_begun();
    }
    void write_begun() const {
        SeriesRecord begun = record_;
        begun.state = SeriesState::writing;
        write_record(set_folder(plan_.out), begun);
    }

    void write_small_picture(const HandedPicture& handed, const ShootingData& shooting, const Job& job) {
        Output small;
        small.format = FileFormat::jpeg;
        small.bits = 8;
        small.quality = 85;
        small.profile = ProfileWish::srgb;
        small.size = {SizeWish::long_side,
                      double(std::min(kSmallPicture_px, std::max(record_.width, record_.height)))};
        ShootingData plain;
        plain.taken = shooting.taken;
        const fs::path file = paths_.small_picture(record_.name);
        const std::string unsaid = write_output(file, {handed.finished}, small, {plain}, true, job.quiet());
        if (!unsaid.empty()) warn({file.filename().string() + ": " + unsaid});
    }

    fs::path unfinished_project() const { return paths_.unfinished_project(record_.name); }

    /// Results go into a hidden folder, which becomes the project's when all of it is there.
    void keep_result(const ProjectResult& made, const MergeResult& merge, const ShootingData& shooting,
                     const Job& job) {
        std::error_code failed;
        if (made.id.value == 1) paths_.retire(unfinished_project());
        fs::create_directories(unfinished_project() / "results", failed);
        const std::string unsaid =
            write_result(unfinished_project(), made.id, merge, geometry_, from_, shooting, job.quiet());
        if (!unsaid.empty()) warn({"the kept result: " + unsaid});
    }

    void keep_project() {
        std::error_code failed;
        // Left by a run that was interrupted right here: nothing of a person's is in it.
        if (before_)
            if (const auto left = paths_.recorded_project(record_.name, before_->project);
                left && fs::exists(*left, failed) && is_untouched(*left))
                paths_.retire(left->parent_path());
        const fs::path file = paths_.free_project(record_.name);
        SavedProject saved{project_, {"mend", std::nullopt, ResultId{1}}, series_.size()};
        saved.project.name = record_.name;
        save_project(unfinished_project() / file.filename(), saved);
        record_.project = relative_to(plan_.out.folder, file);
        write_begun();
        fs::rename(unfinished_project(), file.parent_path(), failed);
        if (failed)
            throw FileError(file.parent_path().string() + ": the project cannot be kept (" +
                            failed.message() + ").");
    }

    /// True where a project is as a run left it.
    bool is_untouched(const fs::path& file) const {
        std::error_code unknown;
        return !fs::exists(last_good(file), unknown);
    }

  public:
    /// What an interrupted run of the same was about to write.
    void may_replace(const SeriesRecord& before) { before_ = before; }

  private:
    const SetPlan& plan_;
    const SetSeries& set_series_;
    const RunSettings& settings_;
    const OnStep& on_step_;
    const SetPaths paths_{set_folder(plan_.out)};
    const DoubtLimits limits_ = plan_.recipe.doubts.value_or(DoubtLimits{});
    SeriesRecord record_;
    std::optional<SeriesRecord> before_;
    Project project_;
    FrameFacts facts_;
    FrameId suggested_{};
    Series series_;
    MadeFrom from_;
    SeriesGeometry geometry_;
    FrameShelf shelf_{0};
    std::string step_;
    std::chrono::steady_clock::time_point begun_;
};

}  // namespace

std::vector<std::string> frame_keys(const SetSeries& series, const Job& job) {
    std::vector<std::string> keys(series.frames.size());
    for_rows(int(keys.size()), job, [&](int i) {
        keys[std::size_t(i)] = content_key_of(series.frames[std::size_t(i)].path, job.quiet());
    });
    return keys;
}

SeriesRecord state_of(const SetPlan& plan, const SetSeries& series, const std::vector<std::string>& keys,
                      bool overwrite) {
    const auto known = read_record(set_folder(plan.out), series.name);
    const bool is_same = known && known->made_of == inputs_of(plan, series, keys);
    if (is_same && known->is_made() && all_there(plan, *known)) return *known;
    SeriesRecord waiting;
    waiting.name = series.name;
    waiting.number = series.number;
    waiting.frames = int(series.frames.size());
    if (overwrite || is_same) return waiting;
    const PictureInfo& info = series.frames.front().info;
    std::error_code unknown;
    for (const SetFile& file : files_of(plan, series, info.shooting, {info.width, info.height}))
        if (fs::exists(file.path, unknown))
            waiting.reasons.push_back(file.path.string() + ": exists already");
    return waiting;
}

SeriesRecord run_series(const SetPlan& plan, const SetSeries& series, const RunSettings& settings,
                        const OnStep& on_step, const Job& job) {
    const fs::path folder = set_folder(plan.out);
    const SeriesClaim claim(folder, series.name);
    SeriesRun run(plan, series, settings, on_step);
    if (!claim.is_mine()) return run.failed("another run works on it just now");
    SeriesRecord record;
    try {
        if (on_step) on_step("reading");
        const auto keys = frame_keys(series, job.part(0, kKeysEnd));
        if (const SeriesRecord known = state_of(plan, series, keys, true); known.is_made()) return known;
        if (const auto before = read_record(folder, series.name);
            before && before->made_of == inputs_of(plan, series, keys))
            run.may_replace(*before);
        record = run.run(keys, job);
    } catch (const Cancelled&) {
        throw;
    } catch (const std::exception& error) {
        record = run.failed(error.what());
    }
    write_record(folder, record);
    return record;
}

double guessed_seconds(const SetSeries& series) {
    const PictureInfo& info = series.frames.front().info;
    // Measured on two cores: 24 frames of 1.5 megapixels take 10 s, of 24 megapixels 40 s.
    return double(series.frames.size()) * (0.3 + 1.35 * double(info.width) * info.height / 24e6) + 0.5;
}

}  // namespace moorhaze
