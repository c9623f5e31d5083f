// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/set_choice.h"

#include <algorithm>

namespace moorhaze {
namespace {

/// A list as a set: in it once, or not at all.
template <class Value>
void put(std::vector<Value>& list, const Value& value, bool is_in) {
    const auto found = std::find(list.begin(), list.end(), value);
    if (is_in && found == list.end()) list.push_back(value);
    if (!is_in && found != list.end()) list.erase(found);
}

template <class Value>
bool has(const std::vector<Value>& list, const Value& value) {
    return std::find(list.begin(), list.end(), value) != list.end();
}

}  // namespace

Recipe carried_recipe(const SetChoice& set) {
    Recipe recipe = set.whole;
    for (const RecipePart part : set.left_out) recipe = without(std::move(recipe), part);
    return recipe;
}

bool carries_part(const SetChoice& set, RecipePart part) {
    return carries(set.whole, part) && !has(set.left_out, part);
}

SetChoice with_part(SetChoice set, RecipePart part, bool carried) {
    put(set.left_out, part, !carried);
    return set;
}

bool is_ticked(const SetChoice& set, const std::filesystem::path& first_frame) {
    return !has(set.unticked, first_frame);
}

SetChoice with_tick(SetChoice set, const std::filesystem::path& first_frame, bool ticked) {
    put(set.unticked, first_frame, !ticked);
    return set;
}

}  // namespace moorhaze
