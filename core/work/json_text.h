// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <iosfwd>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

/// The one way from text to JSON and back; for core's and the command line's .cpp files. Strings of a JSON
/// value are bytes, as names of files are; in text what is no UTF-8 stands as utf8.h says.
namespace moorhaze {

/// What a person's or a stranger's file may hold: the largest project that was seen had 9 MB and 7 levels.
inline constexpr std::size_t kJsonBytes = std::size_t(64) << 20;
inline constexpr int kJsonLevels = 64;
inline constexpr double kLargestNumber =
    2147483648.0;  ///< of those with a fraction; nothing that is written comes near

/// JSON of a text that anybody may have written. Its depth is bounded before it is parsed, since whoever
/// walks a value (its destructor, too) goes down once a level.
/// @throws FileError, without a file's name, for more than kJsonBytes, kJsonLevels or kLargestNumber;
/// nlohmann::json::exception for what is no JSON.
nlohmann::ordered_json parsed_json(std::string_view text);
/// The same of what is left in a stream.
nlohmann::ordered_json parsed_json(std::istream& in);

/// @param indent  letters a level; -1: all in one line.
std::string json_text(const nlohmann::ordered_json& json, int indent = -1);
std::string json_text(const nlohmann::json& json, int indent = -1);

}  // namespace moorhaze
