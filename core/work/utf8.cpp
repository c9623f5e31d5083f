// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/utf8.h"

#include <algorithm>
#include <cstdint>

namespace moorhaze {
namespace {

constexpr std::uint32_t kBytesBegin = 0xf700;  // U+F780 to U+F7FF stand for single bytes
constexpr bool stands_for_byte(std::uint32_t letter) {
    return letter >= kBytesBegin + 0x80 && letter <= kBytesBegin + 0xff;
}

struct Letter {
    std::uint32_t value = 0;
    std::size_t bytes = 0;  ///< 0: they are no letter
};

/// The letter at the beginning, by the table of RFC 3629, section 4: no longer than needed, no surrogates.
Letter first_of(std::string_view text) {
    const auto byte = [&](std::size_t i) { return std::uint32_t(std::uint8_t(text[i])); };
    const std::uint32_t lead = byte(0);
    if (lead < 0x80) return {lead, 1};
    const std::size_t count = lead >= 0xc2 && lead <= 0xdf   ? 2
                              : lead >= 0xe0 && lead <= 0xef ? 3
                              : lead >= 0xf0 && lead <= 0xf4 ? 4
                                                             : 0;
    if (count == 0 || text.size() < count) return {};
    std::uint32_t value = lead & (0xffu >> (count + 1));
    for (std::size_t i = 1; i < count; ++i) {
        if ((byte(i) & 0xc0) != 0x80) return {};
        value = value << 6 | (byte(i) & 0x3f);
    }
    const bool is_too_long = (count == 3 && value < 0x800) || (count == 4 && value < 0x10000);
    if (is_too_long || (value >= 0xd800 && value <= 0xdfff) || value > 0x10ffff) return {};
    return {value, count};
}

void append(std::string& text, std::uint32_t letter) {
    if (letter < 0x80) {
        text += char(letter);
    } else if (letter < 0x800) {
        text += char(0xc0 | letter >> 6);
        text += char(0x80 | (letter & 0x3f));
    } else if (letter < 0x10000) {
        text += char(0xe0 | letter >> 12);
        text += char(0x80 | (letter >> 6 & 0x3f));
        text += char(0x80 | (letter & 0x3f));
    } else {
        text += char(0xf0 | letter >> 18);
        text += char(0x80 | (letter >> 12 & 0x3f));
        text += char(0x80 | (letter >> 6 & 0x3f));
        text += char(0x80 | (letter & 0x3f));
    }
}

/// Each letter to `letter(value, its bytes)`, each byte that belongs to none to `byte(value)`.
template <class OnLetter, class OnByte>
void for_letters(std::string_view text, OnLetter letter, OnByte byte) {
    while (!text.empty()) {
        const Letter next = first_of(text);
        if (next.bytes > 0)
            letter(next.value, text.substr(0, next.bytes));
        else
            byte(std::uint8_t(text[0]));
        text.remove_prefix(std::max<std::size_t>(next.bytes, 1));
    }
}

std::optional<std::string> of_utf16(std::string_view bytes, bool big_endian) {
    if (bytes.size() % 2 != 0) return {};
    std::string text;
    std::uint32_t high = 0;
    for (std::size_t i = 0; i < bytes.size(); i += 2) {
        const auto one = std::uint32_t(std::uint8_t(bytes[i])),
                   two = std::uint32_t(std::uint8_t(bytes[i + 1]));
        const std::uint32_t unit = big_endian ? one << 8 | two : two << 8 | one;
        if (high != 0) {
            if (unit < 0xdc00 || unit > 0xdfff) return {};
            append(text, 0x10000 + ((high - 0xd800) << 10) + (unit - 0xdc00));
            high = 0;
        } else if (unit >= 0xd800 && unit <= 0xdbff) {
            high = unit;
        } else if (unit >= 0xdc00 && unit <= 0xdfff) {
            return {};
        } else {
            append(text, unit);
        }
    }
    if (high != 0) return {};
    return text;
}

}  // namespace

std::string text_of_bytes(std::string_view bytes) {
    std::string text;
    const auto put_byte = [&](std::uint8_t byte) { append(text, kBytesBegin + byte); };
    for_letters(
        bytes,
        [&](std::uint32_t letter, std::string_view own) {
            if (!stands_for_byte(letter))
                text += own;
            else
                for (const char byte : own) put_byte(std::uint8_t(byte));
        },
        put_byte);
    return text;
}

std::string bytes_of_text(std::string_view text) {
    std::string bytes;
    for_letters(
        text,
        [&](std::uint32_t letter, std::string_view own) {
            if (stands_for_byte(letter))
                bytes += char(letter - kBytesBegin);
            else
                bytes += own;
        },
        [&](std::uint8_t byte) { bytes += char(byte); });
    return bytes;
}

bool has_bytes_in_text(std::string_view text) {
    // U+F780 to U+F7FF begin with these two bytes.
    return text.find("\xef\x9e") != std::string_view::npos || text.find("\xef\x9f") != std::string_view::npos;
}

std::string shown_text(std::string_view bytes) {
    std::string text;
    for_letters(
        bytes, [&](std::uint32_t, std::string_view own) { text += own; },
        [&](std::uint8_t) { append(text, 0xfffd); });
    return text;
}

std::optional<std::string> utf8_of(std::string_view bytes) {
    if (bytes.starts_with("\xff\xfe")) return of_utf16(bytes.substr(2), false);
    if (bytes.starts_with("\xfe\xff")) return of_utf16(bytes.substr(2), true);
    if (bytes.starts_with("\xef\xbb\xbf")) bytes.remove_prefix(3);
    bool is_text = true;
    for_letters(
        bytes, [](std::uint32_t, std::string_view) {}, [&](std::uint8_t) { is_text = false; });
    if (!is_text) return {};
    return std::string(bytes);
}

}  // namespace moorhaze
