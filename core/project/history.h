// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <string>
#include <vector>

#include "core/project/project.h"

namespace moorhaze {

/// The values a project had and has: undo without limit. Not thread-safe.
class History {
  public:
    explicit History(Project start = {}) : values_{std::move(start)} {}

    const Project& now() const { return values_[place_]; }

    /// One step that a person made; what could be redone is forgotten.
    /// @param what  it does, in a few words.
    /// @param join  steps that follow each other with the same of these are one step; empty: never.
    /// @return      false when nothing changed, and there is nothing to undo.
    bool edit(const std::string& what, Project after, const std::string& join = {});

    /// What merely happened, like a frame that arrived: it holds in every value, so that undo neither takes
    /// it back nor loses it. Where it changed anything, steps on both sides of it are two.
    void happened(const std::function<Project(const Project&)>& change);

    /// The next edit is a step of its own, whatever it may join.
    void end_step() { may_join_ = false; }

    bool can_undo() const { return place_ > 0; }
    bool can_redo() const { return place_ + 1 < values_.size(); }
    /// Nothing when there is none to take.
    void undo();
    void redo();
    /// What the next undo takes back, and redo does again; empty when there is none.
    std::string undo_words() const { return can_undo() ? steps_[place_ - 1].what : std::string(); }
    std::string redo_words() const { return can_redo() ? steps_[place_].what : std::string(); }
    int steps() const { return int(steps_.size()); }  ///< to undo and to redo
    int undo_steps() const { return int(place_); }

    /// True when any value of the history has this result: its picture may be wanted again.
    bool knows(ResultId result) const;

  private:
    struct Step {
        std::string what, join;
    };
    std::vector<Project> values_;  ///< one more than steps
    std::vector<Step> steps_;
    std::size_t place_ = 0;
    bool may_join_ = false;  ///< the last thing done was that step
};

}  // namespace moorhaze
