// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <map>
#include <string>

#include "core/finish/hand_over.h"

namespace moorhaze {

/// Article numbers by the names of series, as a table of theirs has them: of each record the first two
/// fields, series and number; records without one are passed over. As RFC 4180 has tables: fields may stand
/// in quotes, with separators, line ends and doubled quotes in them. One file has one separator, comma,
/// semicolon or tab: the one that parts most records, and of several the one that stands least in names (tab,
/// then semicolon). UTF-8, with or without a byte order mark, or UTF-16 with one.
/// @throws FileError for a file that cannot be read, is in another encoding, or names no series.
std::map<std::string, std::string> read_articles(const std::filesystem::path& file);

/// The article of a series: what is typed, else what its list says; empty where neither has one.
/// @throws FileError as read_articles().
std::string article_of(const HandOver& own, const std::string& series);

}  // namespace moorhaze
