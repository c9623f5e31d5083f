// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <opencv2/core.hpp>

#include "core/series/series.h"

namespace moorhaze {

/// Small pictures that tell framings apart: luma of 48x36 px, blurred so far that focus counts little.
/// @return empty when the file cannot be read.   Thread-safe.
cv::Mat1f framing_of(const Frame& frame);

/// A place where a row of frames falls apart into two series.
struct SeriesCut {
    int before = 0;      ///< index of the first frame of the later series
    std::string reason;  ///< "62 s after the frame before"
};

/// Where frames, in the order of their names, belong to different series: another folder, another camera or
/// size, lasting other settings, another framing, a long pause. File numbers that jump only make a pause
/// count for more. One frame that differs from both its neighbours cuts nothing.
/// @param framings  one per frame, from framing_of(); empty ones tell nothing. May be empty altogether.
std::vector<SeriesCut> find_cuts(const std::vector<Frame>& frames, const std::vector<cv::Mat1f>& framings);

/// A series found among many files.
struct FoundSeries {
    std::vector<Frame> frames;
    std::string reason;  ///< why it begins where it does; empty for the first
    std::string name;    ///< of the folder, numbered where one folder holds several
    bool operator==(const FoundSeries& other) const {
        return name == other.name && frames.size() == other.frames.size();
    }
};

struct OpenedCard {
    std::vector<FoundSeries> series;
    std::vector<std::string> problems, notes;  ///< as in OpenedSeries
};

/// Reads all files, or all pictures of folders and, where a folder itself holds none, of those inside it, and
/// splits them into series.
/// @throws FileError when nothing is left, Cancelled.   Thread-safe; memory goes with the number of files,
/// not with their size.
OpenedCard open_card(const std::vector<std::filesystem::path>& files_or_folder, const Job& job);

/// By hand: cuts a series in two before a frame, or joins one with the next. Names are made anew.
/// @throws BadParameter for a place that is none.
void split_series(std::vector<FoundSeries>& card, int series, int before_frame);
void join_with_next(std::vector<FoundSeries>& card, int series);

}  // namespace moorhaze
