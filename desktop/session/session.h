#pragma once
#include <QImage>
#include <QObject>
#include <QUndoStack>
#include <memory>
#include <optional>

#include "core/align/common_area.h"
#include "core/focus/profile_frames.h"
#include "core/focus/series_report.h"
#include "core/mend/strokes.h"
#include "core/merge/frame_source.h"
#include "core/merge/merge_within.h"
#include "core/merge/quick_merge.h"
#include "core/series/card.h"
#include "desktop/session/job_runner.h"

namespace moorhaze::desktop {

/// The way through the job; each can be entered at any time.
enum class Stage { plan, cull, align, merge, mend, deliver };
inline constexpr int kStageCount = 6;

/// One finished merge with what was painted on it.
struct Result {
    int id = 0;
    QString title;          ///< "depth map 1"
    QString settings_text;  ///< what it was made with
    double seconds = 0;
    std::shared_ptr<const MergeResult> merge;
    SeriesGeometry geometry;      ///< of the frames it was made from
    std::vector<Stroke> strokes;  ///< painted on it, in order
    bool saved = false;           ///< exported as it is now
    bool ahead = false;           ///< not asked for: the next such takes its place while nobody used it
    QImage thumb;                 ///< the picture as it was merged, small
};

/// A merge under way, as far as it is known where things are sharp.
struct Growth {
    QString title;     ///< of the method
    cv::Mat1f places;  ///< small: frame numbers from 1, 0 where nothing is known yet
    PixelRect area;    ///< that it shows, in reference pixels
};

/// What the window works on: the series, what is known of it, what was made of it. No widgets; all in the
/// interface's thread. Long work runs in `jobs`. Changes that a person makes can be undone.
class Session : public QObject {
    Q_OBJECT
  public:
    explicit Session(QObject* parent = nullptr);

    JobRunner& jobs() { return jobs_; }
    QUndoStack& undo_stack() { return undo_; }
    const std::shared_ptr<FrameCache>& frame_cache() const { return cache_; }

    // The series.
    /// Opens files or a folder in the background. One series is opened and profiled; of several the first is,
    /// and all are in card(). Results of another series are dropped.
    void open(const std::vector<std::filesystem::path>& files_or_folder);
    /// Where looks at frames are kept for the next time; nothing is kept before this is called.
    void set_look_folder(const std::filesystem::path& folder) { looks_.emplace(folder); }

    // The card: all series that were found.
    const std::vector<FoundSeries>& card() const { return card_; }
    int card_place() const { return card_place_; }  ///< of the series that is open; -1: none of them
    void open_from_card(int place);
    /// Develops the raw files of the open series anew, all alike; results are dropped, since their frames are
    /// no longer these.
    void develop(const Development& development);
    /// Cuts the open series in two before the frame shown, or joins it with the next one; the first part is
    /// opened. One step of undo would have to bring back what was made of it: there is none.
    void cut_here();
    void join_with_next();
    /// An empty series that frames join while they are shot; results of another series are dropped.
    void begin_series(const std::string& name);
    /// The next frame, with its profile and what the profiles of all frames then say. It has to be as large
    /// as the others; otherwise it is told and left out.
    void add_frame(const Frame& frame, const FocusProfile& profile, const SeriesProfile& whole);
    /// The file of a frame was shot again.
    void frame_changed(int frame, const FocusProfile& profile, const SeriesProfile& whole);
    bool has_series() const { return series_.count() > 0; }
    const Series& series() const { return series_; }
    const QStringList& problems() const { return problems_; }  ///< files left out and other news of opening
    const std::vector<FocusProfile>& profiles() const { return profiles_; }
    bool is_profiled() const { return !profiles_.empty(); }
    const SeriesProfile& profile() const { return profile_; }
    const OrderReport& order() const { return order_; }
    const QStringList& mixed() const { return mixed_; }  ///< settings that differ within the series
    /// Null until the series is profiled.
    const std::shared_ptr<const QuickMerge>& quick_merge() const { return quick_; }
    /// While profiling: how much detail each frame seen so far holds, by the most; below 0: not seen yet.
    const std::vector<double>& first_looks() const { return first_looks_; }

