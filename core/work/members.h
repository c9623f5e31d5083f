// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <nlohmann/json.hpp>
#include <string>
#include <type_traits>
#include <utility>
#include <vector>

#include "core/work/errors.h"
#include "core/work/json_text.h"

/// Private to core: reading JSON that people write by hand. Only .cpp files include it.
namespace moorhaze {

/// Reads the members of one JSON object; what is left over in the end is a mistake.
class Members {
  public:
    using Json = nlohmann::ordered_json;

    /// @param name  whose members they are, for messages: "of the finish".
    /// @throws FileError for what is no object.
    Members(const Json& json, std::string name) : json_(json), name_(std::move(name)) {
        if (!json_.is_object()) throw FileError("says " + name_ + " in a way that means nothing here");
    }
    /// Null where the object has no such member, or says null.
    const Json* find(const char* key) {
        const auto found = json_.find(key);
        if (found != json_.end()) ++read_;
        names_.push_back(key);
        return found == json_.end() || found->is_null() ? nullptr : &*found;
    }
    /// @throws nlohmann::json::exception for a value of another type, FileError for a whole number that is
    /// none or too large.
    template <class Value>
    void get(const char* key, Value& value) {
        const Json* found = find(key);
        if (!found) return;
        if constexpr (std::is_integral_v<Value> && !std::is_same_v<Value, bool>) {
            // The library would cut a number to fit, and a fraction to a whole.
            const auto fits = [&] {
                return found->is_number_unsigned() ? std::in_range<Value>(found->get<std::uint64_t>())
                                                   : std::in_range<Value>(found->get<std::int64_t>());
            };
            if (found->is_number() && (!found->is_number_integer() || !fits()))
                throw FileError("says " + std::string(key) + " " + json_text(*found) +
                                ", which means nothing here");
        }
        found->get_to(value);
    }
    template <class Point>
    void point(const char* key, Point& value) {
        if (const Json* found = find(key)) value = {found->at(0).get<double>(), found->at(1).get<double>()};
    }
    /// @throws NewerFile naming a member that was not asked for.
    void done() const {
        if (read_ == int(json_.size())) return;
        for (const auto& [key, value] : json_.items())
            if (std::find(names_.begin(), names_.end(), key) == names_.end())
                throw NewerFile("says " + name_ + " " + key +
                                ", which this Moorhaze does not know. Use a newer one, or take it out.");
    }

  private:
    const Json& json_;
    std::string name_;
    std::vector<std::string> names_;
    int read_ = 0;
};

/// The place of a member's word in a list of names.   @throws FileError for a word that is not in it.
template <std::size_t count>
int place_in(const char* const (&names)[count], Members& members, const char* key, int otherwise) {
    std::string word = names[otherwise];
    members.get(key, word);
    for (std::size_t i = 0; i < count; ++i)
        if (word == names[i]) return int(i);
    throw FileError("says " + std::string(key) + " " + word + ", which means nothing here");
}

}  // namespace moorhaze
