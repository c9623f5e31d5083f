// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/profile_frames.h"

#include <atomic>

#include "core/work/for_rows.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
namespace {

/// @param content_key  gets the file's.
Outcome<FrameLook> cached_look(const Frame& frame, int index, const ProfileCache* cache, FrameShelf* shelf,
                               std::string& content_key, const Job& job) {
    if (!cache) return look_at(frame, index, shelf, job);
    std::string key;
    try {
        content_key = content_key_of(frame.path, job);
        key = ProfileCache::key_of(content_key, frame.development);
    } catch (const FileError& error) {
        return tl::unexpected(FrameProblem{index, error.what()});
    }
    if (auto kept = cache->find(key)) return std::move(*kept);
    auto look = look_at(frame, index, shelf, job);
    if (look) cache->put(key, *look);
    return look;
}

}  // namespace

ProfiledFrames profile_frames(const Series& series, const ProfileCache* cache, FrameShelf* shelf,
                              const std::function<void(int frame, const FrameLook&)>& on_look,
                              const Job& job) {
    const ReusedMemory memory;
    ProfiledFrames result;
    result.profiles.resize(series.frames.size());
    result.content_keys.resize(series.frames.size());
    std::vector<std::string> problems(series.frames.size());
    std::atomic<int> done = 0;
    for_rows(series.count(), job.quiet(), [&](int i) {
        const auto place = std::size_t(i);
        auto look =
            cached_look(series.frames[place], i, cache, shelf, result.content_keys[place], job.quiet());
        if (look) {
            if (on_look) on_look(i, *look);
            result.profiles[place] = std::move(look->profile);
        } else {
            problems[place] = look.error().what;
        }
        job.checkpoint(double(++done) / series.count());
    });
    for (std::size_t i = 0; i < problems.size(); ++i)
        if (!problems[i].empty()) result.problems.push_back({int(i), problems[i]});
    return result;
}

}  // namespace moorhaze
