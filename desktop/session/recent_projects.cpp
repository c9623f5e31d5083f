// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/recent_projects.h"

#include <QDir>
#include <QFileInfo>
#include <QSettings>
#include <algorithm>

#include "desktop/session/text.h"

namespace moorhaze::desktop {
namespace {

constexpr int kRemembered = 20;
const QString kKept = QStringLiteral("projects/kept");

RecentProject recent(const QFileInfo& file, bool is_unsaved) {
    const QString folder = file.absolutePath();
    return {file.absoluteFilePath().toStdString(),
            file.completeBaseName(),
            file.lastModified(),
            QImage(QDir(folder).filePath(QStringLiteral("results/picture.png"))),
            is_unsaved,
            qint64(bytes_on_disc(folder.toStdString()))};
}

}  // namespace

RecentProjects::RecentProjects(Autosave& autosave, QObject* parent) : QObject(parent), autosave_(autosave) {
    connect(&autosave_, &Autosave::changed, this, &RecentProjects::note_open_one);
}

void RecentProjects::note_open_one() {
    const ProjectKeeper* keeper = autosave_.keeper();
    if (settings_ && keeper && !autosave_.is_unsaved()) {
        const QString file = text(keeper->file().string());
        QStringList kept = settings_->value(kKept).toStringList();
        if (kept.value(0) != file) {
            kept.removeAll(file);
            kept.prepend(file);
            settings_->setValue(kKept, QStringList(kept.mid(0, kRemembered)));
        }
    }
    emit changed();
}

std::vector<RecentProject> RecentProjects::list() const {
    std::vector<RecentProject> projects;
    const std::filesystem::path open = autosave_.keeper() ? autosave_.keeper()->file() : "";
    auto add = [&](const QFileInfo& file, bool is_unsaved) {
        if (file.isFile() && file.absoluteFilePath().toStdString() != open.string())
            projects.push_back(recent(file, is_unsaved));
    };
    if (settings_)
        for (const QString& file : settings_->value(kKept).toStringList()) add(QFileInfo(file), false);
    if (!autosave_.folder().empty())
        for (const QFileInfo& folder :
             QDir(text(autosave_.folder().string())).entryInfoList(QDir::Dirs | QDir::NoDotAndDotDot))
            add(QFileInfo(QDir(folder.filePath()).filePath(folder.fileName() + text(kProjectEnding))), true);
    std::stable_sort(
        projects.begin(), projects.end(),
        [](const RecentProject& one, const RecentProject& two) { return one.saved > two.saved; });
    return projects;
}

std::vector<RecentProject> RecentProjects::unsaved_older_than(int days) const {
    std::vector<RecentProject> old = list();
    const QDateTime since = QDateTime::currentDateTime().addDays(-days);
    std::erase_if(old, [&](const RecentProject& own) { return !own.is_unsaved || own.saved >= since; });
    return old;
}

void RecentProjects::remove(const std::vector<RecentProject>& projects) {
    for (const RecentProject& own : projects) {
        if (!own.is_unsaved) continue;
        std::error_code ignored;
        std::filesystem::remove_all(own.file.parent_path(), ignored);
    }
    emit changed();
}

}  // namespace moorhaze::desktop
