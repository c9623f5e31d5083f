// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>

#include "core/sets/set_plan.h"

/// What became of a series of a run, kept as a small file of its own, so that a run that was interrupted goes
/// on where it was, and several machines can work on one set.
namespace moorhaze {

enum class SeriesState {
    waiting,   ///< nothing is known of it
    writing,   ///< its files are being written, or were when the work was interrupted
    done,      ///< all files are there
    doubtful,  ///< the same, but a person should look at it
    failed
};
const char* name_of(SeriesState state);    ///< as in files: "look-at-this"
const char* words_for(SeriesState state);  ///< for a person: "look at this"

struct RecordedFile {
    std::string file;  ///< relative to the run's folder, and beneath it
    std::uintmax_t bytes = 0;
    std::string hash;  ///< content_key_of() it; empty until it is written, and in records before version 2
    bool operator==(const RecordedFile&) const = default;
};

struct SeriesRecord {
    std::string name;
    int number = 1;
    SeriesState state = SeriesState::waiting;
    std::vector<std::string> reasons;   ///< to look at it, or why it failed, a sentence each
    std::vector<std::string> warnings;  ///< what else there is to know
    std::vector<RecordedFile> files;
    std::string project;  ///< of a doubtful one, relative to the run's folder; empty: there is none
    int frames = 0, merged = 0;
    int width = 0, height = 0;  ///< px, of the finished picture
    double residual_px = 0;
    std::optional<int> snags;
    std::map<std::string, double> seconds;  ///< by step
    double peak_memory_mb = 0;              ///< of the process, up to its end
    std::string made_of;                    ///< JSON: what it was made from; see inputs_of()
    bool operator==(const SeriesRecord&) const = default;

    double all_seconds() const;
    bool is_made() const { return state == SeriesState::done || state == SeriesState::doubtful; }
};

/// All that a series' files are made from: recipe, names, and what the frames' files hold.
/// @throws FileError, Cancelled.
std::string inputs_of(const SetPlan& plan, const SetSeries& series, const std::vector<std::string>& keys);

/// @param folder  set_folder().
/// Nothing where there is none; one that is damaged, of another series, or names what does not lie beneath
/// the run's folder counts as none.
std::optional<SeriesRecord> read_record(const std::filesystem::path& folder, const std::string& series);
/// As it stands in its file.
std::string json_of(const SeriesRecord& record);
std::vector<SeriesRecord> all_records(const std::filesystem::path& folder);
/// @throws FileError.
void write_record(const std::filesystem::path& folder, const SeriesRecord& record);

/// Whether all files of a record are there, each byte as it was written.   @throws Cancelled.
bool all_there(const SetPlan& plan, const SeriesRecord& record);
/// The files of a record that hold what was written: nobody has changed them since.
std::vector<RecordedFile> untouched_files(const SetPlan& plan, const SeriesRecord& record);
/// Refuses to write over files that no earlier run of the same was about to write.
/// @param before  what such a run recorded; none: there was none.   @throws FileError naming the first.
void refuse_foreign_files(const SetPlan& plan, const std::vector<std::filesystem::path>& files,
                          const std::optional<SeriesRecord>& before);

/// The only one who works on a series, on this machine or another that shares the folder; ends with the
/// process that has it.
class SeriesClaim {
  public:
    /// @throws FileError where the folder cannot be written.
    SeriesClaim(const std::filesystem::path& folder, const std::string& series);
    SeriesClaim(const SeriesClaim&) = delete;
    SeriesClaim& operator=(const SeriesClaim&) = delete;
    ~SeriesClaim();
    bool is_mine() const { return handle_ >= 0; }

  private:
    int handle_ = -1;
};

}  // namespace moorhaze
