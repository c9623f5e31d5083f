#include "desktop/session/mend.h"

namespace moorhaze::desktop {

Mend::Mend(Session& session, QObject* parent) : QObject(parent), session_(session) {
    pool_.setMaxThreadCount(1);
    connect(&session_, &Session::result_shown, this, &Mend::show_result);
    connect(&session_, &Session::strokes_changed, this, [this](int result, const Stroke& stroke) {
        if (result == display_of_)
            render(to_qrect(reach_of(stroke)));
        else
            earlier_.erase(result);  // it is no longer what was shown
    });
    connect(&session_, &Session::series_changed, this, [this] { set_source_frame(-1); });
}

Mend::~Mend() {
    pool_.waitForDone();
}

std::shared_ptr<const DisplayPicture> Mend::display_of(int result) const {
    if (result == display_of_ && display_) return display_;
    const auto found = earlier_.find(result);
    return found == earlier_.end() ? nullptr : found->second;
}

void Mend::set_brush(const Brush& brush) {
    brush_ = brush;
    emit brush_changed();
}

void Mend::set_source_frame(int frame) {
    if (frame == source_frame_) return;
    source_frame_ = frame;
    emit brush_changed();
    // Decoded now, so that the first stroke does not wait for it.
    if (frame >= 0)
        pool_.start([cache = session_.frame_cache(), own = session_.series().frames[std::size_t(frame)]] {
            try {
                cache->get(own.path, own.development);
            } catch (const FileError&) {
                // Said when it is painted with.
            }
        });
}

QString Mend::why_not() const {
    if (!session_.result())
        return QStringLiteral("There is nothing to draw on yet: merge first (Ctrl+Return).");
    if (!display_) return QStringLiteral("The picture is still being prepared.");
    if (brush_.wipe_back) return {};
    if (source_frame_ < 0)
        return QStringLiteral(
            "Pick a frame to draw in from first: right-click the place and choose in the sounding.");
    const FrameGeometry& frame = session_.result()->geometry.frames[std::size_t(source_frame_)];
    if (!frame.registered)
        return QStringLiteral("Frame %1 is not aligned, so it cannot be drawn in. Pick another.")
            .arg(source_frame_ + 1);
    return {};
}

void Mend::begin_stroke(QPointF place) {
    if (const QString why = why_not(); !why.isEmpty()) {
        emit failed(why);
        return;
    }
    live_ = {brush_.wipe_back ? Stroke::kWipeBack : source_frame_,
             brush_.radius_px,
             brush_.softness,
             brush_.flow,
             {{place.x(), place.y()}}};
    drawing_ = true;
    render(to_qrect(reach_of(live_)));
}

void Mend::continue_stroke(QPointF place) {
    if (!drawing_) return;
    const StrokePoint last = live_.points.back();
    if (std::hypot(place.x() - last.x_px, place.y() - last.y_px) < 0.5) return;
    live_.points.push_back({place.x(), place.y()});
    Stroke piece = live_;
    piece.points = {last, live_.points.back()};
    render(to_qrect(reach_of(piece)));
}

void Mend::end_stroke() {
    if (!drawing_) return;
    drawing_ = false;
    const Stroke done = live_;
    live_.points.clear();
    session_.add_stroke(done);
}

Picture Mend::picture() const {
    if (!merge_ || mended_.empty()) return {};
    return {mended_.clone(), merge_->picture.alpha, merge_->picture.profile};
}

void Mend::show_result() {
    const Result* result = session_.result();
    ++serial_;
    if (display_) earlier_[display_of_] = display_;
    std::erase_if(earlier_, [this](const auto& own) { return !session_.result_with(own.first); });
    pending_ = {};
    drawing_ = false;
    rendering_ = false;
    live_.points.clear();
    display_.reset();
    mended_.release();
    source_.reset();
    merge_ = result ? result->merge : nullptr;
    display_of_ = result ? result->id : 0;
    if (!result) {
        emit display_changed();
        return;
    }
    struct Made {
        std::shared_ptr<const FrameSource> source;
        std::shared_ptr<DisplayPicture> display;
        cv::Mat mended;
    };
    auto make = [series = session_.series(), geometry = result->geometry, strokes = result->strokes,
                 merge = merge_, cache = session_.frame_cache()]() -> Made {
        auto source = std::make_shared<const FrameSource>(series, geometry, cache);
        Picture mended = merge->picture;
        mended.pixels = render_strokes(
            merge->picture, merge->area, strokes, merge->area, source->curve(),
            [&](int frame, PixelRect area) { return source->load(frame, area, Job{}).pixels; }, Job{});
        return {source,
                std::make_shared<DisplayPicture>(display_levels(mended, Job{}),
                                                 QPoint(merge->area.x, merge->area.y)),
                mended.pixels};
    };
    rendering_ = true;
    run_beside(
        pool_, this, make,
        [this, serial = serial_](const Made& made) {
            if (serial != serial_) return;
            rendering_ = false;
            source_ = made.source;
            display_ = made.display;
            mended_ = made.mended;
            emit display_changed();
            next();
        },
        [this, serial = serial_](const std::exception& error) {
            if (serial != serial_) return;
            rendering_ = false;
            emit failed(QString::fromUtf8(error.what()));
        });
    emit display_changed();
}

void Mend::render(const QRect& area) {
    pending_ = pending_.united(area);
    next();
}

void Mend::next() {
    if (rendering_ || pending_.isEmpty() || !display_) return;
    const Result* result = session_.result();
    if (!result || result->id != display_of_) return;
    const QRect area = pending_.intersected(to_qrect(merge_->area));
    pending_ = {};
    if (area.isEmpty()) return;
    std::vector<Stroke> strokes = result->strokes;
    if (!live_.points.empty()) strokes.push_back(live_);
    struct Rendered {
        cv::Mat pixels;
        cv::Mat4b screen;
    };
    rendering_ = true;
    auto work = [strokes, merge = merge_, source = source_, area]() -> Rendered {
        const cv::Mat pixels = render_strokes(
            merge->picture, merge->area, strokes, to_pixel_rect(area), source->curve(),
            [&](int frame, PixelRect where) { return source->load(frame, where, Job{}).pixels; }, Job{});
        return {pixels, to_display({pixels, {}, merge->picture.profile}, Job{})};
    };
    run_beside(
        pool_, this, work,
        [this, area, serial = serial_](const Rendered& rendered) {
            if (serial != serial_) return;
            rendering_ = false;
            rendered.pixels.copyTo(mended_(to_pixel_rect(area.translated(-merge_->area.x, -merge_->area.y))));
            display_->replace(rendered.screen, area.topLeft());
            emit area_changed(area);
            next();
        },
        [this, serial = serial_](const std::exception& error) {
            if (serial != serial_) return;
            rendering_ = false;
            emit failed(QString::fromUtf8(error.what()));
            next();
        });
}

}  // namespace moorhaze::desktop
