#include "desktop/session/session.h"

#include <algorithm>
#include <chrono>
#include <opencv2/imgproc.hpp>

#include "core/align/measure_series.h"
#include "desktop/session/display_picture.h"
#include "desktop/session/text.h"

// The session's part of aligning and merging.

namespace moorhaze::desktop {
namespace {

constexpr int kThumbWidth = 160;  // px: a card's twice over, for screens of twice the density
constexpr auto kGrowthEvery = std::chrono::milliseconds(300);

QImage thumb_of(const Picture& picture) {
    const double shrink = double(kThumbWidth) / picture.pixels.cols;
    Picture small{{}, {}, picture.profile};
    cv::resize(picture.pixels, small.pixels, {}, shrink, shrink, cv::INTER_AREA);
    return image_of(to_display(small, Job{}));
}

QString settings_in_words(const std::string& method, const MergeSettings& settings, int frames) {
    QStringList words{QStringLiteral("%1 frames").arg(frames)};
    const bool woven = method == "woven", depth = method == "depth", pyramid = method == "pyramid";
    if (!pyramid) words << QStringLiteral("detail %1 px").arg(settings.detail_size_px);
    if (woven || depth)
        words << QStringLiteral("seam %1 px").arg(settings.seam_width_px)
              << QStringLiteral("floor %1").arg(settings.trust_floor);
    if ((woven || depth) && settings.backdrop_frame > 0)
        words << QStringLiteral("backdrop frame %1").arg(settings.backdrop_frame);
    if ((woven || pyramid) && !settings.glare_guard) words << QStringLiteral("no glare guard");
    if ((woven || pyramid) && !settings.grain_guard) words << QStringLiteral("no grain guard");
    return words.join(QStringLiteral(" · "));
}

}  // namespace

class PlacingCommand : public QUndoCommand {
  public:
    PlacingCommand(Session& session, PlaceSettings from, PlaceSettings to, const QString& what)
        : QUndoCommand(what), session_(session), from_(std::move(from)), to_(std::move(to)) {}
    void undo() override { session_.apply_placing(from_); }
    void redo() override { session_.apply_placing(to_); }

  private:
    Session& session_;
    PlaceSettings from_, to_;
};

class KeptCommand : public QUndoCommand {
  public:
    KeptCommand(Session& session, KeptArea from, KeptArea to)
        : QUndoCommand(QStringLiteral("area kept")), session_(session), from_(from), to_(to) {}
    void undo() override { apply(from_); }
    void redo() override { apply(to_); }

