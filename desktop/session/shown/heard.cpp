// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/heard.h"

#include <algorithm>
#include <cmath>

#include "core/merge/sharp_frames.h"
#include "desktop/session/work/display_picture.h"

namespace moorhaze::desktop {
namespace {

constexpr double kLeastReach = 8;
constexpr int kMostShifts = 2;

/// A part of a patch, in its own pixels.
LinearFrame cut(const LinearFrame& own, cv::Rect part) {
    LinearFrame made;
    made.pixels = own.pixels(part);
    for (int y = part.y; y < part.br().y; ++y) {
        const RowSpan& row = own.covered[std::size_t(y)];
        made.covered.push_back(
            {std::clamp(row.begin - part.x, 0, part.width), std::clamp(row.end - part.x, 0, part.width)});
    }
    return made;
}

/// A third of what a patch shows, to each side; never less than merges judge.
double reach_px(const SoundedPlace& asked) {
    return std::max(kLeastReach, asked.patch_px / 6.0);
}

cv::Point2d place_of(const SoundedPlace& asked) {
    return {asked.place.x(), asked.place.y()};
}

/// Index of the first patch when they lie around a frame.
int first_around(const SoundedPlace& asked, int middle) {
    return std::clamp(middle - asked.patches / 2, 0, asked.plane->series.count() - asked.patches);
}

HeardPatch patch_of(const SoundedPlace& asked, int index) {
    return {asked.plane->series.frames[std::size_t(index)].id,
            asked.numbers[std::size_t(index)],
            index,
            {},
            -1,
            nullptr,
            false};
}

/// The patch that is read next: the likeliest first, then outwards. Null when all were tried.
HeardPatch* next_untried(std::vector<HeardPatch>& patches, int middle) {
    HeardPatch* next = nullptr;
    for (HeardPatch& patch : patches)
        if (!patch.was_tried && (!next || std::abs(patch.index - middle) < std::abs(next->index - middle)))
            next = &patch;
    return next;
}

void read(const SoundedPlace& asked, HeardPatch& patch, const FrameSource& source, const Job& job) {
    patch.was_tried = true;
    try {
        const PixelRect seen = patch_area(asked), judged = part_to_judge(place_of(asked), reach_px(asked)),
                        both = seen | judged;
        const LinearFrame warped = source.load(patch.index, both, job);
        patch.image = image_of(
            shown_pixels(picture_of(cut(warped, seen - both.tl()), source.curve(), source.profile()), job));
        patch.part = std::make_shared<const LinearFrame>(cut(warped, judged - both.tl()));
    } catch (const FileError&) {
        // It stays without a picture; the series said why when it was looked into.
    } catch (const BadParameter&) {
        // Nor has a frame that is not registered.
    }
}

void judge(const SoundedPlace& asked, Heard& heard, const Job& job) {
    SharpAtPlace judge(place_of(asked), reach_px(asked));
    std::vector<HeardPatch*> added;
    for (HeardPatch& patch : heard.patches)
        if (patch.part) {
            judge.add(patch.index, *patch.part, job);
            added.push_back(&patch);
        }
    const SharpFrames sharp = judge.frames(job);
    heard.judged.emplace();
    for (const SharpFrames::Own& own : sharp.frames)
        heard.judged->push_back(asked.plane->series.frames[std::size_t(own.frame)].id);
    for (std::size_t k = 0; k < std::min(added.size(), sharp.shares.size()); ++k)
        added[k]->share = float(sharp.shares[k]);
}

/// The patches around a frame; those that are known stay.
std::vector<HeardPatch> moved_to(const SoundedPlace& asked, const std::vector<HeardPatch>& known, int first) {
    std::vector<HeardPatch> moved;
    for (int i = first; i < first + asked.patches; ++i) {
        const auto own = std::find_if(known.begin(), known.end(),
                                      [i](const HeardPatch& patch) { return patch.index == i; });
        moved.push_back(own == known.end() ? patch_of(asked, i) : *own);
    }
    return moved;
}

}  // namespace

PixelRect patch_area(const SoundedPlace& asked) {
    return {int(std::lround(asked.place.x())) - asked.patch_px / 2,
            int(std::lround(asked.place.y())) - asked.patch_px / 2, asked.patch_px, asked.patch_px};
}

Heard silence_at(const SoundedPlace& asked) {
    return {moved_to(asked, {}, first_around(asked, asked.middle)), {}};
}

Heard hear(const SoundedPlace& asked, FrameSources& sources, const std::function<void(const Heard&)>& so_far,
           const Job& job) {
    const auto source = sources.of(asked.plane);
    Heard heard = silence_at(asked);
    int middle = asked.middle;
    for (int shifts = 0;; ++shifts) {
        while (HeardPatch* const patch = next_untried(heard.patches, middle)) {
            job.checkpoint();
            read(asked, *patch, *source, job);
            so_far(heard);
        }
        judge(asked, heard, job);
        if (shifts == kMostShifts || heard.patches.empty() || heard.judged->empty()) return heard;
        // When the measured peak stands at an end of the window, the window moves along.
        middle = int(index_of(asked.plane->series, heard.judged->front()).value_or(0));
        const int first = first_around(asked, middle);
        const bool at_end = middle == heard.patches.front().index || middle == heard.patches.back().index;
        if (!at_end || first == heard.patches.front().index) return heard;
        heard = {moved_to(asked, heard.patches, first), {}};
    }
}

}  // namespace moorhaze::desktop
