// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/project_folder.h"

#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <sstream>

#include "core/files/safe_write.h"
#include "core/focus/profile_cache.h"
#include "core/project/edits.h"
#include "core/project/project_json.h"
#include "core/project/sound.h"
#include "core/work/for_rows.h"
#include "core/work/json_text.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

Json standing_json(const Standing& own) {
    Json json{{"stage", own.stage}};
    if (own.frame) json["frame"] = own.frame->value;
    if (own.result) json["result"] = own.result->value;
    return json;
}

/// What it says of the window is a convenience: where it is damaged the window begins anew.
Standing standing_of(const Json& json) {
    Standing own;
    try {
        own.stage = json.value("stage", std::string());
        if (json.contains("frame")) own.frame = FrameId{json["frame"].get<int>()};
        if (json.contains("result")) own.result = ResultId{json["result"].get<int>()};
    } catch (const nlohmann::json::exception&) {
        return {};
    }
    return own;
}

std::string read_text(const fs::path& file) {
    std::ifstream in(file, std::ios::binary);
    std::ostringstream text;
    if (!in || !(text << in.rdbuf()))
        throw FileError(file.string() + ": cannot be read (" + std::strerror(errno) +
                        "). Is it there, and may you read it?");
    return text.str();
}

SavedProject saved_of(const std::string& text, const fs::path& folder) {
    SavedProject saved;
    saved.project = project_from_json(text, folder);
    check_sound(saved.project);
    const Json json = parsed_json(text);
    if (const auto window = json.find("window"); window != json.end() && window->is_object())
        saved.standing = standing_of(*window);
    if (const auto size = json.find("frame_size_px"); size != json.end() && size->is_array() &&
                                                      size->size() == 2 && (*size)[0].is_number_integer() &&
                                                      (*size)[1].is_number_integer())
        saved.frame_size = {std::clamp((*size)[0].get<int>(), 0, 1 << 20),
                            std::clamp((*size)[1].get<int>(), 0, 1 << 20)};
    return saved;
}

/// The file stays under another name, whatever becomes of its own.
void keep_beside(const fs::path& file, const fs::path& beside) {
    const fs::path fresh = beside.string() + "~";
    std::error_code failed;
    fs::remove(fresh, failed);
    fs::create_hard_link(file, fresh, failed);
    if (failed) fs::copy_file(file, fresh, fs::copy_options::overwrite_existing, failed);
    if (!failed) fs::rename(fresh, beside, failed);
    if (failed) fs::remove(fresh, failed);
}

}  // namespace

fs::path last_good(const fs::path& file) {
    return file.string() + ".last";
}

void save_project(const fs::path& file, const SavedProject& saved) {
    const fs::path folder = file.parent_path();
    std::error_code failed;
    fs::create_directories(folder, failed);
    if (failed)
        throw FileError(folder.string() + ": the project's folder cannot be made (" + failed.message() +
                        "). Keep the project in another place.");
    Json json = parsed_json(to_json(saved.project, folder));
    json["frame_size_px"] = {saved.frame_size.width, saved.frame_size.height};
    json["window"] = standing_json(saved.standing);
    if (fs::exists(file, failed)) keep_beside(file, last_good(file));
    write_text_file(file, json_text(json, 1) + "\n", true);
}

std::optional<fs::path> project_of_frames(const std::vector<Frame>& frames,
                                          const std::vector<fs::path>& projects, const Job& job) {
    const auto sorted = [](auto paths) {
        std::sort(paths.begin(), paths.end());
        return paths;
    };
    std::vector<fs::path> wanted;
    for (const Frame& frame : frames) wanted.push_back(fs::absolute(frame.path).lexically_normal());
    wanted = sorted(wanted);
    for (const fs::path& file : projects) try {
            job.checkpoint();
            const fs::path own = fs::absolute(file).lexically_normal();
            const Project project = saved_of(read_text(own), own.parent_path()).project;
            if (project.frames.size() != int(wanted.size())) continue;
            std::vector<fs::path> its;
            for (const ProjectFrame& frame : project.frames) its.push_back(frame.path.lexically_normal());
            if (sorted(its) != wanted) continue;
            // A card that was shot on anew has other pictures under the same names. Where it is not known
            // what files held, one that is younger than the project is another.
            bool same = true;
            for (const int place : {0, project.frames.size() / 2, project.frames.size() - 1}) {
                const ProjectFrame& frame = project.frames[place];
                same = same && (frame.content_key.empty()
                                    ? fs::last_write_time(frame.path) <= fs::last_write_time(own)
                                    : frame.content_key == content_key_of(frame.path, job));
            }
            if (same) return own;
        } catch (const FileError&) {
            continue;
        } catch (const fs::filesystem_error&) {
            continue;
        }
    return std::nullopt;
}

