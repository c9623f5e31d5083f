// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/align/measure_series.h"
#include "core/project/inputs.h"

namespace moorhaze {

/// Lays the frames of a series over each other as a project says: the one way for the window and the command
/// line.
/// @param series  the frames that `inputs` name, in their order.
/// @param known   measured before, of the same frames in the same order; may be null. See register_series.
/// @param shelf   where decoded frames lie; null: nowhere. Small ones are not on it afterwards.
/// @return        without a registration where the frames are to stay as they lie and none was known.
/// @throws BadParameter, Cancelled.   Thread-safe.
RegisteredSeries align_series(const Series& series, const AlignInputs& inputs,
                              std::shared_ptr<const Registration> known, FrameShelf* shelf, const Job& job);

}  // namespace moorhaze
