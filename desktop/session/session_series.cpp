// How a session comes to its series: cards, profiling, order.
#include <algorithm>

#include "core/series/mixed.h"
#include "desktop/session/session.h"
#include "desktop/session/text.h"

namespace moorhaze::desktop {
namespace {

constexpr std::uintmax_t kLookBytes = std::uintmax_t(1) << 30;

struct Opened {
    std::vector<FoundSeries> card;
    OpenedSeries first;
    std::vector<std::string> problems, notes;
};

QStringList sentences(const std::vector<std::string>& lines) {
    QStringList list;
    for (const auto& line : lines) list << text(line);
    return list;
}

}  // namespace

void Session::open(const std::vector<std::filesystem::path>& files_or_folder) {
    jobs_.start(
        QStringLiteral("open"),
        [files_or_folder](const Job& job) {
            OpenedCard card = open_card(files_or_folder, job);
            OpenedSeries first = make_series(card.series[0].frames);
            return Opened{std::move(card.series), std::move(first), std::move(card.problems),
                          std::move(card.notes)};
        },
        [this](const Opened& opened) {
            card_ = opened.card;
            card_place_ = 0;
            show_opened(opened.first, sentences(opened.problems) + sentences(opened.notes),
                        !opened.problems.empty());
            emit card_changed();
            if (card_.size() > 1)
                tell(QStringLiteral("%1 series were found; the first is open, the others are listed in Plan.")
                         .arg(card_.size()),
                     false);
            set_stage(card_.size() > 1 ? Stage::plan : Stage::cull);
        });
}

void Session::show_opened(const OpenedSeries& opened, const QStringList& earlier_problems,
                          bool earlier_trouble) {
    replace_series(opened.series, earlier_problems + sentences(opened.problems) + sentences(opened.notes));
    if (!problems_.empty())
        tell(problems_.size() == 1
                 ? problems_[0]
                 : QStringLiteral("%1 (and %2 more, see Plan)").arg(problems_[0]).arg(problems_.size() - 1),
             earlier_trouble || !opened.problems.empty());
    start_profiling();
}

void Session::open_from_card(int place) {
    if (place < 0 || place >= int(card_.size())) return;
    jobs_.cancel();
    card_place_ = place;
    show_opened(make_series(card_[std::size_t(place)].frames), {}, false);
    emit card_changed();
}

void Session::develop(const Development& development) {
    if (!has_series()) return;
    jobs_.cancel();
    Series series = series_;
    for (Frame& frame : series.frames) frame.development = development;
    const int shown = current_frame_;
    replace_series(std::move(series), problems_);
    set_current_frame(shown);
    start_profiling();
}

void Session::cut_here() {
    if (card_place_ < 0 || current_frame_ < 1) return;
    // The card's frames stand as they were found, the open series perhaps the other way round.
    auto& frames = card_[std::size_t(card_place_)].frames;
    const auto path =
        series_.frames[std::size_t(series_.turned_round ? current_frame_ - 1 : current_frame_)].path;
    const auto found =
        std::find_if(frames.begin(), frames.end(), [&](const Frame& frame) { return frame.path == path; });
    const int before = int(found - frames.begin());
    if (found == frames.end() || before < 1) return;
    split_series(card_, card_place_, before);
    open_from_card(card_place_);
}

void Session::join_with_next() {
    if (card_place_ < 0 || card_place_ + 1 >= int(card_.size())) return;
    moorhaze::join_with_next(card_, card_place_);
    open_from_card(card_place_);
}

void Session::replace_series(Series series, QStringList problems) {
    ++series_serial_;
    undo_.clear();
    cache_->clear();
    series_ = std::move(series);
    problems_ = std::move(problems);
    profiles_.clear();
    profile_ = {};
    order_ = {};
    mixed_.clear();
    quick_.reset();
    growth_.reset();
    first_looks_.assign(series_.frames.size(), -1.0);
    geometry_.reset();
    registration_.reset();
    placing_ = {};
    results_.clear();
    merged_from_.clear();
    shown_result_ = 0;
    chosen_reference_ = -1;
    merge_settings_.backdrop_frame = 0;  // of the frames that were
    current_frame_ = series_.count() / 2;
    emit series_changed();
    emit quick_merge_changed();
    emit results_changed();
    emit result_shown();
}

void Session::begin_series(const std::string& name) {
    Series series;
    series.name = name;
    card_.clear();
    card_place_ = -1;
    replace_series(series, {});
    emit card_changed();
}

void Session::add_frame(const Frame& frame, const FocusProfile& profile, const SeriesProfile& whole) {
    if (has_series() && cv::Size(frame.info.width, frame.info.height) != series_.size()) {
        tell(QStringLiteral("%1 has another size than the frames before and was left out.")
                 .arg(text(frame.path.filename().string())),
             true);
        return;
    }
    undo_.clear();  // steps of undo know as many frames as there were
    const bool first = !has_series(), at_end = series_.range.last == series_.count() - 1;
    series_.frames.push_back(frame);
    if (first || at_end) series_.range.last = series_.count() - 1;
    profiles_.push_back(profile);
    profile_ = whole;
    current_frame_ = series_.count() - 1;
    geometry_.reset();
    registration_.reset();
    if (first) emit series_changed();
    emit frame_added(current_frame_);
    emit profiles_changed();
    emit selection_changed();
    emit current_frame_changed();
}

void Session::frame_changed(int frame, const FocusProfile& profile, const SeriesProfile& whole) {
    if (frame < 0 || frame >= series_.count()) return;
    cache_->clear();
    profiles_[std::size_t(frame)] = profile;
    profile_ = whole;
    geometry_.reset();
    registration_.reset();
    emit frame_replaced(frame);
    emit profiles_changed();
    emit current_frame_changed();
}

void Session::start_profiling() {
    struct Profiled {
        ProfiledFrames frames;
        SeriesReport report;
        std::optional<double> growth;
        std::vector<std::string> mixed;
        std::shared_ptr<const QuickMerge> quick;
    };
    auto seen = [this, serial = series_serial_](int frame, double detail) {
        QMetaObject::invokeMethod(
            this,
            [this, serial, frame, detail] {
                if (serial != series_serial_ || is_profiled()) return;
                first_looks_[std::size_t(frame)] = detail;
                emit frame_looked();
            },
            Qt::QueuedConnection);
    };
    jobs_.start(
        QStringLiteral("profile"),
        [series = series_, looks = looks_, seen](const Job& job) {
            PreviewShelf shelf(series.count());
            Profiled result;
            result.frames = profile_frames(
                series, looks ? &*looks : nullptr,
                [&](int frame, const FrameLook& look) {
                    shelf.put(frame, look.preview);
                    seen(frame, cv::mean(look.profile.sharpness)[0]);
                },
                job.part(0, 0.85));
            const SeriesGeometry lie = register_previews(shelf.pictures(), job.part(0.85, 0.97));
            if (travel_from_metadata(series) == Travel::rail) result.growth = growth_along(lie);
            result.report = report_on(series, result.frames.profiles, result.growth);
            std::vector<std::string> colours;
            for (const FocusProfile& profile : result.frames.profiles) colours.push_back(profile.colours);
            result.mixed = mixed_settings(series, colours);
            result.quick = std::make_shared<const QuickMerge>(shelf.pictures(), lie, job.part(0.97, 1));
            if (looks) looks->prune(kLookBytes);
            return result;
        },
        [this, serial = series_serial_](const Profiled& result) {
            if (serial != series_serial_) return;
            profiles_ = result.frames.profiles;
            profile_ = result.report.whole;
            order_ = result.report.order;
            growth_ = result.growth;
            mixed_ = sentences(result.mixed);
            quick_ = result.quick;
            for (const FrameProblem& problem : result.frames.problems) {
                problems_ << text(problem.what);
                tell(text(problem.what), true);
            }
            emit profiles_changed();
            emit selection_changed();
            emit quick_merge_changed();
        });
}

// --------------------------------------------------------------------------------------------------- order

/// Frames in another order: undone by the opposite order.
class OrderCommand : public QUndoCommand {
  public:
    OrderCommand(Session& session, std::vector<int> order, const QString& what)
        : QUndoCommand(what), session_(session), order_(std::move(order)), back_(order_.size()) {
        for (std::size_t k = 0; k < order_.size(); ++k) back_[std::size_t(order_[k])] = int(k);
    }
    void undo() override { session_.apply_order(back_); }
    void redo() override { session_.apply_order(order_); }

