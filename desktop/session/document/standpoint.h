// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QPointF>
#include <optional>

#include "desktop/session/document/document.h"

namespace moorhaze::desktop {

/// The way through the job; each can be entered at any time.
enum class Stage { plan, cull, align, merge, mend, finish };
inline constexpr int kStageCount = 6;

/// Ways to look at two pictures, each on or off; curtain, blink and twin exclude each other.
struct Comparing {
    bool curtain = false, blink = false, twin = false;
    bool edges = false;    ///< in Align: edges of two frames in two colours
    bool as_shot = false;  ///< in Align: before aligning
    bool points = false;   ///< in Align: the next press sets a matching point
    bool operator==(const Comparing&) const = default;
};

/// The frame that the one shown is compared with, in Align.
struct Partner {
    enum Kind { reference, nearer, farther, chosen } kind = reference;
    FrameId frame;  ///< for `chosen`
    bool operator==(const Partner&) const = default;
};

/// What of a result is shown.
enum class LookAt {
    picture,
    below_floor,  ///< places less trusted than the trust floor under a veil
    depth,        ///< the depth map in the depth colours, over the picture
    source,       ///< which frame each place came from, in the depth colours, over the picture
    made_by,      ///< depth map, pyramid, backdrop, a part that moved: each with a tint and a pattern
    painted,      ///< in Mend: what strokes brought, in their sources' depth colours
};

/// What is drawn along the depth line in Align.
enum class Drift { none, scale, shift, rotation, brightness };

/// What the brush does.
enum class MendTool {
    draw_in,    ///< brings the source
    wipe_back,  ///< brings the merge back as it was
    fade,       ///< from the picture to the source, between two points
    take,       ///< the whole thing that is scribbled over, from the source
    heal,       ///< covers with a place near by that is alike
    copy        ///< brings another place of the picture
};

/// The brush as the person set it.
struct Brush {
    double radius_px = 17, softness = 0.6, flow = 0.4;
    MendTool tool = MendTool::draw_in;
    bool match_tone = false;    ///< what is drawn in, taken or copied meets the light around it
    bool fade_through = false;  ///< a fade to a frame passes through those between
    bool operator==(const Brush&) const = default;
};

/// The pages of Finish's tray, in its order; `views` only while a turntable's views are merged.
enum class FinishPage { frame, light, colour, detail, ground, hand_over, views };

/// What the next press in the picture does in Finish.
enum class FinishHand {
    none,       ///< what the page says
    level,      ///< a line is drawn that becomes level
    grey,       ///< what lies there becomes grey
    ground,     ///< what lies there is the backdrop
    sharpen,    ///< the brush paints what is sharpened
    unsharpen,  ///< the brush takes that back
    vignette    ///< the corners' light has its middle there
};

/// Where the person is and how they look at it: neither undone nor saved as work. Follows the document: a
/// frame or result that is gone is replaced by one that is there.
class Standpoint : public QObject {
    Q_OBJECT
  public:
    explicit Standpoint(Document& document, QObject* parent = nullptr);

    enum class Aspect {
        stage,
        frame,
        result,
        comparing,
        partner,
        compared_result,
        look,
        drift,
        brush,
        painted,
        source,
        marks,
        quick_look,
        keeping,
        ahead,
        close_zoom,
        finish_page,
        finish_hand
    };

    Stage stage() const { return stage_; }
    void set_stage(Stage stage) {
        set_finish_hand(FinishHand::none);
        set(stage_, stage, Aspect::stage);
    }

    /// The frame shown; none without a series.
    std::optional<FrameId> frame() const { return frame_; }
    int place() const;  ///< of the frame shown; 0 where there is none
    void set_frame(FrameId frame);
    void set_place(int place);  ///< the nearest there is
    void step(int by) { set_place(place() + by); }

    /// The result shown; null where there is none.
    const ProjectResult* result() const;
    void set_result(std::optional<ResultId> result);

    const Comparing& comparing() const { return comparing_; }
    void set_comparing(Comparing comparing);
    /// One of its switches; those that it excludes go off.
    void compare(bool Comparing::*way, bool on);
    const Partner& partner() const { return partner_; }
    void set_partner(const Partner& partner) { set(partner_, partner, Aspect::partner); }
    /// What the result shown is compared with in Merge; none: the frame shown.
    std::optional<ResultId> compared_result() const { return compared_result_; }
    void set_compared_result(std::optional<ResultId> result) {
        set(compared_result_, result, Aspect::compared_result);
    }

