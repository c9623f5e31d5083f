// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/projects/recent_projects.h"

#include <QDir>
#include <QFileInfo>
#include <QSettings>
#include <algorithm>

#include "desktop/session/work/text.h"

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

void RecentProjects::remember_in(QSettings* settings) {
    settings_ = settings;
    tell_kept();
}

void RecentProjects::tell_kept() {
    std::vector<std::filesystem::path> files;
    if (settings_)
        for (const QString& file : settings_->value(kKept).toStringList())
            files.emplace_back(file.toStdString());
    autosave_.remember_kept(files);
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
            tell_kept();
        }
    }
    emit changed();
}

void RecentProjects::look() {
    wish_.want(
        [known = autosave_.known_projects()](const Job& job) {
            std::vector<RecentProject> projects;
            for (const std::filesystem::path& file : known.files()) {
                job.checkpoint();
                projects.push_back(recent(QFileInfo(text(file.string())), known.is_unsaved(file)));
            }
            return projects;
        },
        [this](const std::vector<RecentProject>& projects) {
            found_ = projects;
            emit changed();
        },
        [](const std::exception&) {});  // what cannot be looked into is not in the list
}

std::vector<RecentProject> RecentProjects::list() const {
    std::vector<RecentProject> projects = found_;
    if (const ProjectKeeper* open = autosave_.keeper())
        std::erase_if(projects, [open](const RecentProject& own) { return own.file == open->file(); });
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
        std::erase_if(found_, [&](const RecentProject& known) { return known.file == own.file; });
    }
    emit changed();
}

}  // namespace moorhaze::desktop
