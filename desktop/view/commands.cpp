// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/commands.h"

#include <QAction>
#include <QMenu>
#include <QPushButton>

#include "desktop/tray/tray_parts.h"

namespace moorhaze::desktop {

Commands::Commands(QWidget& window) : QObject(&window), window_(window) {}

void Commands::add(const Command& command) {
    auto* action = new QAction(command.words, &window_);
    action->setObjectName(command.id);
    QList<QKeySequence> keys;
    for (const QString& key : command.key.split(QStringLiteral(" | "), Qt::SkipEmptyParts))
        keys << QKeySequence(key);
    action->setShortcuts(keys);
    action->setToolTip(command.tip);
    action->setStatusTip(command.tip);
    action->setCheckable(bool(command.is_on));
    connect(action, &QAction::triggered, this, [this, run = command.run] {
        run();
        refresh();  // a switch shows what is, not what was clicked
    });
    window_.addAction(action);
    commands_.push_back(command);
    actions_[command.id] = action;
}

QAction* Commands::action(const QString& id) const {
    const auto found = actions_.find(id);
    return found == actions_.end() ? nullptr : found->second;
}

bool Commands::trigger(const QString& id) {
    const auto found = actions_.find(id);
    if (found == actions_.end()) return false;
    refresh();
    if (!found->second->isEnabled()) return false;
    found->second->trigger();
    return true;
}

void Commands::fill_menu(QMenu* menu, const QString& heading) const {
    for (const Command& command : commands_) {
        if (command.menu != heading) continue;
        if (command.starts_group && !menu->isEmpty()) menu->addSeparator();
        menu->addAction(action(command.id));
    }
    menu->setToolTipsVisible(true);
}

QPushButton* Commands::button(const QString& id, const QString& words, QWidget* parent) const {
    QAction* own = action(id);
    const QString key = own->shortcut().toString(QKeySequence::NativeText);
    auto* made = make_button(words.isEmpty() ? own->text() : words, key, own->toolTip(), parent);
    made->setCheckable(own->isCheckable());
    auto follow = [own, made, key] {
        made->setEnabled(own->isEnabled());
        made->setChecked(own->isChecked());
        made->setToolTip(key.isEmpty() ? own->toolTip() : QStringLiteral("%1 (%2)").arg(own->toolTip(), key));
    };
    connect(own, &QAction::changed, made, follow);
    connect(made, &QPushButton::clicked, own, [own, made] {
        made->setChecked(own->isChecked());  // until the command says otherwise
        own->trigger();
    });
    follow();
    return made;
}

void Commands::refresh() {
    for (const Command& command : commands_) {
        QAction* own = actions_[command.id];
        const QString why_not = command.why_not ? command.why_not() : QString();
        own->setEnabled(why_not.isEmpty());
        own->setToolTip(why_not.isEmpty() ? command.tip : QStringLiteral("%1. %2").arg(command.tip, why_not));
        if (command.is_on) own->setChecked(command.is_on());
    }
}

QString Commands::key_sheet() const {
    QString text;
    QString heading;
    for (const Command& command : commands_) {
        if (command.key.isEmpty()) continue;
        const QString own = command.menu.isEmpty() ? tr("Anywhere") : command.menu;
        if (own != heading) {
            text +=
                QStringLiteral("%1<b>%2</b><br>")
                    .arg(heading.isEmpty() ? QString() : QStringLiteral("<br>"), QString(own).remove('&'));
            heading = own;
        }
        text += QStringLiteral("<code>%1</code>&nbsp; %2<br>")
                    .arg(QString(command.key).toHtmlEscaped(), command.words.toHtmlEscaped());
    }
    return text;
}

}  // namespace moorhaze::desktop
