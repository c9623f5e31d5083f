// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>

#include "core/project/inputs.h"
#include "core/work/job.h"

/// A project on disc: a folder NAME with NAME.moorhaze (JSON) and results/ (see result_files.h). Frames are
/// named relative to the folder, and where they lay when it was saved: it can be moved with them or without.
namespace moorhaze {

inline constexpr const char* kProjectEnding = ".moorhaze";

/// Where the person was; none of it is undone, nothing is lost with it.
struct Standing {
    std::string stage;  ///< as the window names it
    std::optional<FrameId> frame;
    std::optional<ResultId> result;
    bool operator==(const Standing&) const = default;
};

struct SavedProject {
    Project project;
    Standing standing;
    cv::Size frame_size;  ///< px; of frames that cannot be read any more nothing else is known
    bool operator==(const SavedProject&) const = default;
};

/// Writes the project's file, and its folder where there is none. The file that was there before stays beside
/// it (see last_good()). At every moment there is a whole one.
/// @param file  absolute, ending in kProjectEnding.
/// @throws FileError.   Thread-safe for different files.
void save_project(const std::filesystem::path& file, const SavedProject& saved);

struct OpenedProject {
    SavedProject saved;
    FrameFacts facts;              ///< of the frames, and of those on its card
    std::vector<FrameId> missing;  ///< frames of the series whose files are not there, near to far
};

/// A project's file that is there and can be read, but holds no project: an earlier one may be taken instead.
struct DamagedProject : FileError {
    using FileError::FileError;
};

/// Reads a project and looks at its frames' files, without decoding them.
/// @throws DamagedProject, saying whether an earlier one is there; NewerFile for one that a newer Moorhaze
/// has saved, which nothing is to be taken instead of; FileError for one that cannot be read now. All name
/// file, fact and remedy. Cancelled.   Thread-safe.
OpenedProject open_project(const std::filesystem::path& file, const Job& job);

/// The project among these that was made of the very same frames: their files lie where they lay, in whatever
/// order, and the first, the middle and the last hold what they held (where that is not known: are no
/// younger).
/// @param projects  the newest first; those that cannot be read are passed over.
/// @throws Cancelled.   Thread-safe.
std::optional<std::filesystem::path> project_of_frames(const std::vector<Frame>& frames,
                                                       const std::vector<std::filesystem::path>& projects,
                                                       const Job& job);

/// Where the file lies that was replaced by the last saving.
std::filesystem::path last_good(const std::filesystem::path& file);
/// Puts the last good file in the place of the damaged one, which is kept as NAME.moorhaze.damaged.
/// @throws FileError where there is none.
void take_last_good(const std::filesystem::path& file);

/// True for NAME.moorhaze, and for a folder that holds it.
bool is_project(const std::filesystem::path& path);
/// The project's file: itself, or the one in that folder.
std::filesystem::path project_file(const std::filesystem::path& path);

/// Finds frames again by what their files hold, in a folder and those inside it; by their names where nothing
/// is known of what they held.
/// @throws FileError when the folder cannot be read, Cancelled.   Thread-safe.
std::vector<std::pair<FrameId, std::filesystem::path>> find_frames(const Project& project,
                                                                   const std::vector<FrameId>& missing,
                                                                   const std::filesystem::path& folder,
                                                                   const Job& job);

/// Names the frames' files in words for a person: "a.tif, b.tif and 12 more".
std::string names_in_words(const Project& project, const std::vector<FrameId>& frames);

/// A new folder for a project within `parent`: NAME, or NAME-2, ... where that is there already; characters
/// that file systems refuse are replaced.   @return the file to save to; nothing is made.
std::filesystem::path free_project_file(const std::filesystem::path& parent, const std::string& name);

/// Moves a project's folder: renamed within a file system, else copied whole, then removed.
/// @param to  a file in a folder that is not there yet.
/// @throws FileError; the project then lies where it was. Cancelled.
void move_project(const std::filesystem::path& from, const std::filesystem::path& to, const Job& job);

/// What a folder takes on disc, with all that is in it; 0 where it cannot be read.
std::uintmax_t bytes_on_disc(const std::filesystem::path& folder);

}  // namespace moorhaze
