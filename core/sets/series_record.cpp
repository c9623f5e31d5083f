// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/series_record.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <numeric>

#include "core/files/safe_write.h"
#include "core/focus/profile_cache.h"
#include "core/project/decisions_json.h"
#include "core/sets/set_paths.h"
#include "core/work/json_text.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;
using Json = DecisionJson;

/// 2: files have hashes.
constexpr int kRecordVersion = 2;
/// Raised when the same inputs give other pixels than before.
constexpr int kMakingVersion = 1;

constexpr Named<SeriesState> kStates[] = {{SeriesState::waiting, "waiting"},
                                          {SeriesState::writing, "writing"},
                                          {SeriesState::done, "done"},
                                          {SeriesState::doubtful, "look-at-this"},
                                          {SeriesState::failed, "failed"}};

Json json_object(const SeriesRecord& own) {
    Json json{{"moorhaze_series", kRecordVersion},
              {"name", own.name},
              {"number", own.number},
              {"state", name_of(kStates, own.state)},
              {"reasons", own.reasons},
              {"warnings", own.warnings},
              {"files", Json::array()},
              {"project", own.project},
              {"frames", own.frames},
              {"merged", own.merged},
              {"width", own.width},
              {"height", own.height},
              {"residual_px", own.residual_px},
              {"seconds", own.seconds},
              {"peak_memory_mb", own.peak_memory_mb},
              {"made_of", own.made_of.empty() ? Json() : parsed_json(own.made_of)}};
    for (const RecordedFile& file : own.files)
        json["files"].push_back({{"file", file.file}, {"bytes", file.bytes}, {"hash", file.hash}});
    if (own.snags) json["snags"] = *own.snags;
    return json;
}

SeriesRecord record_of(const Json& json) {
    Members members(json, "of the series");
    int version = 0;
    members.get("moorhaze_series", version);
    if (version < 1 || version > kRecordVersion) throw FileError("is of another version");
    SeriesRecord own;
    members.get("name", own.name);
    members.get("number", own.number);
    if (const Json* state = members.find("state")) own.state = named(kStates, *state);
    members.get("reasons", own.reasons);
    members.get("warnings", own.warnings);
    if (const Json* files = members.find("files"))
        for (const Json& file : *files)
            own.files.push_back({file.at("file").get<std::string>(), file.at("bytes").get<std::uintmax_t>(),
                                 file.value("hash", std::string())});
    for (const RecordedFile& file : own.files)
        if (!stays_beneath(file.file)) throw FileError("names a file outside of its folder");
    members.get("project", own.project);
    members.get("frames", own.frames);
    members.get("merged", own.merged);
    members.get("width", own.width);
    members.get("height", own.height);
    members.get("residual_px", own.residual_px);
    if (const Json* snags = members.find("snags")) own.snags = snags->get<int>();
    members.get("seconds", own.seconds);
    members.get("peak_memory_mb", own.peak_memory_mb);
    if (const Json* made_of = members.find("made_of")) own.made_of = json_text(*made_of);
    return own;
}

/// A record under the name that its series has here.
std::optional<SeriesRecord> read(const SetPaths& paths, const fs::path& file) {
    std::ifstream in(file);
    if (!in) return std::nullopt;
    try {
        SeriesRecord own = record_of(parsed_json(in));
        if (paths.record(own.name) != file) return std::nullopt;
        if (!own.project.empty() && !paths.recorded_project(own.name, own.project)) own.project.clear();
        return own;
    } catch (const nlohmann::json::exception&) {
        return std::nullopt;
    } catch (const FileError&) {
        return std::nullopt;
    }
}

bool is_as_written(const fs::path& folder, const RecordedFile& own) {
    std::error_code unknown;
    const fs::path file = folder / own.file;
    if (!fs::is_regular_file(file, unknown) || fs::file_size(file, unknown) != own.bytes || unknown)
        return false;
    try {
        return own.hash.empty() || content_key_of(file, {}) == own.hash;
    } catch (const FileError&) {
        return false;  // it cannot be read
    }
}

}  // namespace

