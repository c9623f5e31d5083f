// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/recent_menu.h"

#include <QCoreApplication>
#include <QMenu>

#include "desktop/session/projects/recent_projects.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

constexpr int kMostInMenu = 10;

QString menu_words(const char* text) {
    return QCoreApplication::translate("RecentMenu", text);
}

}  // namespace

void add_recent_menu(RecentProjects& projects, QMenu& menu, const std::function<void(const QString&)>& open) {
    auto* lately = new QMenu(menu_words("Worked on lately"), &menu);
    lately->setObjectName(QStringLiteral("recentMenu"));
    lately->setToolTipsVisible(true);
    menu.insertMenu(menu.actions().value(1), lately);
    const auto fill = [lately, open, &projects] {
        lately->clear();
        for (const RecentProject& own : projects.list()) {
            if (lately->actions().size() == kMostInMenu) break;
            QAction* action = lately->addAction(
                menu_words("%1, %2").arg(own.name, own.saved.toString(menu_words("d MMM HH:mm"))));
            action->setToolTip(text(own.file.parent_path().string()));
            QObject::connect(action, &QAction::triggered, lately,
                             [open, file = text(own.file.string())] { open(file); });
        }
        if (lately->isEmpty()) lately->addAction(menu_words("There is none."))->setEnabled(false);
    };
    QObject::connect(&menu, &QMenu::aboutToShow, lately, [&projects] { projects.look(); });
    QObject::connect(&projects, &RecentProjects::changed, lately, fill);
    fill();
}

}  // namespace moorhaze::desktop
