#include "desktop/session/session.h"

#include "desktop/session/text.h"

#include <QCoreApplication>
#include <algorithm>

namespace moorhaze::desktop {

namespace {

constexpr std::size_t kFrameCacheBytes = std::size_t(1600) << 20;
/// Frames taken along at both ends of a range that was pointed at: spare frames are cheap.
constexpr int kSpareFrames = 1;

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
        if (Result* result = session_.find_result(result_)) result->title = title, result->ahead = false;
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
    connect(&jobs_, &JobRunner::changed, this, [this] {
        if (!merge_growth_ || (jobs_.busy() && jobs_.title() == kMergeJob)) return;
        merge_growth_.reset();
        emit merge_grew();
    });
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

std::shared_ptr<const MergeResult> Session::surveyed() const {
    const MergedFrom wanted = merge_wanted();
    for (auto result = results_.rbegin(); result != results_.rend(); ++result)
        for (const auto& [id, from] : merged_from_)
            if (id == result->id && !result->merge->survey.noise.empty() && from.frames == wanted.frames &&
                from.placing == wanted.placing && from.kept == wanted.kept)
                return result->merge;
    return nullptr;
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
    return std::any_of(results_.begin(), results_.end(), [](const Result& result) {
        return !result.saved && !(result.ahead && result.strokes.empty());
    });
}

void Session::set_stage(Stage stage) {
    if (stage == stage_) return;
    stage_ = stage;
    emit stage_changed();
}

}  // namespace moorhaze::desktop