const char* name_of(SeriesState state) {
    return kStates[int(state)].name;
}

const char* words_for(SeriesState state) {
    if (state == SeriesState::writing) return "begun, not finished";
    return state == SeriesState::doubtful ? "look at this" : name_of(state);
}

double SeriesRecord::all_seconds() const {
    return std::accumulate(seconds.begin(), seconds.end(), 0.0,
                           [](double sum, const auto& step) { return sum + step.second; });
}

std::string inputs_of(const SetPlan& plan, const SetSeries& series, const std::vector<std::string>& keys) {
    Recipe recipe = plan.recipe;
    // How views are framed and lit together changes nothing of their merges.
    if (recipe.turntable) recipe.turntable = TurntableRule{};
    Json json{{"making", kMakingVersion},
              {"recipe", parsed_json(json_of(recipe))},
              {"frames", keys},
              {"files", Json::array()}};
    const PictureInfo& info = series.frames.front().info;
    for (const SetFile& file : files_of(plan, series, info.shooting, {info.width, info.height}))
        json["files"].push_back(file.path.lexically_relative(plan.out.folder).generic_string());
    return json_text(json);
}

std::optional<SeriesRecord> read_record(const fs::path& folder, const std::string& series) {
    const SetPaths paths(folder);
    return read(paths, paths.record(series));
}

std::vector<SeriesRecord> all_records(const fs::path& folder) {
    std::vector<SeriesRecord> records;
    const SetPaths paths(folder);
    std::error_code none;
    for (fs::directory_iterator at(paths.records(), none), end; !none && at != end; at.increment(none))
        if (at->path().extension() == ".json" && !at->path().filename().string().starts_with('.'))
            if (auto record = read(paths, at->path())) records.push_back(std::move(*record));
    return records;
}

std::string json_of(const SeriesRecord& record) {
    return json_text(json_object(record), 1) + "\n";
}

void write_record(const fs::path& folder, const SeriesRecord& record) {
    const SetPaths paths(folder);
    paths.make();
    write_text_file(paths.record(record.name), json_of(record), true);
}

bool all_there(const SetPlan& plan, const SeriesRecord& record) {
    return std::all_of(record.files.begin(), record.files.end(),
                       [&](const RecordedFile& own) { return is_as_written(plan.out.folder, own); });
}

void refuse_foreign_files(const SetPlan& plan, const std::vector<fs::path>& files,
                          const std::optional<SeriesRecord>& before) {
    for (const fs::path& file : files) {
        const std::string name = file.lexically_relative(plan.out.folder).generic_string();
        std::error_code unknown;
        const bool is_own = before && std::any_of(before->files.begin(), before->files.end(),
                                                  [&](const RecordedFile& own) { return own.file == name; });
        if (!is_own && fs::exists(file, unknown))
            throw FileError(
                file.string() +
                ": exists already and was not made by this recipe of these frames. Choose another place "
                "for the pictures, or let them be replaced (--overwrite).");
    }
}

std::vector<RecordedFile> untouched_files(const SetPlan& plan, const SeriesRecord& record) {
    std::vector<RecordedFile> untouched;
    for (const RecordedFile& file : record.files)
        if (is_as_written(plan.out.folder, file)) untouched.push_back(file);
    return untouched;
}

SeriesClaim::SeriesClaim(const fs::path& folder, const std::string& series) {
    const SetPaths paths(folder);
    paths.make();
    const fs::path file = paths.claim(series);
    handle_ = open(file.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0644);
    if (handle_ < 0)
        throw FileError(file.string() + ": cannot be written (" + std::strerror(errno) +
                        "). Choose another place for the pictures with --out.");
    // A file system without locks (ENOLCK, ENOSYS, EOPNOTSUPP) is no other worker: there the person has to
    // see to it.
    if (flock(handle_, LOCK_EX | LOCK_NB) != 0 && (errno == EWOULDBLOCK || errno == EINTR)) {
        close(handle_);
        handle_ = -1;
    }
}

SeriesClaim::~SeriesClaim() {
    if (handle_ >= 0) close(handle_);
}

}  // namespace moorhaze
