// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/series_thumbs.h"

#include "desktop/session/work/display_picture.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

constexpr int kLongSide = 144;          // px: a row's twice over, for screens of twice the density
constexpr std::size_t kMostKept = 500;  // some 60 kB each

QImage thumb_of(const ThumbSource& source) {
    if (!source.made.isEmpty())
        if (const QImage made(source.made); !made.isNull()) return made;
    const Picture small = read_preview(source.frame.path, kLongSide, source.frame.development);
    return image_of(to_display(small, Job{}));
}

QString key_of(const ThumbSource& source) {
    return source.made.isEmpty() ? text(source.frame.path.string())
                                 : source.made + QLatin1Char('\n') + text(source.made_of);
}

}  // namespace

SeriesThumbs::SeriesThumbs(SessionBase& base, QObject* parent) : QObject(parent) {
    // Nobody looks at another card's any more.
    connect(&base.document, &Document::changed, this, [this](const Changes& changes) {
        if (!changes.series) return;
        for (const Wanted& own : waiting_) pictures_.erase(own.key);
        waiting_.clear();
    });
}

QPixmap SeriesThumbs::find(const ThumbSource& source) {
    const QString key = key_of(source);
    if (const auto found = pictures_.find(key); found != pictures_.end()) return found->second;
    if (pictures_.size() >= kMostKept) pictures_.clear();
    pictures_[key] = {};
    waiting_.push_back({key, source});
    if (!wish_.is_busy()) make_next();
    return {};
}

void SeriesThumbs::make_next() {
    if (waiting_.empty()) return;
    const Wanted next = std::move(waiting_.front());
    waiting_.pop_front();
    wish_.want([source = next.source](const Job&) { return thumb_of(source); },
               [this, key = next.key](const QImage& made) {
                   pictures_[key] = QPixmap::fromImage(made);
                   make_next();
                   emit ready();
               },
               // A frame that cannot be shown is reported when its series is opened.
               [this](const std::exception&) { make_next(); });
}

}  // namespace moorhaze::desktop