OpenedProject open_project(const fs::path& file, const Job& job) {
    OpenedProject opened;
    const fs::path own = fs::absolute(file).lexically_normal();
    const std::string text = read_text(own);
    try {
        opened.saved = saved_of(text, own.parent_path());
    } catch (const NewerFile& error) {
        throw NewerFile(own.string() + ": " + error.what());
    } catch (const FileError& error) {
        std::error_code unknown;
        throw DamagedProject(own.string() + ": " + error.what() +
                             (fs::exists(last_good(own), unknown)
                                  ? ". What was saved before it is still there: it can be taken instead."
                                  : ". Nothing was saved before it."));
    }
    const Project& project = opened.saved.project;
    std::vector<Frame> frames;
    std::map<FrameId, std::size_t> known;
    auto add = [&](const SharedList<ProjectFrame>& list) {
        for (const ProjectFrame& frame : list)
            if (known.emplace(frame.id, frames.size()).second)
                frames.push_back({frame.path, {}, {}, true, frame.id});
    };
    add(project.frames);
    for (const CardSeries& series : project.card) add(series.frames);
    std::vector<char> is_there(frames.size());
    for_rows(int(frames.size()), job, [&](int i) {
        Frame& frame = frames[std::size_t(i)];
        try {
            frame.info = read_picture_info(frame.path);
            is_there[std::size_t(i)] = true;
        } catch (const FileError&) {
            frame.info.width = opened.saved.frame_size.width;
            frame.info.height = opened.saved.frame_size.height;
        }
    });
    // Made into a series, frames may be turned.
    std::vector<Frame> readable;
    for (const ProjectFrame& frame : project.frames) {
        const std::size_t place = known[frame.id];
        if (is_there[place])
            readable.push_back(frames[place]);
        else
            opened.missing.push_back(frame.id);
    }
    for (const Frame& frame : frames) opened.facts[frame.id] = frame.info;
    if (!readable.empty())
        for (const auto& [id, info] : facts_of(make_series(readable).series)) opened.facts[id] = info;
    return opened;
}

void take_last_good(const fs::path& file) {
    const fs::path last = last_good(file);
    std::error_code failed;
    fs::rename(file, file.string() + ".damaged", failed);
    fs::copy_file(last, file, fs::copy_options::overwrite_existing, failed);
    if (failed)
        throw FileError(last.string() + ": cannot be put in place (" + failed.message() +
                        "). Copy it by hand.");
}

bool is_project(const fs::path& path) {
    return !project_file(path).empty();
}

fs::path project_file(const fs::path& path) {
    std::error_code unknown;
    if (path.extension() == kProjectEnding && !fs::is_directory(path, unknown)) return path;
    if (!fs::is_directory(path, unknown)) return {};
    for (const auto& entry : fs::directory_iterator(path, unknown))
        if (entry.path().extension() == kProjectEnding && entry.is_regular_file(unknown)) return entry.path();
    return {};
}

std::vector<std::pair<FrameId, fs::path>> find_frames(const Project& project,
                                                      const std::vector<FrameId>& missing,
                                                      const fs::path& folder, const Job& job) {
    std::error_code failed;
    std::vector<fs::path> files;
    const auto& endings = picture_endings();
    for (fs::recursive_directory_iterator at(folder, fs::directory_options::skip_permission_denied, failed),
         end;
         !failed && at != end; at.increment(failed)) {
        job.checkpoint();
        std::string ending = at->path().extension().string();
        std::transform(ending.begin(), ending.end(), ending.begin(),
                       [](unsigned char letter) { return char(std::tolower(letter)); });
        std::error_code unknown;
        if (at->is_regular_file(unknown) &&
            std::find(endings.begin(), endings.end(), ending) != endings.end())
            files.push_back(at->path());
    }
    if (failed)
        throw FileError(folder.string() + ": cannot be read (" + failed.message() +
                        "). Choose another folder.");
    // Files that kept their names come first: most often nothing else need be read.
    std::map<std::string, const ProjectFrame*> by_key;
    std::map<std::string, FrameId> by_name;
    for (const ProjectFrame& frame : project.frames) {
        if (std::find(missing.begin(), missing.end(), frame.id) == missing.end()) continue;
        by_name[frame.path.filename().string()] = frame.id;
        if (!frame.content_key.empty()) by_key[frame.content_key] = &frame;
    }
    std::sort(files.begin(), files.end());
    std::stable_partition(files.begin(), files.end(),
                          [&](const fs::path& file) { return by_name.contains(file.filename().string()); });
    std::vector<std::pair<FrameId, fs::path>> found;
    std::map<FrameId, bool> done;
    for (std::size_t i = 0; i < files.size() && done.size() < missing.size(); ++i) {
        job.checkpoint(double(i) / double(files.size()));
        const auto named = by_name.find(files[i].filename().string());
        std::optional<FrameId> frame;
        if (!by_key.empty()) try {
                const auto known = by_key.find(content_key_of(files[i], job));
                if (known != by_key.end()) frame = known->second->id;
            } catch (const FileError&) {
                continue;
            }
        if (!frame && named != by_name.end()) {
            const auto place = place_of(project, named->second);
            if (place && project.frames[*place].content_key.empty()) frame = named->second;
        }
        if (frame && done.emplace(*frame, true).second) found.emplace_back(*frame, files[i]);
    }
    return found;
}

