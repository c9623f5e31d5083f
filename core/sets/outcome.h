// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/sets/series_record.h"

/// The table of a run: what became of each series, with reasons, files and times.
namespace moorhaze {

/// Notes which series belong to a set, so that the table names those of which nothing is known, too. Series
/// that were noted before stay.   @throws FileError.
void write_set_list(const SetPlan& plan);

/// What is known of all series of a run's folder, by their numbers: of those that were noted, and of those
/// that single commands worked on. Noted ones without a record are waiting.
/// @param folder  set_folder().   @throws FileError where nothing is known.
std::vector<SeriesRecord> read_records(const std::filesystem::path& folder);

/// "44 of 45 series done, 2 to look at, 1 failed".
std::string summary_of(const std::vector<SeriesRecord>& records);
/// Lines of text, a line each and one for every reason.
std::string table_of(const std::vector<SeriesRecord>& records);

/// Writes the table as outcome.txt, outcome.json and outcome.html, a page with small pictures that opens from
/// the disc and asks for nothing outside the folder.   @throws FileError.
void write_outcome(const std::filesystem::path& folder);

/// "2 min 5 s", "38 s".
std::string duration_in_words(double seconds);

}  // namespace moorhaze