    // Cull.
    int current_frame() const { return current_frame_; }
    void set_current_frame(int frame);
    void set_used(int frame, bool used);
    void set_range(FrameRange range);
    /// Leaves out every frame that was flagged, in one step of undo.
    void accept_suggestions();
    int reference() const;
    void set_reference(int frame);
    static constexpr int kReferencePlane = -1;
    /// Index of the frame that is sharpest at a place (0..1 across and down); -1 if unknown.
    /// @param shown  the frame that the place was pointed at in, or kReferencePlane.
    int sharpest_frame_at(double across, double down, int shown) const;
    /// The range that has sharp what lies along a line of places, with a frame to spare at both ends.
    std::optional<FrameRange> range_along(const std::vector<cv::Point2d>& places, int shown) const;
    // The order, each one step of undo. Results know frames by their numbers, so that there must be none.
    void put_in_order();  ///< as order() suggests
    void turn_round();
    void move_frame(int frame, int by);
    /// Saves the frame shown, as it is, as a picture.
    void save_frame(const std::filesystem::path& file, const WriteSettings& settings);

    // Align and merge.
    const MergeSettings& merge_settings() const { return merge_settings_; }
    void set_merge_settings(const MergeSettings& settings);
    const std::string& method() const { return method_; }
    void set_method(const std::string& method);
    /// What a merge may take; 0: as much as it needs. Not a setting of the result: it changes how long it
    /// takes.
    int merge_memory_mb() const { return merge_memory_mb_; }
    void set_merge_memory_mb(int megabytes) { merge_memory_mb_ = megabytes; }
    void align();
    /// Aligns first if the frames have not been aligned as they are now, then merges.
    void align_and_merge();
    /// Merges with the settings as they are, though nobody asked for it yet: in the background, stopped as
    /// soon as anything else is to be done. Nothing if other work runs, or nothing would be new.
    void merge_ahead();
    void stop_merge_ahead() { jobs_.make_way(); }
    /// The merge under way; nothing when none is, or nothing is known of it yet.
    const std::optional<Growth>& growth() const { return merge_growth_; }
    const std::optional<SeriesGeometry>& geometry() const { return geometry_; }
    /// How frames are placed; a change is one step of undo and needs no new measurement. The reference is
    /// that of reference().
    const PlaceSettings& placing() const { return placing_; }
    void set_placing(const PlaceSettings& settings, const QString& what);
    /// How much of the plane results show; a change is one step of undo.
    KeptArea kept() const { return kept_; }
    void set_kept(KeptArea kept);
    PixelRect kept_area() const;  ///< in reference pixels; empty without alignment or without anything common
    bool geometry_is_current() const;
    /// Where frames lie: measured, or as they are.
    const SeriesGeometry geometry_or_unmoved() const;

    // Results.
    const std::vector<Result>& results() const { return results_; }
    const Result* result() const;  ///< the one shown; null if none
    const Result* result_with(int id) const;
    void show_result(int id);
    void drop_result(int id);
    /// One step of undo; an empty title is not taken.
    void rename_result(int id, const QString& title);
    bool result_is_current() const;  ///< made from the frames and settings as they are now
    /// The last result whose survey holds for the frames as they are now; null if there is none.
    std::shared_ptr<const MergeResult> surveyed() const;

    // Mend. Strokes belong to the result shown.
    void add_stroke(const Stroke& stroke);
    void mark_saved(int result_id);
    bool has_unsaved_work() const;

    // Where the person is.
    Stage stage() const { return stage_; }
    void set_stage(Stage stage);

    /// Everything that happened is told in one sentence.
    void tell(const QString& text, bool is_error);

