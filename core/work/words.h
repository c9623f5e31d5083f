// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdio>
#include <string>

namespace moorhaze {

/// One number in a sentence: `format` holds one printf place for a double; at most 200 characters come out.
inline std::string words(const char* format, double value) {
    char text[201];
    std::snprintf(text, sizeof text, format, value);
    return text;
}
inline std::string words(const std::string& format, double value) {
    return words(format.c_str(), value);
}

/// A name from somewhere else for a terminal or a line of a table: control characters, which move cursors,
/// change colours or end lines, become '?'.
inline std::string printable(std::string text) {
    for (char& letter : text)
        if ((unsigned char)letter < 32 || letter == 127) letter = '?';
    return text;
}

}  // namespace moorhaze
