// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/picture_store.h"

#include <algorithm>

#include "core/mend/mended.h"
#include "desktop/session/shown/sharp_marks.h"
#include "desktop/session/shown/tinted_edges.h"

namespace moorhaze::desktop {
namespace {

using Made = std::shared_ptr<DisplayPicture>;

std::size_t bytes_of(const DisplayPicture& picture) {
    const QSize size = picture.size();
    return std::size_t(size.width()) * std::size_t(size.height()) * 16 / 3;
}

/// A frame over the whole of its reference plane, or as shot.
Picture frame_picture(const FrameView& view, FrameId frame, const Series& series, FrameSources& sources,
                      FrameShelf& shelf, const Job& job) {
    if (!view.plane) {
        const Frame& own = series.frames[std::size_t(index_of(series, frame).value())];
        return *shelf.whole(own.path, own.development);
    }
    const auto source = sources.of(view.plane);
    const auto index = source->index_of(frame);
    if (!index) throw BadParameter("this frame came after the merge, so it is not laid over it");
    const PixelRect whole({}, view.plane->series.size());
    return picture_of(source->load(*index, whole, job), source->curve(), source->profile());
}

Made make(const FrameView& view, const Series& series, FrameSources& sources, FrameShelf& shelf,
          double marks_reach, const Job& job) {
    Picture shown = frame_picture(view, view.frame, series, sources, shelf, job);
    job.checkpoint();
    if (view.edges_with)
        shown = {tinted_edges(shown, frame_picture(view, *view.edges_with, series, sources, shelf, job), job),
                 {},
                 {}};
    if (view.marked) {
        shown = with_bits(shown, 8);
        cv::Mat3b pixels = shown.pixels.clone();
        paint_sharp_marks(pixels, marks_reach, job);
        shown.pixels = pixels;
    }
    return std::make_shared<DisplayPicture>(shown_levels(shown, job), QPoint());
}

Made make(const ResultView& view, const MergeProduct& product, FrameSources& sources,
          const ResultSources& results, const Job& job) {
    const PixelRect area = product.result->area;
    return std::make_shared<DisplayPicture>(
        shown_levels(mended(*product.result, view.strokes, {*sources.of(product.plane), results}, area, job),
                     job),
        QPoint(area.x, area.y));
}

}  // namespace

PictureStore::PictureStore(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    connect(&base_.document, &Document::changed, this, &PictureStore::follow);
    connect(&base_.products, &Products::changed, this, [this](Products::Kind kind) {
        // A plane that is no longer the one in force is not asked for again, but for results laid in it.
        if (kind != Products::Kind::geometry) return;
        std::erase_if(broken_, [](const StoredView& view) {
            const auto* frame = std::get_if<FrameView>(&view);
            return frame && frame->plane;
        });
        next();
    });
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        if (aspect != Standpoint::Aspect::marks) return;
        forget([](const StoredView& view) {
            const auto* frame = std::get_if<FrameView>(&view);
            return frame && frame->marked;
        });
        emit forgot();
    });
    connect(&wish_, &LatestWish::idle, this, &PictureStore::next);
}

void PictureStore::follow(const Changes& changes) {
    if (changes.series || changes.shot_again || changes.development)
        forget([&](const StoredView& view) {
            return changes.series || std::holds_alternative<FrameView>(view);
        });
    // What was painted on is no longer what was shown.
    for (const ResultId result : changes.mended)
        forget([&](const StoredView& view) {
            const auto* own = std::get_if<ResultView>(&view);
            return own && own->result == result;
        });
}

void PictureStore::forget(const std::function<bool(const StoredView&)>& which) {
    kept_.remove_if([&](const Kept& kept) { return which(kept.view); });
    std::erase_if(broken_, which);
    if (!under_way_ || !which(*under_way_)) return;
    under_way_.reset();
    wish_.drop();
}

