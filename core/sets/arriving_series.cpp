// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/arriving_series.h"

#include <algorithm>

#include "core/series/watched_folder.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;

/// A new series is looked for once so many more frames have come: splitting looks at all that wait.
constexpr std::size_t kLookAgainAfter = 4;

std::map<fs::path, std::uintmax_t> pictures_within(const fs::path& folder) {
    std::error_code failed;
    fs::recursive_directory_iterator at(folder, fs::directory_options::skip_permission_denied, failed);
    if (failed)
        throw FileError(folder.string() + ": cannot be read (" + failed.message() +
                        "). Choose the folder again.");
    std::map<fs::path, std::uintmax_t> sizes;
    for (const fs::recursive_directory_iterator end; at != end; at.increment(failed)) {
        if (failed) break;
        const std::string name = at->path().filename().string();
        // Hidden ones are temporary, and what a set wrote is no frame.
        if (name.starts_with('.') || name == kSetFolder || holds_set(at->path())) {
            at.disable_recursion_pending();
            continue;
        }
        std::string ending = at->path().extension().string();
        std::transform(ending.begin(), ending.end(), ending.begin(),
                       [](unsigned char letter) { return char(std::tolower(letter)); });
        const auto& endings = picture_endings();
        if (std::find(endings.begin(), endings.end(), ending) == endings.end()) continue;
        std::error_code gone;
        if (const auto size = at->file_size(gone); !gone && size > 0) sizes[at->path()] = size;
    }
    return sizes;
}

}  // namespace

ArrivingSeries::ArrivingSeries(fs::path folder, double quiet_s)
    : folder_(std::move(folder)), quiet_s_(quiet_s) {
    pictures_within(folder_);
}

std::vector<SetSeries> ArrivingSeries::look(Moment now, const Job& job) {
    auto sizes = pictures_within(folder_);
    for (const auto& [file, size] : sizes) {
        if (known_.contains(file)) continue;
        const auto before = growing_.find(file);
        if (before == growing_.end() || before->second != size) {
            last_arrival_ = now;  // it is still being written
            continue;
        }
        if (!is_complete_picture(file)) continue;
        known_.insert(file);
        waiting_.push_back(file);
        last_arrival_ = now;
    }
    growing_ = std::move(sizes);
    const bool is_quiet = std::chrono::duration<double>(now - last_arrival_).count() >= quiet_s_;
    if (waiting_.empty() || (!is_quiet && waiting_.size() < looked_at_ + kLookAgainAfter)) return {};

    looked_at_ = waiting_.size();
    OpenedCard card = open_card(waiting_, job);
    std::move(card.problems.begin(), card.problems.end(), std::back_inserter(problems_));
    std::vector<SetSeries> complete;
    const std::size_t whole = is_quiet ? card.series.size() : card.series.size() - 1;
    for (std::size_t i = 0; i < whole; ++i) {
        FoundSeries& found = card.series[i];
        const fs::path own_folder = found.frames.front().path.parent_path();
        const std::string folder_name = own_folder.filename().string();
        const int number = ++in_folder_[own_folder];
        complete.push_back({folder_name + " " + std::to_string(number), ++count_, std::move(found.reason),
                            std::move(found.frames)});
    }
    std::set<fs::path> gone;
    for (const SetSeries& series : complete)
        for (const Frame& frame : series.frames) gone.insert(frame.path);
    if (is_quiet)
        waiting_.clear();
    else
        std::erase_if(waiting_, [&](const fs::path& file) { return gone.contains(file); });
    looked_at_ = waiting_.size();
    return complete;
}

}  // namespace moorhaze
