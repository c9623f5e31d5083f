// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/mend/strokes.h"

namespace moorhaze {

/// What was painted on a merge, for use as a mask elsewhere: white where all comes from strokes, black where
/// nothing does.
/// @param planes  of the merge, that rules of strokes look at; the mask has its size.
/// @return        8 bit, the three colours alike.   @throws as painted_on().   Thread-safe.
Picture painted_mask(const SharedList<Stroke>& strokes, const MergePlanes& planes, const Job& job);

/// How it is written: PNG, which keeps every value.
WriteSettings mask_writing(bool overwrite);

}  // namespace moorhaze
