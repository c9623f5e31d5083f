// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sets/html.h"

#include <cstdio>

namespace moorhaze {

std::string in_html(const std::string& text) {
    std::string safe;
    for (const char letter : text) {
        const char* word = letter == '<'   ? "&lt;"
                           : letter == '>' ? "&gt;"
                           : letter == '&' ? "&amp;"
                           : letter == '"' ? "&quot;"
                                           : nullptr;
        if (word)
            safe += word;
        else
            safe += letter;
    }
    return safe;
}

std::string as_link(const std::string& path) {
    std::string link;
    for (const char letter : path) {
        const auto byte = static_cast<unsigned char>(letter);
        if (std::isalnum(byte) || std::string("-._~/").find(letter) != std::string::npos) {
            link += letter;
        } else {
            char code[4];
            std::snprintf(code, sizeof code, "%%%02X", byte);
            link += code;
        }
    }
    return link;
}

}  // namespace moorhaze
