// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/aligned_frames.h"

namespace moorhaze {
namespace {

Outcome<FramePixels> decode(const Series& series, FrameShelf* shelf, int index) {
    try {
        const Frame& frame = series.frames[std::size_t(index)];
        return FramePixels{*whole_frame(shelf, frame.path, frame.development), {}};
    } catch (const FileError& error) {
        return tl::unexpected(FrameProblem{index, error.what()});
    }
}

}  // namespace

AlignedFrames::Reader reader_of(const Series& series, FrameShelf* shelf) {
    return [&series, shelf](int index) { return decode(series, shelf, index); };
}

WarpPlan plan_of(const SeriesGeometry& geometry, int frame, PixelRect target) {
    const FrameGeometry& own = geometry.frames[std::size_t(frame)];
    return {own.matrix, target, own.gains, geometry.vignetting, geometry.dust, {}};
}

AlignedFrames::AlignedFrames(const Series& series, const SeriesGeometry& geometry,
                             const std::vector<int>& frames, PixelRect target, Reader reader)
    : series_(series),
      geometry_(geometry),
      reader_(reader ? std::move(reader) : reader_of(series, nullptr)),
      target_(target),
      // A small preview is enough to learn the profile.
      profile_(read_preview(series.frames[std::size_t(geometry.reference)].path, 64,
                            series.frames[std::size_t(geometry.reference)].development)
                   .profile),
      curve_(profile_) {
    for (const int frame : frames)
        if (geometry.frames[std::size_t(frame)].registered) frames_.push_back(frame);
}

std::future<Outcome<FramePixels>> AlignedFrames::begin_decoding(int place) const {
    return std::async(std::launch::async, [reader = reader_, index = index(place)] { return reader(index); });
}

Outcome<FramePixels> AlignedFrames::decoded(int place) {
    if (waiting_place_ != place) waiting_ = begin_decoding(place);
    Outcome<FramePixels> picture = waiting_.get();
    waiting_place_ = -1;
    if (place + 1 < count()) {
        waiting_ = begin_decoding(place + 1);
        waiting_place_ = place + 1;
    }
    return picture;
}

Outcome<WarpedFrame> AlignedFrames::open(int place) {
    const Outcome<FramePixels> frame = decoded(place);
    if (!frame) return tl::unexpected(frame.error());
    WarpPlan plan = plan_of(geometry_, index(place), target_);
    plan.part = frame->part;
    return WarpedFrame(frame->picture, curve_of(frame->picture), plan);
}

Outcome<LinearFrame> AlignedFrames::load(int place, const Job& job) {
    const Outcome<WarpedFrame> frame = open(place);
    if (!frame) return tl::unexpected(frame.error());
    return frame->all(job.quiet());
}

std::vector<RowSpan> AlignedFrames::covered(int place) const {
    return covered_spans(series_.size(), plan_of(geometry_, index(place), target_));
}

ToneCurve AlignedFrames::curve_of(const Picture& picture) const {
    return picture.profile == profile_ ? curve_ : ToneCurve(picture.profile);
}

LinearFrame warp_frame(const Picture& picture, const ToneCurve& curve, const SeriesGeometry& geometry,
                       int frame, PixelRect target, const Job& job) {
    return warp_to_linear(picture, curve, plan_of(geometry, frame, target), job);
}

}  // namespace moorhaze
