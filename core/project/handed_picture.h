// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/finish/finished.h"
#include "core/finish/hand_over.h"
#include "core/mend/mended.h"

namespace moorhaze {

/// What leaves: the one way for the window and the command line.
/// @param subject  with the ground that the finish asks for; kept by what is returned.
/// @throws as finished().   Thread-safe.
HandedPicture handed_picture(std::shared_ptr<const FinishSubject> subject, const Finish& finish,
                             const Job& job);

struct OutputFile {
    std::filesystem::path path;
    Output output;
};
struct WrittenFile {
    std::filesystem::path path;
    std::uintmax_t bytes = 0;
    std::string problem;  ///< in a sentence; empty: it is there
    std::string remark;   ///< what it does not say though it should, in a sentence; mostly empty
};
/// What is said in every file of one picture, as the person wants it.
SaidInFile said_of(const HandOver& own, const ShootingData& shooting, const std::string& made_with);
/// Writes a picture as several files, one after the other; where one fails, the others are still written.
/// @throws Cancelled; what was written by then stays.
std::vector<WrittenFile> write_outputs(const HandedPicture& picture, const std::vector<OutputFile>& files,
                                       const SaidInFile& said, bool overwrite, const Job& job);

/// The merge and what was painted on it as layers, straightened and framed as the finish says, and nothing
/// else of it; places in the finished picture. Given one after the other.
/// @throws as mended().   Thread-safe.
void layers_of(const MergeResult& merge, const SharedList<Stroke>& strokes, const MendSources& sources,
               const Finish& finish, const TakeLayer& take, const Job& job);

/// How the frame that a picture is laid over was developed; nothing when it is no raw file, is not there any
/// more, or has no three colours: then other files than a DNG can still be made.
std::optional<RawRendering> raw_rendering_of(const Frame& frame, const Development& development);

}  // namespace moorhaze