  signals:
    void series_changed();
    void frame_added(int frame);
    void frame_replaced(int frame);
    void profiles_changed();
    void quick_merge_changed();
    void order_changed();  ///< frames have other numbers
    void frame_looked();   ///< another frame was seen while profiling
    void card_changed();
    void selection_changed();  ///< frames used, range or reference
    void current_frame_changed();
    void settings_changed();
    void geometry_changed();
    void merge_grew();  ///< growth() is another, or gone
    void results_changed();
    void result_shown();
    void strokes_changed(int result_id, moorhaze::Stroke stroke);  ///< painted or taken back
    void saved_changed();
    void stage_changed();
    void told(QString text, bool is_error);

  private:
    friend class SelectionCommand;
    friend class StrokeCommand;
    friend class OrderCommand;
    struct Selection {
        std::vector<bool> used;
        FrameRange range;
        int reference = -1;  ///< -1: as suggested
        bool operator==(const Selection&) const = default;
    };
    struct Aligned {
        std::vector<bool> used;
        PlaceSettings placing;
        bool operator==(const Aligned&) const = default;
    };
    friend class PlacingCommand;
    friend class KeptCommand;
    friend class RenameCommand;
    void apply_placing(const PlaceSettings& settings);
    Selection selection() const;
    void apply(const Selection& selection);
    void change_selection(const Selection& to, const QString& what);
    Aligned alignment_wanted() const;
    void start_profiling();
    void replace_series(Series series, QStringList problems);
    /// @param earlier_trouble  whether some of the earlier ones are more than notes.
    void show_opened(const OpenedSeries& opened, const QStringList& earlier_problems, bool earlier_trouble);
    bool may_reorder();
    void change_order(const std::vector<int>& order, const QString& what);
    void apply_order(const std::vector<int>& order);
    void report_again();
    void start_aligning();
    void start_merging();
    /// @param ahead  not asked for.
    void run_merge(bool ahead);
    MergeContext growing(const MergeMethod& method, PixelRect area);  ///< tells what is found on the way
    Result* find_result(int id);
    void apply_stroke(int result_id, const Stroke& stroke, bool add);
    struct MergedFrom {
        std::vector<int> frames;
        PlaceSettings placing;
        KeptArea kept = KeptArea::common;
        std::string method;
        MergeSettings settings;
        bool operator==(const MergedFrom&) const = default;
    };
    MergedFrom merge_wanted() const;

    inline static const QString kMergeJob = QStringLiteral("merge");

    JobRunner jobs_;
    QUndoStack undo_;
    std::shared_ptr<FrameCache> cache_;
    Series series_;
    QStringList problems_;
    std::vector<FocusProfile> profiles_;
    SeriesProfile profile_;
    OrderReport order_;
    QStringList mixed_;
    std::shared_ptr<const QuickMerge> quick_;
    std::vector<double> first_looks_;
    std::optional<ProfileCache> looks_;
    std::vector<FoundSeries> card_;
    int card_place_ = -1;
    std::optional<double> growth_;
    int series_serial_ = 0;  ///< answers for an earlier series are recognised and dropped
    int current_frame_ = 0;
    int chosen_reference_ = -1;
    MergeSettings merge_settings_;
    std::string method_;
    int merge_memory_mb_ = 0;
    std::optional<Registration> registration_;  ///< what was measured; kept while the frames stay
    PlaceSettings placing_;
    KeptArea kept_ = KeptArea::common;
    mutable std::optional<PixelRect> kept_area_;  ///< found when it is asked for, until something changes
    std::optional<SeriesGeometry> geometry_;
    Aligned aligned_as_;
    std::optional<Growth> merge_growth_;
    std::vector<Result> results_;
    std::vector<std::pair<int, MergedFrom>> merged_from_;
    int shown_result_ = 0, next_result_ = 1;
    Stage stage_ = Stage::plan;
};

}  // namespace moorhaze::desktop
