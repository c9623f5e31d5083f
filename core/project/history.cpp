// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/history.h"

#include <algorithm>

namespace moorhaze {

bool History::edit(const std::string& what, Project after, const std::string& join) {
    if (after == now()) return false;
    values_.resize(place_ + 1);
    steps_.resize(place_);
    if (may_join_ && !join.empty() && !steps_.empty() && steps_.back().join == join) {
        values_.back() = std::move(after);
        return true;
    }
    values_.push_back(std::move(after));
    steps_.push_back({what, join});
    ++place_;
    may_join_ = true;
    return true;
}

void History::happened(const std::function<Project(const Project&)>& change) {
    const Project before = now();
    for (Project& value : values_) value = change(value);
    if (now().results != before.results || now().frames.size() != before.frames.size()) may_join_ = false;
}

void History::undo() {
    if (can_undo()) --place_;
    may_join_ = false;
}

void History::redo() {
    if (can_redo()) ++place_;
    may_join_ = false;
}

bool History::knows(ResultId result) const {
    return std::any_of(values_.begin(), values_.end(),
                       [&](const Project& value) { return find_result(value, result) != nullptr; });
}

}  // namespace moorhaze
