#include "desktop/session/picture_store.h"

#include <algorithm>

#include "desktop/session/sharp_marks.h"
#include "desktop/session/tinted_edges.h"

namespace moorhaze::desktop {
namespace {

constexpr std::size_t kBudgetBytes = std::size_t(1400) << 20;

DisplayPicture make_picture(const FrameSource* source, FrameCache& cache, const Series& series,
                            FrameView view, double marks_reach) {
    const Frame& frame = series.frames[std::size_t(view.frame)];
    const PixelRect whole({}, series.size());
    auto laid = [&](int number) {
        return picture_of(source->load(number, whole, Job{}), source->curve(), source->profile());
    };
    if (view.edges_with >= 0) {
        const Frame& with = series.frames[std::size_t(view.edges_with)];
        const Picture shown = source ? laid(view.frame) : *cache.get(frame.path, frame.development);
        const Picture other = source ? laid(view.edges_with) : *cache.get(with.path, with.development);
        return {display_levels({tinted_edges(shown, other, Job{}), {}, {}}, Job{}), {}};
    }
    if (!source) {
        if (!view.marked) return {display_levels(*cache.get(frame.path, frame.development), Job{}), {}};
        Picture shown = with_bits(*cache.get(frame.path, frame.development), 8);
        cv::Mat3b pixels = shown.pixels.clone();
        paint_sharp_marks(pixels, marks_reach, Job{});
        shown.pixels = pixels;
        return {display_levels(shown, Job{}), {}};
    }
    return {display_levels(laid(view.frame), Job{}), {}};
}

}  // namespace

PictureStore::PictureStore(Session& session, QObject* parent) : QObject(parent), session_(session) {
    pool_.setMaxThreadCount(1);  // each conversion is parallel in itself
    connect(&session_, &Session::series_changed, this, &PictureStore::forget_all);
    connect(&session_, &Session::frame_replaced, this, &PictureStore::forget_all);
    connect(&session_, &Session::order_changed, this, &PictureStore::forget_all);
    connect(&session_, &Session::frame_added, this, &PictureStore::forget_aligned);
    connect(&session_, &Session::geometry_changed, this, &PictureStore::forget_aligned);
}

PictureStore::~PictureStore() {
    pool_.waitForDone();
}

std::shared_ptr<const DisplayPicture> PictureStore::find(FrameView view) {
    const auto found =
        std::find_if(kept_.begin(), kept_.end(), [&](const Kept& kept) { return kept.view == view; });
    if (found == kept_.end()) return nullptr;
    kept_.splice(kept_.begin(), kept_, found);
    return found->picture;
}

void PictureStore::want(const std::vector<FrameView>& views) {
    wanted_ = views;
    next();
}

void PictureStore::set_marks_reach(double reach) {
    if (reach == marks_reach_) return;
    marks_reach_ = reach;
    ++generation_;
    kept_.remove_if([](const Kept& kept) { return kept.view.marked; });
    emit forgot();
}

void PictureStore::forget_all() {
    ++generation_;
    kept_.clear();
    broken_.clear();
    wanted_.clear();
    source_.reset();
}

void PictureStore::forget_aligned() {
    ++generation_;
    kept_.remove_if([](const Kept& kept) { return kept.view.aligned; });
    source_.reset();
    next();
}

void PictureStore::next() {
    if (working_) return;
    const auto wish = std::find_if(wanted_.begin(), wanted_.end(), [&](FrameView view) {
        return view.frame >= 0 && view.frame < session_.series().count() &&
               view.edges_with < session_.series().count() && !find(view) &&
               std::find(broken_.begin(), broken_.end(), view) == broken_.end();
    });
    if (wish == wanted_.end()) return;
    working_ = true;
    struct Made {
        std::shared_ptr<const FrameSource> source;
        std::shared_ptr<const DisplayPicture> picture;
    };
    auto make = [view = *wish, reach = marks_reach_, source = source_, series = session_.series(),
                 geometry = session_.geometry_or_unmoved(), cache = session_.frame_cache()]() -> Made {
        auto own = source;
        if (view.aligned && !own) own = std::make_shared<FrameSource>(series, geometry, cache);
        return {own, std::make_shared<DisplayPicture>(
                         make_picture(view.aligned ? own.get() : nullptr, *cache, series, view, reach))};
    };
    run_beside(
        pool_, this, make,
        [this, view = *wish, generation = generation_](const Made& made) {
            working_ = false;
            if (generation == generation_) {
                source_ = made.source;
                const QSize size = made.picture->size();
                kept_.push_front(
                    {view, made.picture, std::size_t(size.width()) * std::size_t(size.height()) * 16 / 3});
                std::size_t total = 0;
                kept_.remove_if([&](const Kept& kept) {
                    total += kept.bytes;
                    return total > kBudgetBytes && kept.view != view;
                });
                emit ready(view.frame, view.aligned);
            }
            next();
        },
        [this, view = *wish](const std::exception& error) {
            working_ = false;
            broken_.push_back(view);
            emit failed(QString::fromUtf8(error.what()));
            next();
        });
}

}  // namespace moorhaze::desktop