  private:
    void apply(KeptArea kept) {
        session_.kept_ = kept;
        emit session_.settings_changed();
    }
    Session& session_;
    KeptArea from_, to_;
};

void Session::set_merge_settings(const MergeSettings& settings) {
    if (settings == merge_settings_) return;
    merge_settings_ = settings;
    emit settings_changed();
}

void Session::set_method(const std::string& method) {
    if (method == method_) return;
    method_ = method;
    emit settings_changed();
}

Session::Aligned Session::alignment_wanted() const {
    PlaceSettings placing = placing_;
    placing.reference = reference();
    return {selection().used, placing};
}

bool Session::geometry_is_current() const {
    return geometry_ && aligned_as_ == alignment_wanted();
}

const SeriesGeometry Session::geometry_or_unmoved() const {
    return geometry_ ? *geometry_ : unmoved(series_, reference());
}

void Session::set_placing(const PlaceSettings& settings, const QString& what) {
    PlaceSettings to = settings;
    to.reference = placing_.reference;
    if (to == placing_) return;
    undo_.push(new PlacingCommand(*this, placing_, to, what));
}

void Session::apply_placing(const PlaceSettings& settings) {
    placing_ = settings;
    emit geometry_changed();
    // Placing anew takes a moment; measuring, which takes long, waits until it is asked for.
    if (geometry_) start_aligning();
}

void Session::set_kept(KeptArea kept) {
    if (kept != kept_) undo_.push(new KeptCommand(*this, kept_, kept));
}

PixelRect Session::kept_area() const {
    if (!kept_area_)
        kept_area_ = geometry_ ? moorhaze::kept_area(*geometry_, series_.chosen(), series_.size(), kept_)
                               : PixelRect();
    return *kept_area_;
}

void Session::align() {
    if (has_series()) start_aligning();
}

void Session::align_and_merge() {
    if (!has_series()) return;
    // What was begun ahead, or is there already, is what is asked for now.
    if (jobs_.is_yielding() && !jobs_.is_making_way()) jobs_.keep();
    if (Result* shown = find_result(shown_result_); shown && shown->ahead && result_is_current()) {
        shown->ahead = false;
        emit results_changed();
        return;
    }
    if (jobs_.busy() && jobs_.title() == kMergeJob && !jobs_.is_making_way()) return;
    // Profiling may still be running and decides on the reference frame, so what is wanted is asked when it
    // begins.
    if (jobs_.busy() || !geometry_is_current()) start_aligning();
    start_merging();
}

void Session::start_aligning() {
    struct Placed {
        Registration registration;
        SeriesGeometry geometry;
    };
    jobs_.decide([this] {
        if (geometry_is_current()) return;
        jobs_.start_first(
            QStringLiteral("align"),
            [series = series_, as = alignment_wanted(), known = registration_](const Job& job) {
                Placed placed;
                Series measured = series;
                measured.frames[std::size_t(as.placing.reference)].used = true;
                bool enough = known.has_value();
                for (int i = 0; enough && i < series.count(); ++i)
                    enough = known->used[std::size_t(i)] || !measured.frames[std::size_t(i)].used;
                placed.registration = enough ? *known : measure_series(measured, job);
                placed.geometry = place_frames(placed.registration, as.placing);
                return placed;
            },
            [this, serial = series_serial_, as = alignment_wanted()](const Placed& placed) {
                if (serial != series_serial_) return;
                const SeriesGeometry& geometry = placed.geometry;
                registration_ = placed.registration;
                geometry_ = geometry;
                aligned_as_ = as;
                for (int i = 0; i < series_.count(); ++i)
                    if (const auto& frame = geometry.frames[std::size_t(i)];
                        series_.frames[std::size_t(i)].used && !frame.problem.empty())
                        tell(QStringLiteral("frame %1: %2").arg(i + 1).arg(text(frame.problem)), true);
                emit geometry_changed();
            });
    });
}

Session::MergedFrom Session::merge_wanted() const {
    return {series_.chosen(), alignment_wanted().placing, kept_, method_, merge_settings_};
}

MergeContext Session::growing(const MergeMethod& method, PixelRect area) {
    MergeContext context;
    using Clock = std::chrono::steady_clock;
    context.on_frame = [this, title = text(method.title), area, serial = series_serial_,
                        last = Clock::time_point()](const std::function<cv::Mat1f()>& so_far) mutable {
        if (Clock::now() - last < kGrowthEvery) return;
        const cv::Mat1f places = so_far();
        last = Clock::now();
        QMetaObject::invokeMethod(this, [this, title, area, serial, places] {
            // It may come late, when the merge has ended.
            if (serial != series_serial_ || !jobs_.busy() || jobs_.title() != kMergeJob) return;
            merge_growth_ = Growth{title, places, area};
            emit merge_grew();
        });
    };
    return context;
}

void Session::start_merging() {
    jobs_.decide([this] {
        if (!geometry_is_current()) return;  // aligning failed and said so
        const std::vector<int> chosen = series_.chosen();
        const PixelRect area = kept_area();
        if (chosen.empty() || area.empty()) {
            tell(chosen.empty()
                     ? QStringLiteral("No frame is left to merge: take some back, or widen the range.")
                     : QStringLiteral("The frames have no area in common: leave the outliers out, or choose "
                                      "another area in Align."),
                 true);
            return;
        }
        run_merge(false);
    });
}

void Session::merge_ahead() {
    if (results_.empty() || jobs_.busy() || !geometry_is_current() || series_.chosen().empty() ||
        kept_area().empty())
        return;
    const bool is_there = std::any_of(merged_from_.begin(), merged_from_.end(), [&](const auto& made) {
        return made.second == merge_wanted() && result_with(made.first);
    });
    if (!is_there) run_merge(true);
}

void Session::run_merge(bool ahead) {
    struct Merged {
        std::shared_ptr<const MergeResult> result;
        double seconds = 0;
        QImage thumb;
    };
    const MergeMethod& method = merge_method(method_);
    // What was not asked for does not take the place of the picture while it grows.
    auto work = [series = series_, geometry = *geometry_, chosen = series_.chosen(), area = kept_area(),
                 &method, settings = merge_settings_, memory = std::size_t(merge_memory_mb_) << 20,
                 context = ahead ? MergeContext() : growing(method, kept_area())](const Job& job) {
        const auto begin = std::chrono::steady_clock::now();
        const MergeTask task{series, geometry, chosen, area, settings, memory};
        auto merged = std::make_shared<const MergeResult>(merge_within(method, task, context, job));
        const std::chrono::duration<double> took = std::chrono::steady_clock::now() - begin;
        return Merged{merged, took.count(), thumb_of(merged->picture)};
    };
    auto done = [this, serial = series_serial_, from = merge_wanted(), geometry = *geometry_,
                 &method](const Merged& merged) {
        if (serial != series_serial_) return;
        const bool unasked = jobs_.is_yielding();
        if (unasked && from != merge_wanted()) return;  // it was to stop, and came to its end
        if (unasked)
            std::erase_if(results_, [](const Result& result) {
                return result.ahead && !result.saved && result.strokes.empty();
            });
        for (const FrameProblem& problem : merged.result->problems) tell(text(problem.what), true);
        Result result;
        result.id = next_result_++;
        result.title = QStringLiteral("%1 %2").arg(text(method.title)).arg(result.id);
        result.settings_text = settings_in_words(from.method, from.settings, int(from.frames.size()));
        result.seconds = merged.seconds;
        result.merge = merged.result;
        result.geometry = geometry;
        result.thumb = merged.thumb;
        result.ahead = unasked;
        results_.push_back(std::move(result));
        merged_from_.emplace_back(results_.back().id, from);
        shown_result_ = results_.back().id;
        if (stage_ < Stage::merge) set_stage(Stage::merge);
        emit results_changed();
        emit result_shown();
    };
    if (ahead)
        jobs_.start_yielding(kMergeJob, work, done);
    else
        jobs_.start_first(kMergeJob, work, done);
}

}  // namespace moorhaze::desktop
