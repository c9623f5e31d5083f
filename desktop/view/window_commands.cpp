// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/window_commands.h"

#include <QCoreApplication>

#include <algorithm>

#include "desktop/session/document/facts.h"
#include "desktop/view/menu.h"
#include "desktop/view/path_bar.h"
#include "desktop/view/picture_area.h"
#include "desktop/view/picture_view.h"
#include "desktop/view/set_commands.h"
#include "desktop/view/sounding_panel.h"

namespace moorhaze::desktop {
namespace {

const char *const kSeries = "&Series", *const kEdit = "&Edit", *const kView = "&View",
                  *const kFinish = "&Finish", *const kStage = "Sta&ge", *const kHelp = "&Help";

bool is_mending(const Session& s) {
    return s.standpoint.stage() == Stage::mend;
}

bool is_shooting(const Session& s) {
    return s.standpoint.stage() == Stage::plan && s.shoot_desk.state() != ShootState::off;
}

void step_depth(Session& s, int by) {
    ShootDesk& desk = s.shoot_desk;
    if (is_shooting(s) && desk.state() == ShootState::live)
        desk.drive_by(by * std::max(0.05, desk.plan().is_possible() ? desk.plan().steps.first_step_mm : 0.5));
    else
        s.pointing.step(by);
}

void scale_brush(Session& s, double factor) {
    Brush brush = s.standpoint.brush();
    brush.radius_px = std::clamp(brush.radius_px * factor, 1.0, 1000.0);
    s.standpoint.set_brush(brush);
}

void soften_brush(Session& s, double by) {
    Brush brush = s.standpoint.brush();
    brush.softness = std::clamp(brush.softness + by, 0.0, 1.0);
    s.standpoint.set_brush(brush);
}

void add_series(Commands& commands, Session& s, const WindowSteps& steps) {
    Menu menu(commands, s, kSeries);
    menu.add("open-folder", tr("Open a folder..."), "Ctrl+O", tr("Choose the folder of one series"),
             steps.ask_for_folder);
    menu.add("open-files", tr("Open files..."), "Ctrl+Shift+O", tr("Choose the frames of one series"),
             steps.ask_for_files);
    for (int i = 0; i < steps.demos.size(); ++i)
        menu.add((i == 0 ? QByteArray("open-demo") : "open-demo-" + QByteArray::number(i + 1)).constData(),
                 tr("Open the demo %1").arg(steps.demos[i]), i == 0 ? "Ctrl+D" : "",
                 tr("Frames that come with Moorhaze"),
                 [open = steps.open_demo, name = steps.demos[i]] { open(name); });
    menu.add("open-project", tr("Open a project..."), "Ctrl+P", tr("Goes on where a project was left"),
             steps.ask_for_project);
    menu.add("begin-anew", tr("Begin anew"), "",
             tr("The open series with nothing decided or made yet; what was done stays in its project"),
             steps.begin_anew, menu.with_series());
    menu.add("close-series", tr("Close the series"), "", tr("Back to the beginning; the project is kept"),
             steps.close_series, menu.with_series());
    menu.add_line();
    menu.add("keep-as", tr("Keep the project as..."), "Ctrl+S",
             tr("Moves the project to where you want to have it; from then on it is saved there by itself"),
             steps.keep_as, menu.with_series());
    menu.add("find-frames", tr("Find the frames..."), "",
             tr("Shows Moorhaze the folder that frames of this project are in now"), steps.find_frames,
             menu.with_series());
    menu.add_line();
    menu.add(
        "align", tr("Align"), "Ctrl+L", tr("Finds how the frames lie against each other"),
        [&s] { s.aligning.align(); }, menu.with_series());
    menu.add("merge", tr("Align and merge"), "Ctrl+Return",
             tr("Aligns if needed, then merges; in Plan, the usual next step"), [&s, steps] {
                 if (s.standpoint.stage() == Stage::plan && steps.is_planning())
                     steps.next_in_plan();
                 else
                     s.merging.merge();
             });
    menu.add_line();
    menu.add("cut-series", tr("Cut before the frame shown"), "", tr("Two series instead of one"),
             [&s] { s.opening.cut_here(); },
             {{}, [&s] {
                  return !s.document.project().card_place  ? tr("Only a series that was opened can be cut.")
                         : s.document.series().count() < 2 ? tr("There is one frame only.")
                                                           : QString();
              }});
    menu.add("join-series", tr("Join with the next series"), "", tr("One series instead of two"),
             [&s] { s.opening.join_with_next(); },
             {{}, [&s] {
                  const Project& project = s.document.project();
                  return project.card_place && *project.card_place + 1 < project.card.size()
                             ? QString()
                             : tr("There is no next series.");
              }});
    menu.add_line();
    add_set_commands(menu, s, steps);
    menu.add_line();
    menu.add("save-frame", tr("Save the frame shown..."), "Ctrl+Shift+S", tr("One single frame as a picture"),
             steps.save_frame, menu.with_series());
    menu.add("export", tr("Hand over"), "Ctrl+E",
             tr("Saves the finished picture as the files that Finish lists"), steps.export_picture);
    menu.add_line();
    menu.add("quit", tr("Quit"), "Ctrl+Q", tr("Leaves Moorhaze"), steps.close);
}

void add_edit(Commands& commands, Session& s, PictureArea& area, const WindowSteps& steps) {
    PictureView& picture = area.picture();
    Menu menu(commands, s, kEdit);
    auto named = [](const std::string& words) { return words.empty() ? tr("There is nothing.") : QString(); };
    menu.add("undo", tr("Undo"), "Ctrl+Z", tr("Takes back the last step"), [&s] { s.document.undo(); },
             {{}, [&s, named] { return named(s.document.history().undo_words()); }});
    menu.add("redo", tr("Redo"), "Ctrl+Y | Ctrl+Shift+Z", tr("Does the step again that was taken back"),
             [&s] { s.document.redo(); },
             {{}, [&s, named] { return named(s.document.history().redo_words()); }});
    menu.add_line();
    menu.add(
        "toggle-use", tr("Leave out or take back the frame"), "X", tr("The frame shown"),
        [&s] {
            if (const auto frame = s.standpoint.frame()) s.culling.toggle_use(*frame);
        },
        menu.with_series());
    auto suggested = [&s](bool left) {
        if (!s.document.has_series()) return tr("Open a series first (Ctrl+O).");
        const auto list = suggestions(s);
        const bool any = std::any_of(list.begin(), list.end(),
                                     [left](const Suggestion& own) { return !left || !own.done; });
        return any ? QString() : tr("Nothing is suggested.");
    };
    menu.add("accept", tr("Leave out all that is suggested"), "A",
             tr("Leaves out every frame that is suggested; one step of undo"),
             [&s] { s.culling.accept_suggestions(); }, {{}, [suggested] { return suggested(true); }});
    menu.add("next-suggestion", tr("Next suggestion or snag"), "N",
             tr("Shows the next suggested frame; in Mend, goes to the next doubtful place of the merge"),
             [&s] { is_mending(s) ? s.snag_walk.next() : s.pointing.next_suggestion(); },
             {{}, [&s, suggested] { return is_mending(s) ? s.snag_walk.why_not() : suggested(false); }});
    menu.add("look-again", tr("Look at the frames"), "",
             tr("Goes on looking at the frames: how sharp they are, where, and in which order"),
             [&s] { s.looking.start(); },
             {{}, [&s] {
                  return !s.document.has_series()  ? tr("Open a series first (Ctrl+O).")
                         : s.looking.is_done()     ? tr("They were looked at.")
                         : !s.looking.is_stopped() ? tr("They are being looked at.")
                                                   : QString();
              }});
    const Menu::More limits{{}, [&s] {
                                return is_shooting(s) || s.document.has_series()
                                           ? QString()
                                           : tr("Open a series first (Ctrl+O).");
                            }};
    menu.add(
        "near-here", tr("Near limit here"), "[",
        tr("The frame shown becomes the nearest that is merged; while shooting, the near mark"),
        [&s] { is_shooting(s) ? s.shoot_desk.mark_near() : s.pointing.near_limit_here(); }, limits);
    menu.add(
        "far-here", tr("Far limit here"), "]",
        tr("The frame shown becomes the farthest that is merged; while shooting, the far mark"),
        [&s] { is_shooting(s) ? s.shoot_desk.mark_far() : s.pointing.far_limit_here(); }, limits);
    menu.add(
        "keep", tr("Keep what I draw across"), "K",
        tr("Draw a line in the picture across what shall be sharp: the range follows, with a frame to spare "
           "at each end. A click moves the nearer limit to the frame that is sharpest there"),
        [&s] { s.standpoint.set_keeping(!s.standpoint.keeping()); },
        {[&s] { return s.standpoint.keeping(); },
         [&s] {
             const Looked* looked = s.products.looked();
             return looked && looked->quick ? QString() : tr("The frames must have been looked at.");
         }});
    menu.add(
        "reference-here", tr("Reference frame here"), "R", tr("The frame shown becomes the reference frame"),
        [&s] {
            if (const auto frame = s.standpoint.frame()) s.culling.set_reference(*frame);
        },
        menu.with_series());
    menu.add_line();
    menu.add("put-in-order", tr("Put the frames in order"), "O",
             tr("Lays the frames from near to far, as their sharpness tells; one step of undo"),
             [&s] { s.culling.put_in_order(); },
             {{}, [&s] {
                  const Looked* looked = s.products.looked();
                  return !s.document.has_series() ? tr("Open a series first (Ctrl+O).")
                         : looked && s.products.is_looked() && !looked->order.needs_repair()
                             ? tr("They lie in order.")
                             : QString();
              }});
    menu.add(
        "turn-round", tr("Turn the order round"), "Ctrl+R", tr("The farthest frame becomes the nearest"),
        [&s] { s.culling.turn_round(); }, menu.with_series());
    auto move = [&s](int by) {
        if (const auto frame = s.standpoint.frame()) s.culling.move_frame(*frame, by);
    };
    menu.add(
        "move-farther", tr("Move the frame farther"), "Ctrl+PgUp", tr("One place towards far"),
        [move] { move(1); }, menu.with_series());
    menu.add(
        "move-nearer", tr("Move the frame nearer"), "Ctrl+PgDown", tr("One place towards near"),
        [move] { move(-1); }, menu.with_series());
    menu.add_line();
    const auto add_tool = [&](const char* id, const QString& words, const char* key, const QString& tip,
                              MendTool tool) {
        menu.add(id, words, key, tip, [&s, tool] { s.standpoint.set_tool(tool); },
                 {[&s, tool] { return s.standpoint.brush().tool == tool; }, menu.with_result().why_not});
    };
    add_tool("draw-in", tr("Draw in"), "B", tr("The brush paints the source into the merge"),
             MendTool::draw_in);
    add_tool("wipe-back", tr("Wipe back"), "E", tr("The brush paints the merge back as it was"),
             MendTool::wipe_back);
    add_tool("fade", tr("Fade to the source"), "F",
             tr("Drag a line: before its start the picture stays, beyond its end all is the source"),
             MendTool::fade);
    add_tool("take", tr("Take the thing"), "W",
             tr("Scribble over a thing: all of it comes from the source, up to its edge"), MendTool::take);
    add_tool("heal", tr("Heal"), "H",
             tr("Paint over a speck or a hair: it is covered by a place near by that is alike"),
             MendTool::heal);
    menu.add("copy-from", tr("Copy from here"), "J",
             tr("Press it over a good place: the next stroke paints what lies there"),
             [&s, &picture] {
                 s.standpoint.set_tool(MendTool::copy);
                 s.brushwork.copy_from(picture.pointed_place());
             },
             {[&s] { return s.standpoint.brush().tool == MendTool::copy; }, menu.with_result().why_not});
    menu.add("bring-in", tr("Bring in a picture to draw in from..."), "",
             tr("A picture from outside that shows the same, say the merge after another program's hand: it "
                "is laid over the result and kept with the project"),
             steps.bring_in, {{}, [&s] { return s.bring_in.why_not(); }});
    menu.add("show-painted", tr("Show what was painted"), "U",
             tr("Over the picture, in the depth colour of what each stroke brought"),
             [&s] { s.standpoint.set_shows_painted(!s.standpoint.shows_painted()); },
             {[&s] { return s.standpoint.shows_painted(); }, menu.with_result().why_not});
    menu.add("other-depth", tr("The other depth's frame"), "Tab",
             tr("Where two depths meet at the place sounded: draws in from the frame of the other one"),
             [&s] { s.pointing.pick_other(); }, {{}, [&s] { return s.pointing.why_no_other(); }});
    auto in_mend = [&s] { return is_mending(s) ? QString() : tr("In Mend."); };
    menu.add("snag-before", tr("Snag before"), "Shift+N", tr("Goes back to the doubtful place before"),
             [&s] { s.snag_walk.previous(); },
             {{}, [&s, in_mend] { return is_mending(s) ? s.snag_walk.why_not() : in_mend(); }});
    menu.add("ignore-snag", tr("Ignore the snag"), "I",
             tr("The doubtful place is not gone to again; the same key takes it back"),
             [&s] { s.snag_walk.ignore_current(); },
             {[&s] {
                  const auto at = s.snag_walk.current();
                  return at && s.snag_walk.snags()[std::size_t(*at)].ignored;
              },
              [&s, in_mend] {
                  return !is_mending(s)          ? in_mend()
                         : s.snag_walk.current() ? QString()
                                                 : tr("Go to a doubtful place first (N).");
              }});
    menu.add("snags-by-nearness", tr("Snags from each to the nearest"), "",
             tr("The list of doubtful places begins with the strongest and goes on to whatever is near; "
                "otherwise from strong to slight"),
             [&s] { s.snag_walk.set_by_nearness(!s.snag_walk.goes_by_nearness()); },
             {[&s] { return s.snag_walk.goes_by_nearness(); }, in_mend});
    menu.add("smaller-brush", tr("Smaller brush"), ",", tr("Brush size"), [&s] { scale_brush(s, 1 / 1.25); });
    menu.add("larger-brush", tr("Larger brush"), ".", tr("Brush size"), [&s] { scale_brush(s, 1.25); });
    menu.add("harder-brush", tr("Harder brush"), "<", tr("The brush's edge"),
             [&s] { soften_brush(s, -0.1); });
    menu.add("softer-brush", tr("Softer brush"), ">", tr("The brush's edge"), [&s] { soften_brush(s, 0.1); });
    menu.add("save-mask", tr("Save what was painted as a mask..."), "",
             tr("A grey PNG of the merge's size: white is all from strokes"), steps.save_mask,
             {{}, [&s] {
                  const ProjectResult* result = s.standpoint.result();
                  return result && !result->strokes.empty() ? QString() : tr("Nothing is painted yet.");
              }});
    menu.add_line();
    menu.add("memory", tr("Memory for the whole program..."), "",
             tr("Frames read, pictures shown and merges keep within so many megabytes"), steps.ask_memory);
}

/// What Finish does at once, or with the next press in the picture.
void add_finish(Commands& commands, Session& s, const WindowSteps& steps) {
    Menu menu(commands, s, kFinish);
    const auto merged = menu.with_result();
    const auto add_hand = [&](const char* id, const QString& words, const QString& tip, FinishPage page,
                              FinishHand hand) {
        menu.add(id, words, "", tip,
                 [&s, page, hand] {
                     const bool again = s.standpoint.finish_hand() == hand;
                     s.standpoint.set_stage(Stage::finish);
                     s.standpoint.set_finish_page(page);
                     s.standpoint.set_finish_hand(again ? FinishHand::none : hand);
                 },
                 {[&s, hand] { return s.standpoint.finish_hand() == hand; }, merged.why_not});
    };
    const auto add_deed = [&](const char* id, const QString& words, const QString& tip,
                              void (Finishing::*deed)()) {
        menu.add(
            id, words, "", tip, [&s, deed] { (s.finishing.*deed)(); }, merged);
    };
    add_deed("suggest-crop", tr("Take the suggested crop"),
             tr("Without empty edges and those that not every frame covers"), &Finishing::suggest_crop);
    menu.add(
        "crop-all", tr("Take all of the picture"), "", tr("Takes the crop back; the turn stays"),
        [&s] {
            s.finishing.change(tr("take all of the picture"), [](Finish& own) { own.framing.crop.reset(); });
        },
        merged);
    add_hand("level-line", tr("Level along a line"),
             tr("Draw a line in the picture along what shall be level or upright"), FinishPage::frame,
             FinishHand::level);
    menu.add_line();
    add_deed("fit-tones", tr("Fit black and white"),
             tr("Black and white point to where the picture's tones begin and end"), &Finishing::fit_tones);
    add_deed("measure-noise", tr("Measure the noise"),
             tr("Measures the noise of the picture and takes so much out"), &Finishing::measure_noise);
    add_deed(
        "correct-lens", tr("Correct the lens"),
        tr("Straight lines become straight and the light even, as far as the lens database knows the lens"),
        &Finishing::correct_lens);
    add_deed("find-fringes", tr("Bring the colours together"),
             tr("Lateral fringes: looks how far red and blue lie outwards of green, and brings them to it"),
             &Finishing::find_fringes);
    add_hand(
        "paint-sharpening", tr("Paint what is sharpened"),
        tr("The brush of Mend paints where the picture is sharpened; what is not painted stays as it is"),
        FinishPage::detail, FinishHand::sharpen);
    add_hand("unpaint-sharpening", tr("Take sharpening back"),
             tr("The brush takes back what was painted to be sharpened"), FinishPage::detail,
             FinishHand::unsharpen);
    menu.add("sharpen-everywhere", tr("Sharpen everywhere"), "",
             tr("Forgets where it was painted: all of the picture is sharpened alike"),
             [&s] { s.finish_strokes.sharpen_everywhere(); },
             {{}, [&s] {
                  return s.finishing.finish().detail.painted.empty() ? tr("Nothing is painted.") : QString();
              }});
    add_hand(
        "place-vignette", tr("Place the middle of the corners' light"),
        tr("Click where the light of the corners has its middle: they are lighter or darker from there on"),
        FinishPage::light, FinishHand::vignette);
    add_hand("pick-grey", tr("Pick a grey"),
             tr("Click something grey in the picture: warmth and tint follow"), FinishPage::colour,
             FinishHand::grey);
    menu.add(
        "as-shot-white", tr("White as shot"), "", tr("Warmth and tint as the frames have them"),
        [&s] {
            s.finishing.change(tr("take the white as shot"), [](Finish& own) {
                own.light.warmth_k = kNeutralWarmth;
                own.light.violet = 0;
            });
        },
        merged);
    add_hand("pick-ground", tr("Pick the ground"),
             tr("Click the backdrop: all that is connected with it becomes white"), FinishPage::ground,
             FinishHand::ground);
    menu.add_line();
    menu.add(
        "copy-finish", tr("Copy the finish"), "Ctrl+Shift+C",
        tr("Light, tones, colour and detail, for another series"), [&s] { s.finishing.copy(); }, merged);
    menu.add(
        "paste-finish", tr("Paste the finish"), "Ctrl+Shift+V",
        tr("What was copied in another series; frame and ground stay"), [&s] { s.finishing.paste(); },
        menu.with_series());
    menu.add("save-look", tr("Save as a look..."), "",
             tr("Light, tones, colour and detail under a name, for other pictures"), steps.save_look,
             menu.with_series());
    menu.add("use-look", tr("Use a look..."), "", tr("A look that was saved; frame and ground stay"),
             steps.use_look, menu.with_series());
    add_deed("reset-finish", tr("Reset the finish"),
             tr("The picture as it was merged and mended; undo brings it back"), &Finishing::reset_all);
}

void add_view(Commands& commands, Session& s, PictureArea& area, const WindowSteps& steps) {
    Menu menu(commands, s, kView);
    PictureView& picture = area.picture();
    menu.add("fit", tr("Fit the window"), "Ctrl+0", tr("The whole picture"), [&picture] { picture.fit(); });
    menu.add("zoom-100", tr("100 %"), "Ctrl+1", tr("A picture pixel on each screen pixel"),
             [&picture] { picture.set_zoom(1); });
    menu.add("zoom-200", tr("200 %"), "Ctrl+2", tr("Twice the size"), [&picture] { picture.set_zoom(2); });
    menu.add("look-close", tr("Look close, and back"), "D",
             tr("From the whole picture to the zoom of the last close look, at the pointer, and back"),
             [&picture, &s] { picture.look_close(s.standpoint.close_zoom()); });
    menu.add("closer", tr("Closer"), "+", tr("Zooms in"),
             [&picture] { picture.set_zoom(picture.zoom() * 1.414213562); });
    menu.add("farther-away", tr("Farther away"), "-", tr("Zooms out"),
             [&picture] { picture.set_zoom(picture.zoom() / 1.414213562); });
    menu.add_line();
    menu.add("step-farther", tr("Next frame, farther"), "PgUp",
             tr("One frame towards far, in Mend as the source; in live view, drives the plane of focus"),
             [&s] { step_depth(s, 1); });
    menu.add("step-nearer", tr("Next frame, nearer"), "PgDown",
             tr("One frame towards near, in Mend as the source; in live view, drives the plane of focus"),
             [&s] { step_depth(s, -1); });
    Standpoint& stand = s.standpoint;
    menu.add("sharp-marks", tr("Mark what is sharp"), "M",
             tr("Paints over what is sharp in the frame shown, in Plan and Cull"),
             [&stand] { stand.set_sharp_marks(!stand.sharp_marks()); },
             {[&stand] { return stand.sharp_marks(); }});
    menu.add("quick-look", tr("Quick merge of the range"), "Q",
             tr("What the range will look like, at screen size; follows the handles, in Cull"),
             [&stand] { stand.set_quick_look(!stand.quick_look()); },
             {[&stand] { return stand.quick_look(); },
              [&s] {
                  const Looked* looked = s.products.looked();
                  return looked && looked->quick ? QString() : tr("The frames must have been looked at.");
              }});
    menu.add_line();
    auto add_comparing = [&](const char* id, const QString& words, const char* key, const QString& tip,
                             bool Comparing::*way) {
        menu.add(id, words, key, tip, [&stand, way] { stand.compare(way, !(stand.comparing().*way)); },
                 {[&stand, way] { return stand.comparing().*way; }});
    };
    add_comparing("curtain", tr("Curtain"), "C", tr("Two pictures either side of a line that can be dragged"),
                  &Comparing::curtain);
    add_comparing("blink", tr("Blink"), "Y",
                  tr("Shows both pictures in turn, twice a second; what jumps does not lie on itself"),
                  &Comparing::blink);
    add_comparing("twin", tr("Twin"), "T", tr("Two pictures side by side, at the same place and zoom"),
                  &Comparing::twin);
    add_comparing("edges", tr("Tinted edges"), "G",
                  tr("In Align: edges of two frames in two colours, white where they coincide"),
                  &Comparing::edges);
    add_comparing("as-shot", tr("As shot, before aligning"), "",
                  tr("In Align: the frames where they lay when they were shot"), &Comparing::as_shot);
    menu.add("points", tr("Set matching points"), "P",
             tr("For a stubborn pair: show the same detail in both frames, at two or more places"),
             [&s] {
                 Comparing to = s.standpoint.comparing();
                 to.points = !to.points;
                 if (to.points) s.standpoint.set_stage(Stage::align);
                 if (!to.points) s.match_points.forget_waiting();
                 s.standpoint.set_comparing(to);
             },
             {[&stand] { return stand.comparing().points; }, menu.with_series().why_not});
    menu.add_line();
    menu.add(
        "look-ahead", tr("Look ahead"), "L",
        tr("In Merge: what is in view at 50 % and more is tried with the settings as they change; the result "
           "itself stays until you merge"),
        [&stand] { stand.set_look_ahead(!stand.look_ahead()); }, {[&stand] { return stand.look_ahead(); }});
    menu.add(
        "whole-ahead", tr("Merge the whole ahead, too"), "",
        tr("When what is in view has been tried and no setting is moved for a while, the whole is merged in "
           "the background; it makes way for whatever else is asked for"),
        [&stand] { stand.set_whole_ahead(!stand.whole_ahead()); },
        {[&stand] { return stand.whole_ahead(); },
         [&stand] { return stand.look_ahead() ? QString() : tr("Switch Look ahead on first (L)."); }});
    menu.add_line();
    menu.add("light-look", tr("Light look"), "", tr("Dark letters on light ground, from the next start on"),
             steps.switch_light, {steps.is_light_next, {}});
    menu.add("tray", tr("Tray"), "F9", tr("Folds the tray away or back"), steps.fold_tray,
             {steps.is_tray_open});
    Menu stages(commands, s, kStage);
    static const char* const ids[] = {"stage-1", "stage-2", "stage-3", "stage-4", "stage-5", "stage-6"};
    static const char* const keys[] = {"Alt+1", "Alt+2", "Alt+3", "Alt+4", "Alt+5", "Alt+6"};
    for (int i = 0; i < kStageCount; ++i)
        stages.add(ids[i], PathBar::name(Stage(i)), keys[i], tr("Goes to this stage"),
                   [&s, i] { s.standpoint.set_stage(Stage(i)); });
}

void add_rest(Commands& commands, Session& s, PictureArea& area, const WindowSteps& steps) {
    Menu help(commands, s, kHelp);
    help.add("keys", tr("Keys"), "F1", tr("What the keys do"), steps.show_keys);
    help.add("said", tr("What was said"), "", tr("The messages of this session, the newest first"),
             steps.show_said);
    help.add("about", tr("About Moorhaze"), "", tr("What this is"), steps.show_about);
    Menu keys(commands, s, nullptr);
    static const char* const ids[] = {"patch-1", "patch-2", "patch-3", "patch-4",
                                      "patch-5", "patch-6", "patch-7"};
    static const char* const digits[] = {"1", "2", "3", "4", "5", "6", "7"};
    for (int i = 0; i < Sounding::kPatches; ++i)
        keys.add(ids[i], tr("Patch %1 of the sounding").arg(i + 1), digits[i], tr("Picks its frame"),
                 [&area, i] { area.panel().choose(i + 1); },
                 {{}, [&s] { return s.sounding.is_open() ? QString() : tr("Drop a sounding first."); }});
    keys.add("escape", tr("Close the sounding or the message, stop the job"), "Esc",
             tr("One after the other"), steps.escape);
}

}  // namespace

QStringList menu_headings() {
    return {tr(kSeries), tr(kEdit), tr(kView), tr(kFinish), tr(kStage), tr(kHelp)};
}

void add_window_commands(Commands& commands, Session& session, PictureArea& area, const WindowSteps& steps) {
    add_series(commands, session, steps);
    add_edit(commands, session, area, steps);
    add_view(commands, session, area, steps);
    add_finish(commands, session, steps);
    add_rest(commands, session, area, steps);
}

}  // namespace moorhaze::desktop