  private:
    Session& session_;
    std::vector<int> order_, back_;
};

bool Session::may_reorder() {
    if (!is_profiled()) {
        tell(QStringLiteral("The frames are still being looked at; put them in order in a moment."), true);
        return false;
    }
    if (!results_.empty()) {
        tell(QStringLiteral("Results know frames by their numbers: export and drop them first, then put the "
                            "frames in another order."),
             true);
        return false;
    }
    return true;
}

void Session::change_order(const std::vector<int>& order, const QString& what) {
    if (std::is_sorted(order.begin(), order.end()) || !may_reorder()) return;
    undo_.push(new OrderCommand(*this, order, what));
}

void Session::put_in_order() {
    if (order_.needs_repair()) change_order(order_.near_to_far, QStringLiteral("put in order"));
}

void Session::turn_round() {
    std::vector<int> order;
    for (int i = series_.count() - 1; i >= 0; --i) order.push_back(i);
    change_order(order, QStringLiteral("turn the order round"));
}

void Session::move_frame(int frame, int by) {
    const int to = std::clamp(frame + by, 0, series_.count() - 1);
    if (frame < 0 || frame >= series_.count() || to == frame) return;
    std::vector<int> order;
    for (int i = 0; i < series_.count(); ++i)
        if (i != frame) order.push_back(i);
    order.insert(order.begin() + to, frame);
    change_order(order, QStringLiteral("move frame %1").arg(frame + 1));
}

void Session::apply_order(const std::vector<int>& order) {
    if (!results_.empty()) return;  // undo past a merge: the frames stay as its numbers say
    auto permuted = [&](const auto& old) {
        auto made = old;
        for (std::size_t k = 0; k < order.size(); ++k) made[k] = old[std::size_t(order[k])];
        return made;
    };
    auto new_place = [&](int old) {
        return old < 0 ? old : int(std::find(order.begin(), order.end(), old) - order.begin());
    };
    series_.frames = permuted(series_.frames);
    profiles_ = permuted(profiles_);
    profile_.share = permuted(profile_.share);
    profile_.flags = permuted(profile_.flags);
    // What is known of the old order is not true of this one; report_again() finds it anew.
    profile_.gaps.clear();
    profile_.suggested_reference = new_place(profile_.suggested_reference);
    order_ = {};
    current_frame_ = new_place(current_frame_);
    chosen_reference_ = new_place(chosen_reference_);
    if (merge_settings_.backdrop_frame > 0)
        merge_settings_.backdrop_frame = new_place(merge_settings_.backdrop_frame - 1) + 1;
    for (MatchingPoints& points : placing_.points)
        points.one = new_place(points.one), points.other = new_place(points.other);
    if (quick_) quick_ = std::make_shared<const QuickMerge>(quick_->reordered(order));
    geometry_.reset();
    registration_.reset();
    ++series_serial_;
    emit order_changed();
    emit geometry_changed();
    emit quick_merge_changed();
    emit profiles_changed();
    emit selection_changed();
    emit current_frame_changed();
    report_again();
}

void Session::report_again() {
    jobs_.start(
        QStringLiteral("look again"),
        [series = series_, profiles = profiles_, growth = growth_](const Job&) {
            return report_on(series, profiles, growth);
        },
        [this, serial = series_serial_](const SeriesReport& report) {
            if (serial != series_serial_) return;
            profile_ = report.whole;
            order_ = report.order;
            emit profiles_changed();
            emit selection_changed();
        });
}

}  // namespace moorhaze::desktop
