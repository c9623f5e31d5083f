// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/series.h"

#include <algorithm>
#include <map>
#include <optional>

#include "core/series/found_files.h"

namespace moorhaze {
namespace {

/// +1 rising, -1 falling, 0 neither or unknown.
int trend_of_focus(const std::vector<Frame>& frames) {
    if (frames.size() < 2) return 0;
    int rising = 0, falling = 0;
    for (std::size_t i = 1; i < frames.size(); ++i) {
        const auto before = frames[i - 1].info.shooting.focus_distance_m,
                   here = frames[i].info.shooting.focus_distance_m;
        if (!before || !here) return 0;
        rising += *here > *before;
        falling += *here < *before;
    }
    return rising > 0 && falling == 0 ? 1 : falling > 0 && rising == 0 ? -1 : 0;
}

/// A camera that looks straight down cannot tell which way up it is: in such a series the orientation is
/// written at random. All frames are laid as most of them are.
void orient_alike(std::vector<Frame>& frames, std::vector<std::string>& notes) {
    std::map<int, int> orientations;
    for (const Frame& frame : frames) ++orientations[frame.info.shooting.orientation];
    if (orientations.size() < 2) return;
    const int common = std::max_element(orientations.begin(), orientations.end(), [](auto& a, auto& b) {
                           return a.second < b.second;
                       })->first;
    int turned = 0;
    for (Frame& frame : frames) {
        const int own = frame.info.shooting.orientation;
        if (own == common) continue;
        if ((own >= 5) != (common >= 5)) std::swap(frame.info.width, frame.info.height);
        frame.info.shooting.orientation = common;
        ++turned;
    }
    for (Frame& frame : frames) frame.development.orientation = common;
    notes.push_back(std::to_string(turned) + " of " + std::to_string(frames.size()) +
                    " frames say that the camera was turned; all are laid as most of them are.");
}

/// Raw files get one white balance: what the frame in the middle notes.
void develop_alike(std::vector<Frame>& frames, std::vector<std::string>& notes) {
    std::vector<Frame*> raws;
    for (Frame& frame : frames)
        if (frame.info.format == FileFormat::raw) raws.push_back(&frame);
    if (raws.empty()) return;
    const PictureInfo middle = raws[raws.size() / 2]->info;
    int others = 0;
    for (Frame* frame : raws) {
        others += std::abs(frame->info.noted_red - middle.noted_red) > 0.01 * middle.noted_red ||
                  std::abs(frame->info.noted_blue - middle.noted_blue) > 0.01 * middle.noted_blue;
        frame->development.red = middle.noted_red;
        frame->development.blue = middle.noted_blue;
    }
    if (others > 0)
        notes.push_back(std::to_string(others) + " of " + std::to_string(raws.size()) +
                        " raw files note another white balance; all are developed with that of " +
                        raws[raws.size() / 2]->path.filename().string() + ".");
}

/// Ids go on from the greatest there is.
void name_frames(std::vector<Frame>& frames) {
    int greatest = 0;
    for (const Frame& frame : frames) greatest = std::max(greatest, frame.id.value);
    for (Frame& frame : frames)
        if (frame.id == FrameId{}) frame.id = {++greatest};
}

std::string size_text(int width, int height) {
    return std::to_string(width) + "x" + std::to_string(height);
}

}  // namespace

std::vector<int> Series::chosen() const {
    std::vector<int> indices;
    for (int i = 0; i < count(); ++i)
        if (frames[std::size_t(i)].used && range.contains(i)) indices.push_back(i);
    return indices;
}

bool natural_less(const std::string& one, const std::string& other) {
    std::size_t i = 0, j = 0;
    auto digit = [](char c) { return c >= '0' && c <= '9'; };
    while (i < one.size() && j < other.size()) {
        if (digit(one[i]) && digit(other[j])) {
            while (i < one.size() && one[i] == '0') ++i;
            while (j < other.size() && other[j] == '0') ++j;
            std::size_t a = i, b = j;
            while (a < one.size() && digit(one[a])) ++a;
            while (b < other.size() && digit(other[b])) ++b;
            if (a - i != b - j) return a - i < b - j;
            for (; i < a; ++i, ++j)
                if (one[i] != other[j]) return one[i] < other[j];
        } else {
            if (one[i] != other[j]) return one[i] < other[j];
            ++i, ++j;
        }
    }
    if (one.size() - i != other.size() - j) return one.size() - i < other.size() - j;
    return one < other;
}

OpenedSeries open_series(const std::vector<std::filesystem::path>& files_or_folder, const Job& job) {
    FoundFiles found = find_files(files_or_folder);
    OpenedSeries opened;
    opened.notes = std::move(found.notes);
    auto frames = read_frames(found.files, opened.problems, opened.notes, job);
    if (frames.empty()) throw FileError(nothing_found(files_or_folder, opened.problems));
    OpenedSeries made = make_series(std::move(frames));
    made.problems.insert(made.problems.begin(), opened.problems.begin(), opened.problems.end());
    made.notes.insert(made.notes.begin(), opened.notes.begin(), opened.notes.end());
    return made;
}

OpenedSeries make_series(std::vector<Frame> frames) {
    OpenedSeries opened;
    name_frames(frames);
    orient_alike(frames, opened.notes);
    std::map<std::pair<int, int>, int> sizes;
    for (const Frame& frame : frames) ++sizes[{frame.info.width, frame.info.height}];
    const auto common = std::max_element(sizes.begin(), sizes.end(),
                                         [](const auto& a, const auto& b) { return a.second < b.second; });
    for (Frame& frame : frames) {
        const PictureInfo& info = frame.info;
        if (std::pair{info.width, info.height} != common->first)
            opened.problems.push_back(frame.path.string() + ": is " + size_text(info.width, info.height) +
                                      " pixels, most others are " +
                                      size_text(common->first.first, common->first.second) +
                                      "; frames of one series have one size. It is left out.");
        else
            opened.series.frames.push_back(std::move(frame));
    }
    develop_alike(opened.series.frames, opened.notes);
    if (trend_of_focus(opened.series.frames) < 0) {
        std::reverse(opened.series.frames.begin(), opened.series.frames.end());
        opened.series.turned_round = true;
        opened.notes.push_back(
            "The frames run from far to near by their focus distances; their order is turned round.");
    }
    opened.series.range = {0, opened.series.count() - 1};
    opened.series.name = series_name(opened.series.frames[0].path);
    return opened;
}

}  // namespace moorhaze
