// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/script.h"

#include <QAction>
#include <QCoreApplication>
#include <QDoubleSpinBox>
#include <QPushButton>
#include <algorithm>
#include <cstdio>

#include "desktop/session/projects/standing.h"
#include "desktop/session/work/text.h"
#include "desktop/tray/plan_tray.h"
#include "desktop/tray/tray_parts.h"
#include "desktop/view/main_window.h"
#include "desktop/view/picture_view.h"

namespace moorhaze::desktop {
namespace {

constexpr int kTickMs = 50, kMostMs = 600'000;
/// What follows a change is asked for in the next rounds of the event loop.
constexpr int kQuietTicks = 4;

/// One line as it is done.
struct Step {
    MainWindow& window;
    Session& session;
    const QStringList& words;  ///< without the command
    std::function<void(const QString&)> fail;

    double number(int place) const { return words[place].toDouble(); }
    QPointF point(int place) const { return {number(place), number(place + 1)}; }
};

struct ScriptCommand {
    const char* name;
    const char* follows;  ///< what follows it, for a person
    int least, most;      ///< words
    bool numbers;         ///< they are all numbers
    void (*run)(const Step& step);
};

void set_method(const Step& step) {
    MergeChoice choice = step.session.merging.choice();
    choice.method = step.words[0].toStdString();
    step.session.merging.set_choice(choice, QStringLiteral("method"));
}

void show_page(const Step& step) {
    const QString& name = step.words[0];
    if (name == "snags" || name == "strokes" || name == "fill") {
        step.session.standpoint.set_stage(Stage::mend);
        return step.window
            .findChild<QPushButton*>(name == "snags"     ? "mendPage0"
                                     : name == "strokes" ? "mendPage1"
                                                         : "mendPage2")
            ->click();
    }
    static const char* const finish_pages[] = {"frame",  "light",     "colour", "detail",
                                               "ground", "hand-over", "views"};
    for (int page = 0; page < int(std::size(finish_pages)); ++page)
        if (name == finish_pages[page]) {
            step.session.standpoint.set_stage(Stage::finish);
            return step.session.standpoint.set_finish_page(FinishPage(page));
        }
    if (name != "numbers" && name != "shoot" && name != "sets" && name != "bring-in")
        return step.fail(QStringLiteral("there is no page '%1'").arg(name));
    step.session.standpoint.set_stage(Stage::plan);
    step.window.plan_tray().show_page(name == "numbers" ? PlanTray::numbers
                                      : name == "shoot" ? PlanTray::shoot
                                      : name == "sets"  ? PlanTray::sets
                                                        : PlanTray::bring_in);
}

/// What of a turntable's views is seen.
void show_views(const Step& step) {
    const QString& name = step.words[0];
    const ViewsShown shown = name == "darkest"    ? ViewsShown::darkest
                             : name == "lightest" ? ViewsShown::lightest
                             : name == "mean"     ? ViewsShown::mean
                                                  : ViewsShown::one;
    step.session.views_look.show(shown, name.toInt() - 1);
}

/// Strokes come from a result, by its place in the list.
void set_source(const Step& step) {
    const auto& results = step.session.document.project().results;
    const int number = int(step.number(0));
    if (number < 1 || number > results.size()) return step.fail(QStringLiteral("there is no such result"));
    step.session.standpoint.set_source_result(results[number - 1].id);
}

void connect_bench(const Step& step) {
    rig::BenchSettings devices;
    devices.scene = step.words[0].toStdString();
    if (step.words.value(1) == "mishaps") devices.faults = ShootDesk::practice_mishaps();
    step.session.shoot_desk.connect_devices(devices);
}

void shoot(const Step& step) {
    ShootDesk& desk = step.session.shoot_desk;
    if (step.words.size() > 1)
        QObject::connect(&desk, &ShootDesk::progress_changed, &desk, [&desk, until = step.words[1].toInt()] {
            if (desk.run().shot() >= until) desk.pause();
        });
    desk.start(step.words[0]);
}

QList<QPointF> line(const Step& step) {
    QList<QPointF> places;
    const QPointF from = step.point(0), to = step.point(2);
    for (int i = 0; i <= 20; ++i) places << from + (to - from) * (i / 20.0);
    return places;
}

void draw(const Step& step) {
    PictureView& view = step.window.picture_view();
    const QList<QPointF> places = line(step);
    emit view.stroke_began(places[0], 1);
    for (const QPointF& place : places.mid(1)) emit view.stroke_moved(place, 1);
    emit view.stroke_ended();
}

/// A drag in the picture, as with the left button.
void drag(const Step& step) {
    PictureView& view = step.window.picture_view();
    const QList<QPointF> places = line(step);
    emit view.handle_pressed(places.first(), Qt::NoModifier);
    for (const QPointF& place : places.mid(1)) emit view.handle_moved(place, Qt::NoModifier);
    if (step.words.value(4) != "hold") emit view.handle_released();
}

void click_at(const Step& step) {
    emit step.window.picture_view().handle_pressed(step.point(0), Qt::NoModifier);
    emit step.window.picture_view().handle_released();
}

void set_value(const Step& step) {
    auto* row = step.window.findChild<ValueRow*>(step.words[0]);
    if (!row) return step.fail(QStringLiteral("there is no value '%1'").arg(step.words[0]));
    row->field()->setValue(step.number(1));
}

void press(const Step& step) {
    for (const QString& key : step.words)
        for (QAction* action : step.window.actions())
            if (action->shortcuts().contains(QKeySequence(key))) action->trigger();
}

void do_command(const Step& step) {
    QAction* action = step.window.commands().action(step.words[0]);
    if (!action) return step.fail(QStringLiteral("there is no command '%1'").arg(step.words[0]));
    if (!action->isEnabled())
        return step.fail(QStringLiteral("%1 is not possible now: %2").arg(step.words[0], action->toolTip()));
    action->trigger();
}

void look(const Step& step) {
    const QString& name = step.words[0];
    if (name != "floor" && name != "depth" && name != "source" && name != "made" && name != "picture")
        return step.fail(QStringLiteral("there is no look '%1'").arg(name));
    step.session.standpoint.set_look(name == "floor"    ? LookAt::below_floor
                                     : name == "depth"  ? LookAt::depth
                                     : name == "source" ? LookAt::source
                                     : name == "made"   ? LookAt::made_by
                                                        : LookAt::picture);
}

void zoom(const Step& step) {
    PictureView& view = step.window.picture_view();
    if (step.words.size() == 3)
        view.set_zoom(step.number(0) / 100, view.to_widget(step.point(1)));
    else
        view.set_zoom(step.number(0) / 100);
}

void save(const Step& step) {
    const QString& file = step.words[0];
    Output output;
    try {
        output.format = format_of_name(file.toStdString());
    } catch (const Error& error) {
        return step.fail(QString::fromUtf8(error.what()));
    }
    if (output.format == FileFormat::jpeg) output.bits = 8;
    step.session.exporter.save(file, output, true);
}

void snapshot(const Step& step) {
    if (!step.window.grab().save(step.words[0]))
        step.fail(QStringLiteral("%1: cannot be written").arg(step.words[0]));
}

const ScriptCommand kCommands[] = {
    {"open", "FOLDER | FILES... | PROJECT", 1, 1000, false,
     [](const Step& step) { step.window.open_paths(step.words); }},
    {"demo", "NAME", 1, 1, false, [](const Step& step) { step.window.open_demo(step.words[0]); }},
    {"stage", "plan | cull | align | merge | mend | finish", 1, 1, false,
     [](const Step& step) {
         if (const auto stage = stage_named(step.words[0].toStdString()))
             step.session.standpoint.set_stage(*stage);
         else
             step.fail(QStringLiteral("there is no stage '%1'").arg(step.words[0]));
     }},
    {"page",
     "numbers | shoot | bring-in | sets | snags | strokes | fill | frame | light | colour | detail | ground "
     "| hand-over | views",
     1, 1, false, &show_page},
    {"bench", "SCENE [mishaps]", 1, 2, false, &connect_bench},
    {"marks", "NEAR_MM FAR_MM", 2, 2, true,
     [](const Step& step) { step.session.shoot_desk.set_marks(step.number(0), step.number(1)); }},
    {"drive", "MM", 1, 1, true, [](const Step& step) { step.session.shoot_desk.drive_to(step.number(0)); }},
    {"shoot", "FOLDER [PAUSE_AFTER]", 1, 2, false, &shoot},
    {"frame", "NUMBER", 1, 1, true,
     [](const Step& step) { step.session.standpoint.set_place(int(step.number(0)) - 1); }},
    {"mark-sharp", "", 0, 0, false, [](const Step& step) { step.session.standpoint.set_sharp_marks(true); }},
    {"quick", "", 0, 0, false, [](const Step& step) { step.session.standpoint.set_quick_look(true); }},
    {"keep", "X Y X Y", 4, 4, true,
     [](const Step& step) { emit step.window.picture_view().line_drawn(line(step)); }},
    {"order", "", 0, 0, false, [](const Step& step) { step.session.culling.put_in_order(); }},
    {"method", "NAME", 1, 1, false, &set_method},
    {"merge", "", 0, 0, false, [](const Step& step) { step.session.merging.merge(); }},
    {"look", "picture | floor | depth | source | made", 1, 1, false, &look},
    {"source", "NUMBER OF A RESULT", 1, 1, true, &set_source},
    {"zoom", "PERCENT [X Y]", 1, 3, true, &zoom},
    {"point", "X Y", 2, 2, true, [](const Step& step) { step.window.point_at(step.point(0), true); }},
    {"draw", "X Y X Y", 4, 4, true, &draw},
    {"drag", "X Y X Y [hold]", 4, 5, false, &drag},
    {"click", "X Y", 2, 2, true, &click_at},
    {"set", "VALUE NUMBER", 2, 2, false, &set_value},
    {"press", "KEYS...", 1, 100, false, &press},
    {"do", "COMMAND", 1, 1, false, &do_command},
    {"views", "darkest | lightest | mean | NUMBER", 1, 1, false, &show_views},
    {"run-set", "FOLDER", 1, 1, false,
     [](const Step& step) {
         step.session.set_run.set_out(step.words[0]);
         if (const QString why = step.session.set_run.why_not(); !why.isEmpty()) return step.fail(why);
         step.session.set_run.start(step.session.merging.memory_mb());
     }},
    {"keep-as", "FOLDER NAME", 2, 2, false,
     [](const Step& step) { step.session.autosave.keep_as(step.words[0].toStdString(), step.words[1]); }},
    {"say", "WORDS...", 1, 100, false,
     [](const Step& step) {
         std::printf("%s\n", qPrintable(step.words.join(' ')));
         std::fflush(stdout);
     }},
    {"save", "FILE", 1, 1, false, &save},
    {"snapshot", "FILE.png", 1, 1, false, &snapshot},
    {"quit", "", 0, 0, false, [](const Step&) { QCoreApplication::exit(0); }},
};

const ScriptCommand* command_named(const QString& name) {
    const auto found =
        std::find_if(std::begin(kCommands), std::end(kCommands),
                     [&](const ScriptCommand& own) { return name == QLatin1String(own.name); });
    return found == std::end(kCommands) ? nullptr : found;
}

QStringList words_of(const QString& line) {
    QStringList words;
    QString word;
    bool quoted = false, is_word = false;
    for (const QChar letter : line) {
        if (letter == '"') {
            quoted = !quoted;
            is_word = true;
        } else if (!quoted && letter == '#' && !is_word) {
            break;
        } else if (!quoted && letter.isSpace()) {
            if (is_word) words << std::exchange(word, {});
            is_word = false;
        } else {
            word += letter;
            is_word = true;
        }
    }
    if (is_word) words << word;
    return words;
}

[[noreturn]] void refuse(int number, const QString& why) {
    throw BadParameter("line " + std::to_string(number) + ": " + why.toStdString());
}

}  // namespace

QString Script::usage() {
    QString text;
    for (const ScriptCommand& own : kCommands)
        text += QStringLiteral("  %1 %2\n").arg(QLatin1String(own.name), QLatin1String(own.follows));
    return text;
}

std::vector<Script::Line> Script::read(const QString& text) {
    std::vector<Line> lines;
    int number = 0;
    for (const QString& own : text.split('\n')) {
        ++number;
        const QStringList words = words_of(own);
        if (words.isEmpty()) continue;
        const ScriptCommand* command = command_named(words[0]);
        if (!command)
            refuse(number, QStringLiteral("there is no '%1'. There are:\n%2").arg(words[0], usage()));
        const int count = int(words.size()) - 1;
        if (count < command->least || count > command->most)
            refuse(number, QStringLiteral("%1 takes: %2").arg(words[0], QLatin1String(command->follows)));
        for (const QString& word : words.mid(1)) {
            bool is_number = true;
            if (command->numbers) word.toDouble(&is_number);
            if (!is_number) refuse(number, QStringLiteral("'%1' is no number").arg(word));
        }
        if (words[0] == "method") try {
                merge_method(words[1].toStdString());
            } catch (const BadParameter& error) {
                refuse(number, QString::fromUtf8(error.what()));
            }
        if (words[0] == "demo" && !MainWindow::demo_names().contains(words[1]))
            refuse(number, QStringLiteral("there is no demo series '%1'. There are: %2.")
                               .arg(words[1], MainWindow::demo_names().join(QStringLiteral(", "))));
        lines.push_back({number, words});
    }
    return lines;
}

Script::Script(MainWindow& window, std::vector<Line> lines) : window_(window), lines_(std::move(lines)) {
    connect(&timer_, &QTimer::timeout, this, &Script::tick);
    for (JobRunner* lane : {&window_.session().jobs, &window_.session().exports})
        connect(lane, &JobRunner::failed, this, [this](const QString& title, const QString& why) {
            fail(title + QStringLiteral(": ") + why);
        });
    connect(&window_.session().exporter, &Exporter::failed, this, &Script::fail);
    timer_.start(kTickMs);
    clock_.start();
}

void Script::tick() {
    if (failed_) return;
    if (!window_.is_settled()) {
        quiet_ = 0;
        if (clock_.elapsed() > kMostMs) fail(QStringLiteral("the work did not end within ten minutes"));
        return;
    }
    if (++quiet_ < kQuietTicks) return;
    quiet_ = 0;
    if (next_ == lines_.size()) return timer_.stop();
    const Line& own = lines_[next_++];
    const QStringList words = own.words.mid(1);
    command_named(own.words[0])->run({window_, window_.session(), words, [this, &own](const QString& why) {
                                          fail(QStringLiteral("line %1: %2").arg(own.number).arg(why));
                                      }});
}

void Script::fail(const QString& why) {
    if (failed_) return;
    failed_ = true;
    std::fprintf(stderr, "moorhaze: %s\n", qPrintable(why));
    QCoreApplication::exit(1);
}

}  // namespace moorhaze::desktop
