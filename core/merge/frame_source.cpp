// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/merge/frame_source.h"

namespace moorhaze {

FrameSource::FrameSource(Series series, SeriesGeometry geometry, std::shared_ptr<FrameShelf> shelf)
    : series_(std::move(series)),
      geometry_(std::move(geometry)),
      shelf_(std::move(shelf)),
      profile_(decoded(geometry_.reference)->profile),
      curve_(profile_) {}

std::shared_ptr<const Picture> FrameSource::decoded(int frame) const {
    const Frame& own = series_.frames[std::size_t(frame)];
    return shelf_->whole(own.path, own.development);
}

std::optional<int> FrameSource::index_of(FrameId frame) const {
    for (int i = 0; i < series_.count(); ++i)
        if (series_.frames[std::size_t(i)].id == frame) return i;
    return std::nullopt;
}

LinearFrame FrameSource::load(int frame, PixelRect area, const Job& job) const {
    const auto picture = decoded(frame);
    const ToneCurve curve = picture->profile == profile_ ? curve_ : ToneCurve(picture->profile);
    return warp_frame(*picture, curve, geometry_, frame, area, job);
}

Picture picture_of(const LinearFrame& frame, const ToneCurve& curve, const ColourProfile& profile) {
    Picture picture = from_linear(frame.pixels, curve, profile);
    bool whole = true;
    for (const RowSpan& span : frame.covered) whole = whole && span.begin == 0 && span.end == picture.width();
    if (whole) return picture;
    picture.alpha = cv::Mat(picture.pixels.size(), CV_16UC1, cv::Scalar(0));
    for (int y = 0; y < picture.height(); ++y) {
        const RowSpan span = frame.covered[std::size_t(y)];
        if (span.begin < span.end) picture.alpha.row(y).colRange(span.begin, span.end).setTo(65535);
    }
    return picture;
}

}  // namespace moorhaze
