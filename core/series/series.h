// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/files/picture_file.h"
#include "core/series/frame_id.h"

namespace moorhaze {

/// One exposure of a series.
struct Frame {
    std::filesystem::path path;
    PictureInfo info;
    Development development;  ///< the same for all frames of a series
    bool used = true;         ///< false: left out by the person
    FrameId id{};             ///< make_series() gives one to frames that have none
};

/// First and last frame that shall be sharp, counted from 0, both included.
struct FrameRange {
    int first = 0, last = 0;
    bool contains(int frame) const { return frame >= first && frame <= last; }
    bool operator==(const FrameRange&) const = default;
};

/// A focus-bracketed series, near to far. All frames have the same size.
struct Series {
    std::string name;
    std::vector<Frame> frames;
    FrameRange range;
    bool turned_round = false;  ///< the files ran from far to near

    int count() const { return int(frames.size()); }
    cv::Size size() const {
        return frames.empty() ? cv::Size() : cv::Size(frames[0].info.width, frames[0].info.height);
    }
    /// Indices of the frames that are used and lie in the range.
    std::vector<int> chosen() const;
};

struct OpenedSeries {
    Series series;
    std::vector<std::string> problems;  ///< files that are not in it, each with file, reason and remedy
    std::vector<std::string> notes;     ///< what the person should know; nothing was lost
};

/// One series of frames in the order given. Frames of another size than most are reported and left out;
/// where orientations differ all are laid as most are; raw files get one white balance, that of the middle
/// one. Where every frame tells its focus distance and they fall all the way, the order is turned round, so
/// that it runs near to far. Frames without an id get one.
/// @param frames  at least one.   Thread-safe.
OpenedSeries make_series(std::vector<Frame> frames);

/// Opens files, or all pictures of a folder, in natural order of their names ("9" before "10"), as one
/// series. Of a raw file and a picture of the same name the raw file is taken; unreadable files are reported.
/// @throws FileError when nothing is left, Cancelled.   Thread-safe.
OpenedSeries open_series(const std::vector<std::filesystem::path>& files_or_folder, const Job& job);

/// Natural order: runs of digits compare as numbers.
bool natural_less(const std::string& one, const std::string& other);

/// What a set keeps beside its pictures: a folder that holds it holds pictures that were made, not shot, and
/// is passed over where frames are looked for.
inline constexpr const char* kSetFolder = "moorhaze-set";
bool holds_set(const std::filesystem::path& folder);

}  // namespace moorhaze