std::string names_in_words(const Project& project, const std::vector<FrameId>& frames) {
    constexpr std::size_t kNamed = 3;
    std::string text;
    for (std::size_t i = 0; i < std::min(kNamed, frames.size()); ++i)
        if (const auto place = place_of(project, frames[i]))
            text += (text.empty() ? "" : ", ") + project.frames[*place].path.filename().string();
    if (frames.size() > kNamed) text += " and " + std::to_string(frames.size() - kNamed) + " more";
    return text;
}

fs::path free_project_file(const fs::path& parent, const std::string& name) {
    const std::string safe =
        name.find_first_not_of(" .") == std::string::npos ? "series" : shortened(as_file_name(name), 200);
    std::string own = safe;
    std::error_code unknown;
    for (int number = 2; fs::exists(parent / own, unknown); ++number)
        own = safe + "-" + std::to_string(number);
    return parent / own / (own + kProjectEnding);
}

namespace {

/// @throws fs::filesystem_error, FileError, Cancelled.
void copy_folder(const fs::path& from, const fs::path& to, const Job& job) {
    fs::remove_all(to);
    fs::create_directories(to);
    for (const fs::directory_entry& own : fs::recursive_directory_iterator(from)) {
        const fs::path there = to / own.path().lexically_relative(from);
        if (own.is_directory())
            fs::create_directories(there);
        else
            copy_whole_file(own.path(), there, job);
    }
    for (const fs::directory_entry& own : fs::recursive_directory_iterator(to))
        if (own.is_directory()) flush_folder(own.path());
    flush_folder(to);
}

}  // namespace

void move_project(const fs::path& from, const fs::path& to, const Job& job) {
    const fs::path source = from.parent_path(), target = to.parent_path();
    std::error_code failed;
    if (fs::exists(target, failed))
        throw FileError(target.string() + ": is there already. Choose another name.");
    fs::create_directories(target.parent_path(), failed);
    fs::rename(source, target, failed);
    if (failed) {
        // Another file system: a whole copy first, under a name that nobody takes for the project. Only what
        // stands on that disc and was compared lets the old one go.
        const fs::path copy = target.parent_path() / (".moorhaze-" + target.filename().string());
        try {
            copy_folder(source, copy, job);
            fs::rename(copy, target);
        } catch (const fs::filesystem_error& error) {
            std::error_code ignored;
            fs::remove_all(copy, ignored);
            throw FileError(target.string() + ": the project cannot be kept there (" +
                            error.code().message() + "). Choose another folder.");
        } catch (...) {
            std::error_code ignored;
            fs::remove_all(copy, ignored);
            throw;
        }
        flush_folder(target.parent_path());
        std::error_code ignored;
        fs::remove_all(source, ignored);
    }
    if (from.filename() == to.filename()) return;
    std::error_code ignored;
    fs::rename(target / from.filename(), to, ignored);
    fs::rename(target / last_good(from).filename(), last_good(to), ignored);
}

std::uintmax_t bytes_on_disc(const fs::path& folder) {
    std::uintmax_t bytes = 0;
    std::error_code failed;
    for (fs::recursive_directory_iterator at(folder, failed), end; !failed && at != end;
         at.increment(failed)) {
        std::error_code unknown;
        if (at->is_regular_file(unknown)) bytes += at->file_size(unknown);
    }
    return bytes;
}

}  // namespace moorhaze
