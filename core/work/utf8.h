// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <string_view>

namespace moorhaze {

// Names of files are bytes, and not always text: old discs, cards and archives hold some in other encodings.
// Within the program they stay the bytes that they are.   Thread-safe, all of them.

/// Bytes as text that every JSON reader takes, and back without a loss: what is no UTF-8 (RFC 3629) becomes,
/// byte by byte, a letter of Unicode's private area, U+F700 + the byte. Those letters themselves are written
/// the same way.
std::string text_of_bytes(std::string_view bytes);
std::string bytes_of_text(std::string_view text);
/// True where bytes_of_text() would change something.
bool has_bytes_in_text(std::string_view text);

/// For people to read: what is no UTF-8 becomes replacement marks (U+FFFD).
std::string shown_text(std::string_view bytes);

/// A text file's content: UTF-8 with or without a byte order mark, UTF-16 with one. Nothing for bytes that
/// are neither.
std::optional<std::string> utf8_of(std::string_view bytes);

}  // namespace moorhaze
