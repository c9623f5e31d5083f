// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/series_thumbs.h"

#include "desktop/session/work/display_picture.h"

namespace moorhaze::desktop {
namespace {

constexpr int kLongSide = 144;

QImage thumb_of(const Frame& frame) {
    const Picture small = read_preview(frame.path, kLongSide, frame.development);
    return image_of(to_display(small, Job{}));
}

}  // namespace

void SeriesThumbs::want(const std::vector<Frame>& frames) {
    frames_ = frames;
    pictures_.assign(frames.size(), {});
    wish_.drop();
    next(0);
}

void SeriesThumbs::next(std::size_t place) {
    if (place >= frames_.size()) return;
    wish_.want([frame = frames_[place]](const Job&) { return thumb_of(frame); },
               [this, place](const QImage& made) {
                   pictures_[place] = made;
                   emit ready(int(place));
                   next(place + 1);
               },
               // A frame that cannot be shown is reported when its series is opened.
               [this, place](const std::exception&) { next(place + 1); });
}

QPixmap SeriesThumbs::find(int place) const {
    return place >= 0 && place < int(pictures_.size()) ? QPixmap::fromImage(pictures_[std::size_t(place)])
                                                       : QPixmap();
}

}  // namespace moorhaze::desktop
