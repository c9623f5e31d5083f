#include "desktop/session/session.h"

#include "core/align/measure_series.h"
#include "desktop/session/text.h"

#include <QCoreApplication>
#include <algorithm>
#include <chrono>

namespace moorhaze::desktop {

namespace {

constexpr std::size_t kFrameCacheBytes = std::size_t(1600) << 20;
/// Frames taken along at both ends of a range that was pointed at: spare frames are cheap.
constexpr int kSpareFrames = 1;

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
    if (woven && !settings.grain_guard) words << QStringLiteral("no grain guard");
    return words.join(QStringLiteral(" · "));
}

}  // namespace

/// Frames left out or taken back, the range, the reference: each change is a step between two whole
/// selections.
class SelectionCommand : public QUndoCommand {
  public:
    SelectionCommand(Session& session, Session::Selection from, Session::Selection to, const QString& what)
        : QUndoCommand(what), session_(session), from_(std::move(from)), to_(std::move(to)) {}
    void undo() override { session_.apply(from_); }
    void redo() override { session_.apply(to_); }

  private:
    Session& session_;
    Session::Selection from_, to_;
};

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

class RenameCommand : public QUndoCommand {
  public:
    RenameCommand(Session& session, int result, QString from, QString to)
        : QUndoCommand(QStringLiteral("rename result")),
          session_(session),
          result_(result),
          from_(std::move(from)),
          to_(std::move(to)) {}
    void undo() override { apply(from_); }
    void redo() override { apply(to_); }

  private:
    void apply(const QString& title) {
        if (Result* result = session_.find_result(result_)) result->title = title;
        emit session_.results_changed();
    }
    Session& session_;
    int result_;
    QString from_, to_;
};

class StrokeCommand : public QUndoCommand {
  public:
    StrokeCommand(Session& session, int result, Stroke stroke)
        : QUndoCommand(stroke.source == Stroke::kWipeBack
                           ? QStringLiteral("wipe back")
                           : QStringLiteral("draw-in from frame %1").arg(stroke.source + 1)),
          session_(session),
          result_(result),
          stroke_(std::move(stroke)) {}
    void undo() override { session_.apply_stroke(result_, stroke_, false); }
    void redo() override { session_.apply_stroke(result_, stroke_, true); }

  private:
    Session& session_;
    int result_;
    Stroke stroke_;
};

Session::Session(QObject* parent)
    : QObject(parent),
      cache_(std::make_shared<FrameCache>(kFrameCacheBytes)),
      method_(merge_methods()[0].name) {
    // Before anybody else who hears of it asks for the area.
    for (auto signal : {&Session::series_changed, &Session::order_changed, &Session::selection_changed,
                        &Session::settings_changed, &Session::geometry_changed})
        connect(this, signal, this, [this] { kept_area_.reset(); });
    connect(&jobs_, &JobRunner::failed, this, [this](const QString& title, const QString& why) {
        tell(QStringLiteral("%1: %2").arg(title, why), true);
    });
    connect(&jobs_, &JobRunner::cancelled, this, [this](const QString& title) {
        tell(QStringLiteral("%1 stopped; nothing was changed.").arg(title), false);
    });
}

void Session::tell(const QString& sentence, bool is_error) {
    emit told(sentence, is_error);
}

// ---------------------------------------------------------------------------------------------------- cull

void Session::set_current_frame(int frame) {
    if (!has_series()) return;
    frame = std::clamp(frame, 0, series_.count() - 1);
    if (frame == current_frame_) return;
    current_frame_ = frame;
    emit current_frame_changed();
}

Session::Selection Session::selection() const {
    Selection now;
    for (const Frame& frame : series_.frames) now.used.push_back(frame.used);
    now.range = series_.range;
    now.reference = chosen_reference_;
    return now;
}

void Session::apply(const Selection& wanted) {
    for (std::size_t i = 0; i < wanted.used.size(); ++i) series_.frames[i].used = wanted.used[i];
    series_.range = wanted.range;
    chosen_reference_ = wanted.reference;
    emit selection_changed();
}

void Session::change_selection(const Selection& to, const QString& what) {
    const Selection from = selection();
    if (from == to) return;
    undo_.push(new SelectionCommand(*this, from, to, what));
}

void Session::set_used(int frame, bool used) {
    if (frame < 0 || frame >= series_.count()) return;
    Selection to = selection();
    to.used[std::size_t(frame)] = used;
    change_selection(
        to,
        (used ? QStringLiteral("take back frame %1") : QStringLiteral("leave out frame %1")).arg(frame + 1));
}

void Session::set_range(FrameRange range) {
    if (!has_series()) return;
    range.first = std::clamp(range.first, 0, series_.count() - 1);
    range.last = std::clamp(range.last, range.first, series_.count() - 1);
    Selection to = selection();
    to.range = range;
    change_selection(to, QStringLiteral("depth range"));
}

void Session::accept_suggestions() {
    Selection to = selection();
    for (std::size_t i = 0; i < profile_.flags.size(); ++i)
        if (!profile_.flags[i].empty()) to.used[i] = false;
    change_selection(to, QStringLiteral("leave out what was suggested"));
}

int Session::reference() const {
    if (chosen_reference_ >= 0) return chosen_reference_;
    return is_profiled() ? profile_.suggested_reference : series_.count() / 2;
}

