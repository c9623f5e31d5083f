// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/json_text.h"

#include <istream>
#include <string>

#include "core/work/errors.h"

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

}  // namespace

nlohmann::ordered_json parsed_json(std::string_view text) {
    if (text.size() > kJsonBytes) refuse_large();
    if (levels_of(text) > kJsonLevels)
        throw FileError("is nested in more than " + std::to_string(kJsonLevels) +
                        " levels, which nothing that Moorhaze writes is");
    return nlohmann::ordered_json::parse(text);
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

}  // namespace moorhaze
