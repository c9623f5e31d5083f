// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <iosfwd>
#include <nlohmann/json.hpp>
#include <string_view>

/// Private to core: the one way from text to JSON. Only .cpp files include it.
namespace moorhaze {

/// What a person's or a stranger's file may hold: the largest project that was seen had 9 MB and 7 levels.
inline constexpr std::size_t kJsonBytes = std::size_t(64) << 20;
inline constexpr int kJsonLevels = 64;

/// JSON of a text that anybody may have written. Its depth is bounded before it is parsed, since whoever
/// walks a value (its destructor, too) goes down once a level.
/// @throws FileError, without a file's name, for more than kJsonBytes or kJsonLevels;
/// nlohmann::json::exception for what is no JSON.
nlohmann::ordered_json parsed_json(std::string_view text);
/// The same of what is left in a stream.
nlohmann::ordered_json parsed_json(std::istream& in);

}  // namespace moorhaze
