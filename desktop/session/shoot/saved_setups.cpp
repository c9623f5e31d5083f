// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shoot/saved_setups.h"

#include <QDir>
#include <QFileInfo>
#include <QRegularExpression>
#include <QStandardPaths>

namespace moorhaze::desktop {

QString SavedSetups::folder() {
    return QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation))
        .filePath(QStringLiteral("setups"));
}

QStringList SavedSetups::names() const {
    QStringList names;
    for (const QFileInfo& file :
         QDir(folder()).entryInfoList({QStringLiteral("*.json")}, QDir::Files, QDir::Name))
        names << file.completeBaseName();
    return names;
}

void SavedSetups::save_as(const QString& name) {
    QString plain = name.trimmed();
    plain.replace(QRegularExpression(QStringLiteral("[/\\\\\\x00-\\x1f]")), QStringLiteral("-"));
    while (plain.startsWith('.')) plain.remove(0, 1);
    if (plain.isEmpty()) return base_.notices.notify_error(tr("Type a name for the setup first."));
    QDir().mkpath(folder());
    try {
        save_setup(QDir(folder()).filePath(plain + QStringLiteral(".json")).toStdString(), desk_.setup());
        base_.notices.notify(tr("Setup \"%1\" saved.").arg(plain));
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
    emit changed();
}

void SavedSetups::load(const QString& name) {
    try {
        desk_.set_setup(load_setup(QDir(folder()).filePath(name + QStringLiteral(".json")).toStdString()),
                        tr("setup %1").arg(name));
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

void SavedSetups::remove(const QString& name) {
    if (QFile::remove(QDir(folder()).filePath(name + QStringLiteral(".json"))))
        base_.notices.notify(tr("Setup \"%1\" removed.").arg(name));
    emit changed();
}

}  // namespace moorhaze::desktop
