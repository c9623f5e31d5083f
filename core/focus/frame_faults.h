// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/focus/focus_profile.h"

namespace moorhaze {

/// What is wrong with frames of a series, each with a reason in words and a number. Told by comparing
/// neighbours, so that noise, hand shake, breathing, flicker and small steps are normal.
/// @param profiles  near to far; empty ones stand for unreadable frames and are skipped.
/// @param places    of the same frames, from frame_places().
/// @return          per frame its flags, all kinds but "unsharp".   Thread-safe.
std::vector<std::vector<FrameFlag>> find_faults(const std::vector<FocusProfile>& profiles,
                                                const std::vector<cv::Point2d>& places);

/// What is wrong with the frame that has just arrived, told from it and those before alone: a dark frame, a
/// dark band (also where every frame has one), a sudden loss of detail. Empty if nothing is.
/// @param profiles  of all frames so far, the new one last.
std::vector<FrameFlag> check_arrival(const std::vector<FocusProfile>& profiles);

/// True when one of the flags is of this kind.
bool has_kind(const std::vector<FrameFlag>& flags, const char* kind);

}  // namespace moorhaze