std::shared_ptr<const DisplayPicture> PictureStore::find(const StoredView& view) {
    const auto found =
        std::find_if(kept_.begin(), kept_.end(), [&](const Kept& kept) { return kept.view == view; });
    if (found == kept_.end()) return nullptr;
    kept_.splice(kept_.begin(), kept_, found);
    return found->picture;
}

std::shared_ptr<DisplayPicture> PictureStore::take(const ResultView& view) {
    const auto found = std::find_if(kept_.begin(), kept_.end(),
                                    [&](const Kept& kept) { return kept.view == StoredView(view); });
    if (found == kept_.end()) return nullptr;
    const auto picture = found->picture;
    kept_.erase(found);
    return picture;
}

void PictureStore::put(const ResultView& view, std::shared_ptr<DisplayPicture> picture) {
    keep(view, std::move(picture));
}

void PictureStore::keep(const StoredView& view, std::shared_ptr<DisplayPicture> picture) {
    // Another document was opened since: nobody will ask for it.
    if (const auto* own = std::get_if<ResultView>(&view); own && own->document != base_.document.id()) return;
    kept_.remove_if([&](const Kept& kept) { return kept.view == view; });
    kept_.push_front({view, std::move(picture)});
    std::size_t total = 0;
    kept_.remove_if([&](const Kept& kept) {
        total += bytes_of(*kept.picture);
        return total > budget_bytes_ && kept.view != view;
    });
}

std::size_t PictureStore::bytes() const {
    std::size_t total = 0;
    for (const Kept& kept : kept_) total += bytes_of(*kept.picture);
    return total;
}

void PictureStore::want(const std::vector<StoredView>& views) {
    wanted_ = views;
    // What is under way and no longer wanted makes room for what is.
    if (under_way_ && std::find(views.begin(), views.end(), *under_way_) == views.end()) {
        under_way_.reset();
        wish_.drop();
    }
    next();
}

bool PictureStore::can_be_made(const StoredView& view) const {
    if (const auto* result = std::get_if<ResultView>(&view))
        return result->document == base_.document.id() && base_.products.merge(result->result);
    const auto& frame = std::get<FrameView>(view);
    return base_.document.place(frame.frame) >= 0 &&
           (!frame.edges_with || base_.document.place(*frame.edges_with) >= 0);
}

void PictureStore::prepare(FrameId frame) {
    const auto index = index_of(base_.document.series(), frame);
    if (!index) return;
    preparation_.want(
        [own = base_.document.series().frames[std::size_t(*index)],
         shelf = base_.products.frame_shelf()](const Job&) {
            shelf->whole(own.path, own.development);
            return 0;
        },
        [](int) {},
        [](const std::exception&) {
            // Said when it is painted with.
        });
}

void PictureStore::next() {
    if (wish_.is_busy()) return;
    const auto wish = std::find_if(wanted_.begin(), wanted_.end(), [&](const StoredView& view) {
        return can_be_made(view) && !find(view) &&
               std::find(broken_.begin(), broken_.end(), view) == broken_.end();
    });
    if (wish == wanted_.end()) return;
    under_way_ = *wish;
    std::function<Made(const Job&)> work;
    if (const auto* result = std::get_if<ResultView>(&*wish))
        work = [view = *result, product = *base_.products.merge(result->result),
                results = base_.products.result_sources(result->strokes,
                                                        base_.products.merge(result->result)->plane),
                sources = base_.products.sources()](const Job& job) {
            return make(view, product, *sources, results, job);
        };
    else
        work = [view = std::get<FrameView>(*wish), series = base_.document.series(),
                sources = base_.products.sources(), shelf = base_.products.frame_shelf(),
                reach = base_.standpoint.marks_reach()](const Job& job) {
            return make(view, series, *sources, *shelf, reach, job);
        };
    wish_.want(
        work,
        [this, view = *wish](const Made& made) {
            under_way_.reset();
            keep(view, made);
            emit ready();
        },
        [this, view = *wish](const std::exception& error) {
            under_way_.reset();
            broken_.push_back(view);
            base_.notices.notify_error(QString::fromUtf8(error.what()));
            emit ready();
        });
}

}  // namespace moorhaze::desktop