    LookAt look() const { return look_; }
    void set_look(LookAt look) { set(look_, look, Aspect::look); }
    Drift drift() const { return drift_; }
    void set_drift(Drift drift) { set(drift_, drift, Aspect::drift); }

    const Brush& brush() const { return brush_; }
    void set_brush(const Brush& brush) { set(brush_, brush, Aspect::brush); }
    void set_tool(MendTool tool) {
        Brush brush = brush_;
        brush.tool = tool;
        set_brush(brush);
    }
    /// In Mend what was painted is shown over the picture.
    bool shows_painted() const { return shows_painted_; }
    void set_shows_painted(bool on) { set(shows_painted_, on, Aspect::painted); }
    /// The frame to draw in from; none was picked yet, or it is another result.
    std::optional<FrameId> source() const;
    void set_source(std::optional<FrameId> source);
    /// The result to draw in from, if it is one.
    std::optional<ResultId> source_result() const;
    void set_source_result(ResultId source) { set(source_, StrokeSource(source), Aspect::source); }
    /// One or the other; WipeBack where none was picked.
    const StrokeSource& stroke_source() const { return source_; }
    /// While a stroke is being drawn the result under the brush stays.
    bool is_drawing() const { return drawing_; }
    void set_drawing(bool drawing) { drawing_ = drawing; }

    bool sharp_marks() const { return sharp_marks_; }
    void set_sharp_marks(bool on) { set(sharp_marks_, on, Aspect::marks); }
    /// How close the person last looked, in screen pixels per picture pixel; kept between sessions.
    double close_zoom() const { return close_zoom_; }
    void set_close_zoom(double zoom) { set(close_zoom_, zoom, Aspect::close_zoom); }

    double marks_reach() const { return marks_reach_; }  ///< 0..1: how much of what is nearly sharp
    void set_marks_reach(double reach) { set(marks_reach_, reach, Aspect::marks); }
    bool quick_look() const { return quick_look_; }
    void set_quick_look(bool on) { set(quick_look_, on, Aspect::quick_look); }
    /// The next line drawn in the picture, or click, says what shall be sharp.
    bool keeping() const { return keeping_; }
    void set_keeping(bool on) { set(keeping_, on, Aspect::keeping); }

    FinishPage finish_page() const { return finish_page_; }
    void set_finish_page(FinishPage page) {
        set_finish_hand(FinishHand::none);
        set(finish_page_, page, Aspect::finish_page);
    }
    FinishHand finish_hand() const { return finish_hand_; }
    void set_finish_hand(FinishHand hand) { set(finish_hand_, hand, Aspect::finish_hand); }

    /// Whether what is in view is merged with the settings as they change, and the whole after it.
    bool look_ahead() const { return look_ahead_; }
    void set_look_ahead(bool on) { set(look_ahead_, on, Aspect::ahead); }
    bool whole_ahead() const { return whole_ahead_; }
    void set_whole_ahead(bool on) { set(whole_ahead_, on, Aspect::ahead); }

  signals:
    void changed(moorhaze::desktop::Standpoint::Aspect aspect);

  private:
    template <class Value>
    void set(Value& own, const Value& to, Aspect aspect) {
        if (own == to) return;
        own = to;
        Settling::Step settles(document_.settling());
        settles.note_aspect(aspect);
        emit changed(aspect);
    }
    void follow(const Changes& changes);

    Document& document_;
    Stage stage_ = Stage::plan;
    std::optional<FrameId> frame_;
    std::optional<ResultId> result_, compared_result_;
    Comparing comparing_;
    Partner partner_;
    LookAt look_ = LookAt::picture;
    Drift drift_ = Drift::scale;
    Brush brush_;
    bool shows_painted_ = false;
    StrokeSource source_;
    bool drawing_ = false;
    bool sharp_marks_ = false, quick_look_ = false, keeping_ = false, look_ahead_ = true, whole_ahead_ = true;
    double marks_reach_ = 0.4, close_zoom_ = 1;
    FinishPage finish_page_ = FinishPage::frame;
    FinishHand finish_hand_ = FinishHand::none;
};

}  // namespace moorhaze::desktop
