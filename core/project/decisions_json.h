// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/project/project.h"
#include "core/work/json_text.h"
#include "core/work/members.h"

/// Private to core: decisions of a project as JSON, as they stand in its file and in a recipe. Frames are not
/// in them: matching points and the backdrop's frame stay with the project.
namespace moorhaze {

using DecisionJson = Members::Json;

/// Enumerations by name, so that a file can be read and no number changes its meaning.
template <class Value>
struct Named {
    Value value;
    const char* name;
};
template <class Value, std::size_t count>
std::string name_of(const Named<Value> (&names)[count], Value value) {
    for (const auto& own : names)
        if (own.value == value) return own.name;
    return names[0].name;
}
/// @throws FileError for what is no name of them.
template <class Value, std::size_t count>
Value named(const Named<Value> (&names)[count], const DecisionJson& json) {
    for (const auto& own : names)
        if (json == own.name) return own.value;
    throw FileError("says " + json_text(json) + ", which means nothing here");
}

inline constexpr Named<KeptArea> kKeptAreaNames[] = {
    {KeptArea::common, "common"}, {KeptArea::reference, "reference"}, {KeptArea::everything, "everything"}};

DecisionJson json_of(const Development& own);
DecisionJson json_of(const Placing& own);
DecisionJson json_of(const MergeChoice& own);

// What the members do not name stays as it is.   @throws FileError, nlohmann::json::exception.
void read(Members& members, Development& own);
void read(Members& members, Placing& own);
void read(Members& members, MergeChoice& own);

}  // namespace moorhaze
