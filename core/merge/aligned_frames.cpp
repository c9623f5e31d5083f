#include "core/merge/aligned_frames.h"

namespace moorhaze {
namespace {

Outcome<Picture> decode(const Series& series, int index) {
    try {
        const Frame& frame = series.frames[std::size_t(index)];
        return read_picture(frame.path, frame.development);
    } catch (const FileError& error) {
        return tl::unexpected(FrameProblem{index, error.what()});
    }
}

WarpPlan plan_of(const SeriesGeometry& geometry, int frame, PixelRect target) {
    const FrameGeometry& own = geometry.frames[std::size_t(frame)];
    return {own.matrix, target, own.gains, geometry.vignetting};
}

}  // namespace

AlignedFrames::AlignedFrames(const Series& series, const SeriesGeometry& geometry,
                             const std::vector<int>& frames, PixelRect target)
    : series_(series),
      geometry_(geometry),
      target_(target),
      // A small preview is enough to learn the profile.
      profile_(read_preview(series.frames[std::size_t(geometry.reference)].path, 64,
                            series.frames[std::size_t(geometry.reference)].development)
                   .profile),
      curve_(profile_) {
    for (const int frame : frames)
        if (geometry.frames[std::size_t(frame)].registered) frames_.push_back(frame);
}

std::future<Outcome<Picture>> AlignedFrames::begin_decoding(int place) const {
    return std::async(std::launch::async, [this, index = index(place)] { return decode(series_, index); });
}

Outcome<Picture> AlignedFrames::decoded(int place) {
    if (waiting_place_ != place) waiting_ = begin_decoding(place);
    Outcome<Picture> picture = waiting_.get();
    waiting_place_ = -1;
    if (place + 1 < count()) {
        waiting_ = begin_decoding(place + 1);
        waiting_place_ = place + 1;
    }
    return picture;
}

Outcome<LinearFrame> AlignedFrames::load(int place, const Job& job) {
    const Outcome<Picture> picture = decoded(place);
    if (!picture) return tl::unexpected(picture.error());
    // Each frame is decoded with its own profile's curve; the result is written with the reference frame's.
    const ToneCurve curve = picture->profile == profile_ ? curve_ : ToneCurve(picture->profile);
    return lay_over(*picture, curve, geometry_, index(place), target_, job.quiet());
}

Outcome<LumaFrame> AlignedFrames::load_luma(int place, const Job& job) {
    const Outcome<Picture> picture = decoded(place);
    if (!picture) return tl::unexpected(picture.error());
    const ToneCurve curve = picture->profile == profile_ ? curve_ : ToneCurve(picture->profile);
    return warp_to_luma(*picture, curve, plan_of(geometry_, index(place), target_), job.quiet());
}

LinearFrame lay_over(const Picture& picture, const ToneCurve& curve, const SeriesGeometry& geometry,
                     int frame, PixelRect target, const Job& job) {
    return warp_to_linear(picture, curve, plan_of(geometry, frame, target), job);
}

}  // namespace moorhaze
