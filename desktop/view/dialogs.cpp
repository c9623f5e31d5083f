// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/dialogs.h"

#include <QApplication>
#include <QDialogButtonBox>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QInputDialog>
#include <QLabel>
#include <QMessageBox>
#include <QPushButton>
#include <QScrollArea>
#include <QSettings>
#include <QVBoxLayout>

#include "core/work/memory_budget.h"
#include "core/work/scratch_file.h"
#include "desktop/session/work/text.h"
#include "desktop/view/row_list.h"
#include "desktop/view/theme.h"

namespace moorhaze::desktop {
namespace {

constexpr QSize kSaidIcon(16, 16);

const QString kFolder = QStringLiteral("last/folder");

}  // namespace

bool Dialogs::may_drop_results(const QString& title, const QString& what) {
    if (!session_.document.would_lose_work()) return true;
    QMessageBox box(QMessageBox::Question, title, what, QMessageBox::NoButton, &window_);
    auto* go_on = box.addButton(tr("Open anyway"), QMessageBox::DestructiveRole);
    box.setDefaultButton(box.addButton(tr("Stay here"), QMessageBox::RejectRole));
    box.exec();
    return box.clickedButton() == go_on;
}

QStringList Dialogs::folder_of_frames() {
    const QString folder =
        QFileDialog::getExistingDirectory(&window_, tr("Folder of one series"), last_folder());
    if (!folder.isEmpty()) remember_folder(QFileInfo(folder).absolutePath());
    return folder.isEmpty() ? QStringList() : QStringList(folder);
}

QStringList Dialogs::frames() {
    QStringList patterns;
    for (const auto& ending : picture_endings())
        patterns << QStringLiteral("*%1").arg(QString::fromStdString(ending));
    const QStringList files = QFileDialog::getOpenFileNames(
        &window_, tr("Frames of one series"), last_folder(), tr("Pictures (%1)").arg(patterns.join(' ')));
    if (!files.isEmpty()) remember_folder(QFileInfo(files[0]).absolutePath());
    return files;
}

QString Dialogs::project() {
    return QFileDialog::getOpenFileName(&window_, tr("Project to go on with"), last_folder(),
                                        tr("Projects (*%1)").arg(text(kProjectEnding)));
}

void Dialogs::keep_as() {
    if (!session_.autosave.keeper())
        return session_.notices.notify_error(
            tr("There is nothing to keep yet: open a series first (Ctrl+O)."));
    const QString name = text(session_.document.project().name);
    const QString chosen = QFileDialog::getSaveFileName(&window_, tr("Keep the project as a folder"),
                                                        QDir(last_folder()).filePath(name));
    if (chosen.isEmpty()) return;
    const QFileInfo info(chosen);
    remember_folder(info.absolutePath());
    session_.autosave.keep_as(info.absolutePath().toStdString(), info.fileName());
}

void Dialogs::find_frames() {
    const QString folder =
        QFileDialog::getExistingDirectory(&window_, tr("Folder that the frames are in now"), last_folder());
    if (!folder.isEmpty()) session_.autosave.find_frames(folder.toStdString());
}

void Dialogs::take_last_good(const QString& file, const QString& why) {
    QMessageBox box(QMessageBox::Warning, tr("The project is damaged"),
                    tr("%1\n\nTake what was saved before it? The damaged file is kept beside it.").arg(why),
                    QMessageBox::NoButton, &window_);
    auto* take = box.addButton(tr("Take the one before"), QMessageBox::AcceptRole);
    box.addButton(tr("Leave it"), QMessageBox::RejectRole);
    box.exec();
    if (box.clickedButton() != take) return;
    try {
        moorhaze::take_last_good(file.toStdString());
        session_.opening.open({file.toStdString()});
    } catch (const Error& error) {
        session_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

void Dialogs::memory() {
    constexpr int kLeast = 100, kMost = 1 << 20;
    bool taken = false;
    const int megabytes = QInputDialog::getInt(
        &window_, tr("Memory for the whole program"),
        tr("Megabytes for everything that Moorhaze keeps: frames read, pictures shown, merges. With less, "
           "merging goes strip by strip and takes longer; the results are the same. Half of this machine's "
           "is %1.\n\nScratch files in %2 hold %3 MB of merges that are not looked at; they are gone when "
           "Moorhaze ends.")
            .arg(default_memory_mb())
            .arg(QString::fromStdString(scratch_folder().string()))
            .arg((scratch_bytes_in_use() + (1 << 19)) >> 20),
        session_.memory_mb(), kLeast, kMost, 100, &taken);
    if (taken) session_.set_memory_mb(megabytes);
}

/// The dialog completes the name before it asks whether a file of that very name shall be replaced.
QString Dialogs::name_to_save(const QString& title, const QString& proposed, const QString& filter,
                              const QString& ending) {
    QFileDialog dialog(&window_, title, QFileInfo(proposed).path(), filter);
    dialog.setAcceptMode(QFileDialog::AcceptSave);
    dialog.setDefaultSuffix(ending);
    dialog.selectFile(QFileInfo(proposed).fileName());
    return dialog.exec() == QDialog::Accepted ? dialog.selectedFiles().value(0) : QString();
}

void Dialogs::save_frame() {
    const auto shown = session_.standpoint.frame();
    if (!shown) return session_.notices.notify_error(tr("There is no frame yet: open a series first."));
    const Frame& frame = session_.document.series().frames[std::size_t(session_.standpoint.place())];
    const QString proposed =
        QString::fromStdString(frame.path.stem().string()) + QStringLiteral("-single.tif");
    const QString file = name_to_save(tr("Save the frame shown"), QDir(last_folder()).filePath(proposed),
                                      tr("TIFF (*.tif);;JPEG (*.jpg);;PNG (*.png)"), QStringLiteral("tif"));
    if (file.isEmpty()) return;
    try {
        WriteSettings write;
        write.format = format_of_name(file.toStdString());
        write.bits = frame.info.bits > 8 ? 16 : 8;
        write.overwrite = true;  // the dialog asked
        write.made_with = "Moorhaze, single frame";
        session_.culling.save_frame(*shown, file.toStdString(), write);
    } catch (const Error& error) {
        session_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

void Dialogs::save_look() {
    const QString file = name_to_save(tr("Save as a look"), QStringLiteral("look.json"), tr("Looks (*.json)"),
                                      QStringLiteral("json"));
    if (file.isEmpty()) return;
    session_.finishing.save_look(file);
}

void Dialogs::use_look() {
    const QString file = QFileDialog::getOpenFileName(&window_, tr("Use a look"), {}, tr("Looks (*.json)"));
    if (!file.isEmpty()) session_.finishing.use_look(file);
}

void Dialogs::take_recipe() {
    const QString file =
        QFileDialog::getOpenFileName(&window_, tr("Take a recipe"), {}, tr("Recipes (*.json)"));
    if (!file.isEmpty()) session_.set_recipe.take(file);
}

void Dialogs::save_recipe() {
    const QString file = name_to_save(tr("Save the recipe"), QStringLiteral("recipe.json"),
                                      tr("Recipes (*.json)"), QStringLiteral("json"));
    if (file.isEmpty()) return;
    session_.set_recipe.save(file);
}

void Dialogs::watch_folder() {
    const QString folder =
        QFileDialog::getExistingDirectory(&window_, tr("Watch a folder for series"), last_folder());
    if (!folder.isEmpty()) session_.set_run.watch(folder, session_.merging.memory_mb());
}

void Dialogs::save_mask() {
    const QString proposed = text(session_.document.project().name) + QStringLiteral("-painted.png");
    const QString file =
        name_to_save(tr("Save what was painted as a mask"), QDir(last_folder()).filePath(proposed),
                     tr("PNG (*.png)"), QStringLiteral("png"));
    if (!file.isEmpty()) session_.exporter.save_mask(file);
}

void Dialogs::bring_in() {
    const QString file = QFileDialog::getOpenFileName(
        &window_, tr("Picture to draw in from"), last_folder(),
        tr("Pictures (*.tif *.tiff *.jpg *.jpeg *.png *.jxl *.heif *.heic *.dng);;All files (*)"));
    if (!file.isEmpty()) session_.bring_in.bring_in(file);
}

void Dialogs::drop_result(ResultId id) {
    const ProjectResult* result = find_result(session_.document.project(), id);
    if (!result) return;
    if (!result->is_saved() && !result->strokes.empty() &&
        QMessageBox::question(&window_, tr("Drop the result"),
                              tr("%1 has %2 strokes that were not saved. Drop it? Undo brings it back.")
                                  .arg(text(result->title))
                                  .arg(result->strokes.size())) != QMessageBox::Yes)
        return;
    session_.merging.drop(id);
}

void Dialogs::keys(const Commands& commands) {
    QMessageBox box(&window_);
    box.setWindowTitle(tr("Keys"));
    auto* sheet = new QLabel(
        commands.key_sheet() +
        tr("<br><b>Picture</b><br>Wheel: zoom around the pointer. Drag, or Space and drag: pan. Shift and "
           "wheel: "
           "step frames. Click: sounding. Right-click or S: sounding while a brush is on. V, held: flip. "
           "Shift and click with a "
           "brush: straight on from the last stroke.<br>"
           "<br><b>Without a mouse</b><br>Tab to the picture, arrow keys move the mark (Shift: farther), "
           "Return "
           "points; with a brush Return puts it down and lifts it."));
    sheet->setWordWrap(true);
    sheet->setMargin(12);
    auto* room = new QScrollArea(&box);
    room->setWidget(sheet);
    room->setWidgetResizable(true);
    room->setFixedSize(520, 560);
    static_cast<QGridLayout*>(box.layout())->addWidget(room, 0, 0, 1, 3);
    box.exec();
}

void Dialogs::said() {
    QDialog dialog(&window_);
    dialog.setObjectName(QStringLiteral("said"));
    dialog.setWindowTitle(tr("What was said"));
    dialog.resize(640, 420);
    auto* rows = new QVBoxLayout(&dialog);
    auto* list = new RowList(QStringLiteral("saidList"), tr("What was said, the newest first"),
                             {.picture = kSaidIcon, .breaks_lines = true}, &dialog);
    std::vector<ListRow> said;
    for (const Notices::Said& own : session_.notices.said()) {
        const QString times = own.times > 1 ? tr(" (%1 times)").arg(own.times) : QString();
        said.push_back(
            {.key = QString::number(said.size()),
             .words = tr("%1   %2%3").arg(own.at.toString(QStringLiteral("HH:mm:ss")), own.text, times),
             .picture = theme_pixmap(own.is_error ? QStringLiteral("circle-alert") : QStringLiteral("info"),
                                     own.is_error ? Theme::current().rowan : Theme::current().quiet,
                                     kSaidIcon.width(), dialog.devicePixelRatioF())});
    }
    if (said.empty()) said.push_back({.key = {}, .words = tr("Nothing was said yet.")});
    list->set_rows(std::move(said));
    auto* close = new QDialogButtonBox(QDialogButtonBox::Close, &dialog);
    QObject::connect(close, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    rows->addWidget(list);
    rows->addWidget(close);
    dialog.exec();
}

void Dialogs::about() {
    QMessageBox::about(
        &window_, tr("About Moorhaze"),
        tr("Moorhaze %1 merges focus-bracketed series of close-up pictures.<br><br>Icons: Lucide "
           "(ISC licence). Font: Open Sans (Apache licence 2.0).")
            .arg(QApplication::applicationVersion()));
}

/// What is under way and would end with the window, in words.
QStringList Dialogs::under_way() const {
    QStringList works;
    if (session_.merging.is_asked_for())
        works << tr("a merge (%1 %)").arg(int(100 * session_.jobs.fraction()));
    if (session_.exports.busy())
        works << tr("%1 (%2 %)").arg(session_.exports.title()).arg(int(100 * session_.exports.fraction()));
    if (session_.set_run.is_running())
        works << tr("a set of series, which goes on there when it is started again");
    const ShootState shooting = session_.shoot_desk.state();
    if (shooting == ShootState::running || shooting == ShootState::pausing || shooting == ShootState::paused)
        works << tr("a shoot");
    return works;
}

Dialogs::Unwritten Dialogs::leave_unwritten(const QString& why) {
    QMessageBox box(
        QMessageBox::Warning, tr("Leave Moorhaze"),
        tr("The project could not be written: %1 Leaving now loses what was done since.").arg(why),
        QMessageBox::NoButton, &window_);
    box.setObjectName(QStringLiteral("unwrittenQuestion"));
    auto* leave = box.addButton(tr("Leave without it"), QMessageBox::DestructiveRole);
    auto* again = box.addButton(tr("Try again"), QMessageBox::AcceptRole);
    box.setDefaultButton(box.addButton(tr("Stay here"), QMessageBox::RejectRole));
    box.exec();
    return box.clickedButton() == leave   ? Unwritten::leave
           : box.clickedButton() == again ? Unwritten::try_again
                                          : Unwritten::stay;
}

bool Dialogs::may_leave() {
    if (const QStringList works = under_way(); !works.isEmpty()) {
        QMessageBox box(QMessageBox::Question, tr("Leave Moorhaze"),
                        tr("Still under way: %1. Leaving now stops it.").arg(works.join(tr(", "))),
                        QMessageBox::NoButton, &window_);
        box.setObjectName(QStringLiteral("workQuestion"));
        auto* leave = box.addButton(tr("Stop it and leave"), QMessageBox::DestructiveRole);
        box.setDefaultButton(box.addButton(tr("Stay here"), QMessageBox::RejectRole));
        box.exec();
        if (box.clickedButton() != leave) return false;
    }
    if (!session_.document.would_lose_work()) return true;
    const bool may_copy = !session_.document.file().empty();
    const QString why = session_.autosave.in_words();
    const QString what = session_.document.would_lose_results()
                             ? tr("A result has not been exported. Leaving now drops it.")
                             : tr("What you decided here is not saved. Leaving now drops it.");
    QMessageBox box(QMessageBox::Question, tr("Leave Moorhaze"),
                    what + (why.isEmpty() ? QString() : QStringLiteral(" ") + why), QMessageBox::NoButton,
                    &window_);
    box.setObjectName(QStringLiteral("leaveQuestion"));
    auto* leave = box.addButton(tr("Leave without it"), QMessageBox::DestructiveRole);
    QPushButton* to_copy =
        may_copy ? box.addButton(tr("Keep a copy as..."), QMessageBox::AcceptRole) : nullptr;
    auto* to_export = session_.document.would_lose_results()
                          ? box.addButton(tr("Export it first"), QMessageBox::AcceptRole)
                          : nullptr;
    auto* stay = box.addButton(tr("Stay here"), QMessageBox::RejectRole);
    box.setDefaultButton(to_copy ? to_copy : to_export ? to_export : stay);
    box.exec();
    if (to_copy && box.clickedButton() == to_copy) keep_as();
    if (to_export && box.clickedButton() == to_export) session_.standpoint.set_stage(Stage::finish);
    return box.clickedButton() == leave;
}

QString Dialogs::last_folder() const {
    return settings_ ? settings_->value(kFolder).toString() : QString();
}

void Dialogs::remember_folder(const QString& folder) {
    if (settings_) settings_->setValue(kFolder, folder);
}

}  // namespace moorhaze::desktop
