#include "desktop/session/series_thumbs.h"

#include "desktop/session/display_picture.h"
#include "desktop/session/run_beside.h"

namespace moorhaze::desktop {
namespace {

constexpr int kLongSide = 144;

QImage thumb_of(const Frame& frame) {
    const Picture small = read_preview(frame.path, kLongSide, frame.development);
    return image_of(to_display(small, Job{}));
}

}  // namespace

SeriesThumbs::SeriesThumbs(QObject* parent) : QObject(parent) {
    pool_.setMaxThreadCount(1);
}

SeriesThumbs::~SeriesThumbs() {
    stop_.request_stop();
    pool_.waitForDone();
}

void SeriesThumbs::want(const std::vector<FoundSeries>& card) {
    stop_.request_stop();
    stop_ = {};
    ++generation_;
    pictures_.assign(card.size(), {});
    for (std::size_t place = 0; place < card.size(); ++place) {
        const Frame frame = card[place].frames[card[place].frames.size() / 2];
        run_beside(
            pool_, this,
            [frame, stop = stop_.get_token()] { return stop.stop_requested() ? QImage() : thumb_of(frame); },
            [this, place, generation = generation_](const QImage& made) {
                if (generation != generation_ || made.isNull()) return;
                pictures_[place] = made;
                emit ready(int(place));
            },
            [](const std::exception&) {
                // A frame that cannot be shown is told when its series is opened.
            });
    }
}

QPixmap SeriesThumbs::find(int place) const {
    return place >= 0 && place < int(pictures_.size()) ? QPixmap::fromImage(pictures_[std::size_t(place)])
                                                       : QPixmap();
}

}  // namespace moorhaze::desktop
