// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>

#include "core/merge/merge.h"
#include "core/work/scratch_file.h"

namespace moorhaze {

/// A merge whose planes lie on disc: many results cost memory only while they are looked at.
struct ShelvedResult {
    std::shared_ptr<const MergeResult> result;
    std::shared_ptr<const ScratchFile> file;  ///< null where it stayed in memory

    /// It is not shown any more.
    void rest() const {
        if (file) file->rest();
    }
};

/// @param folder  for scratch files; where it cannot be written or is full the result stays in memory.
///                Thread-safe.
ShelvedResult shelve(MergeResult result, const std::filesystem::path& folder);

}  // namespace moorhaze
