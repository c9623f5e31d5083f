// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/json_text.h"

#include <algorithm>
#include <cmath>
#include <istream>
#include <string>

#include "core/work/errors.h"
#include "core/work/utf8.h"

namespace moorhaze {
namespace {

/// The deepest nesting of brackets outside of strings.
int levels_of(std::string_view text) {
    int level = 0, deepest = 0;
    bool in_string = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char letter = text[i];
        if (in_string) {
            if (letter == '\\')
                ++i;
            else if (letter == '"')
                in_string = false;
        } else if (letter == '"') {
            in_string = true;
        } else if (letter == '[' || letter == '{') {
            deepest = std::max(deepest, ++level);
        } else if (letter == ']' || letter == '}') {
            --level;
        }
    }
    return deepest;
}

void refuse_large() {
    throw FileError("holds more than " + std::to_string(kJsonBytes >> 20) +
                    " MB of text, which nothing that Moorhaze writes does");
}

/// Every string of a value, changed.
template <class Json, class Change>
void change_strings(Json& json, Change change) {
    if (json.is_string())
        json = change(json.template get_ref<const std::string&>());
    else if (json.is_structured())
        for (auto& own : json) change_strings(own, change);
}

/// A number with a fraction may be asked for as a whole one: then it has to be one of those.
void refuse_large_numbers(const nlohmann::ordered_json& json) {
    if (json.is_number_float() && !(std::abs(json.get<double>()) < kLargestNumber))
        throw FileError("says " + json.dump() + ", which is more than anything that Moorhaze writes");
    if (json.is_structured())
        for (const auto& own : json) refuse_large_numbers(own);
}

template <class Json>
std::string as_text(const Json& json, int indent) {
    try {
        std::string text = json.dump(indent);
        if (!has_bytes_in_text(text)) return text;
    } catch (const nlohmann::json::type_error&) {
        // It holds what is no UTF-8.
    }
    Json changed = json;
    change_strings(changed, [](const std::string& bytes) { return text_of_bytes(bytes); });
    return changed.dump(indent);
}

}  // namespace

nlohmann::ordered_json parsed_json(std::string_view text) {
    if (text.size() > kJsonBytes) refuse_large();
    if (levels_of(text) > kJsonLevels)
        throw FileError("is nested in more than " + std::to_string(kJsonLevels) +
                        " levels, which nothing that Moorhaze writes is");
    nlohmann::ordered_json json = nlohmann::ordered_json::parse(text);
    refuse_large_numbers(json);
    // A JSON text may write the letters by their numbers, too.
    if (has_bytes_in_text(text) || text.find("\\u") != std::string_view::npos)
        change_strings(json, [](const std::string& own) { return bytes_of_text(own); });
    return json;
}

nlohmann::ordered_json parsed_json(std::istream& in) {
    std::string text;
    char buffer[1 << 16];
    while (in.read(buffer, sizeof buffer) || in.gcount() > 0) {
        text.append(buffer, std::size_t(in.gcount()));
        if (text.size() > kJsonBytes) refuse_large();
    }
    return parsed_json(text);
}

std::string json_text(const nlohmann::ordered_json& json, int indent) {
    return as_text(json, indent);
}
std::string json_text(const nlohmann::json& json, int indent) {
    return as_text(json, indent);
}

}  // namespace moorhaze