void Session::set_reference(int frame) {
    if (frame < 0 || frame >= series_.count()) return;
    Selection to = selection();
    to.reference = frame;
    change_selection(to, QStringLiteral("reference frame"));
}

int Session::sharpest_frame_at(double across, double down, int shown) const {
    if (quick_)
        if (const int frame = quick_->sharpest_at(across, down, shown); frame >= 0) return frame;
    // While frames are still being shot there are only profiles.
    int best = -1;
    float most = -1;
    for (int i = 0; i < int(profiles_.size()); ++i)
        if (const float value = sharpness_at(profiles_[std::size_t(i)], across, down); value > most)
            most = value, best = i;
    return best;
}

std::optional<FrameRange> Session::range_along(const std::vector<cv::Point2d>& places, int shown) const {
    return quick_ ? quick_->range_along(places, shown, kSpareFrames) : std::nullopt;
}

void Session::save_frame(const std::filesystem::path& file, const WriteSettings& settings) {
    if (!has_series()) return;
    jobs_.start(
        QStringLiteral("save"),
        [frame = series_.frames[std::size_t(current_frame_)], file, settings](const Job& job) {
            write_picture(file, read_picture(frame.path, frame.development), frame.info.shooting, settings,
                          job);
            return 0;
        },
        [this, file, frame = current_frame_](int) {
            tell(QStringLiteral("Frame %1 was saved as %2.").arg(frame + 1).arg(text(file.string())), false);
        });
}

// ----------------------------------------------------------------------------------------- align and merge

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
    if (jobs_.busy() && jobs_.title() == QStringLiteral("merge")) return;
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
        struct Merged {
            std::shared_ptr<const MergeResult> result;
            double seconds = 0;
        };
        const MergeMethod& method = merge_method(method_);
        jobs_.start_first(
            QStringLiteral("merge"),
            [series = series_, geometry = *geometry_, chosen, area, &method,
             settings = merge_settings_](const Job& job) {
                const auto begin = std::chrono::steady_clock::now();
                AlignedFrames frames(series, geometry, chosen, area);
                auto merged = std::make_shared<const MergeResult>(method.merge(frames, settings, job));
                const std::chrono::duration<double> took = std::chrono::steady_clock::now() - begin;
                return Merged{merged, took.count()};
            },
            [this, serial = series_serial_, from = merge_wanted(), geometry = *geometry_,
             &method](const Merged& merged) {
                if (serial != series_serial_) return;
                for (const FrameProblem& problem : merged.result->problems) tell(text(problem.what), true);
                Result result;
                result.id = next_result_++;
                result.title = QStringLiteral("%1 %2").arg(text(method.title)).arg(result.id);
                result.settings_text = settings_in_words(from.method, from.settings, int(from.frames.size()));
                result.seconds = merged.seconds;
                result.merge = merged.result;
                result.geometry = geometry;
                results_.push_back(std::move(result));
                merged_from_.emplace_back(results_.back().id, from);
                shown_result_ = results_.back().id;
                if (stage_ < Stage::merge) set_stage(Stage::merge);
                emit results_changed();
                emit result_shown();
            });
    });
}

// ------------------------------------------------------------------------------------------------- results

Result* Session::find_result(int id) {
    const auto found =
        std::find_if(results_.begin(), results_.end(), [&](const Result& r) { return r.id == id; });
    return found == results_.end() ? nullptr : &*found;
}

const Result* Session::result_with(int id) const {
    return const_cast<Session*>(this)->find_result(id);
}

const Result* Session::result() const {
    return result_with(shown_result_);
}

void Session::show_result(int id) {
    if (!find_result(id) || id == shown_result_) return;
    shown_result_ = id;
    emit result_shown();
}

void Session::drop_result(int id) {
    std::erase_if(results_, [&](const Result& result) { return result.id == id; });
    if (shown_result_ == id) shown_result_ = results_.empty() ? 0 : results_.back().id;
    emit results_changed();
    emit result_shown();
}

void Session::rename_result(int id, const QString& title) {
    const Result* result = result_with(id);
    if (!result || title.trimmed().isEmpty() || title.trimmed() == result->title) return;
    undo_.push(new RenameCommand(*this, id, result->title, title.trimmed()));
}

bool Session::result_is_current() const {
    for (const auto& [id, from] : merged_from_)
        if (id == shown_result_) return from == merge_wanted();
    return false;
}

// ---------------------------------------------------------------------------------------------------- mend

void Session::add_stroke(const Stroke& stroke) {
    if (!result() || stroke.points.empty()) return;
    undo_.push(new StrokeCommand(*this, shown_result_, stroke));
}

void Session::apply_stroke(int result_id, const Stroke& stroke, bool add) {
    Result* result = find_result(result_id);
    if (!result) return;  // dropped meanwhile
    if (add)
        result->strokes.push_back(stroke);
    else if (!result->strokes.empty())
        result->strokes.pop_back();
    result->saved = false;
    emit strokes_changed(result_id, stroke);
    emit saved_changed();
}

void Session::mark_saved(int result_id) {
    if (Result* result = find_result(result_id)) result->saved = true;
    emit saved_changed();
}

bool Session::has_unsaved_work() const {
    return std::any_of(results_.begin(), results_.end(), [](const Result& result) { return !result.saved; });
}

void Session::set_stage(Stage stage) {
    if (stage == stage_) return;
    stage_ = stage;
    emit stage_changed();
}

}  // namespace moorhaze::desktop
