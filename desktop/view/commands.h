// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QKeySequence>
#include <QObject>
#include <QString>
#include <functional>
#include <map>
#include <vector>

class QAction;
class QMenu;
class QPushButton;
class QWidget;

namespace moorhaze::desktop {

/// Something that a person can ask for: the one place where its words, its key, and when it is possible
/// stand.
struct Command {
    QString id;     ///< "put-in-order"
    QString words;  ///< in menus; a button may use shorter ones
    QString key;    ///< as QKeySequence reads it; empty: none
    QString tip;    ///< what it does to the picture
    QString menu;   ///< heading of its menu; empty: only a key or a button
    std::function<void()> run;
    std::function<bool()> is_on;       ///< of switches; empty for others
    std::function<QString()> why_not;  ///< in a sentence; empty, or giving nothing: it is possible
    bool starts_group = false;         ///< a line in the menu above it
};

/// All commands of the window, with an action each. Menus, buttons and the sheet of keys are made from it.
class Commands : public QObject {
    Q_OBJECT
  public:
    /// @param window  that the actions belong to: their keys work wherever the focus is in it.
    explicit Commands(QWidget& window);

    void add(const Command& command);
    const std::vector<Command>& all() const { return commands_; }
    /// Null when there is no command of that name.
    QAction* action(const QString& id) const;
    /// Does what a key press does.   @return false when there is none of that name or it is not possible now.
    bool trigger(const QString& id);
    void fill_menu(QMenu* menu, const QString& heading) const;

    /// A button for a command, with its key and its tip; enabled, on and off as it is.
    /// @param words  instead of the menu's; may be empty.
    QPushButton* button(const QString& id, const QString& words, QWidget* parent) const;

    /// Brings all states up to date.
    void refresh();

    /// All keys by menu, as rich text.
    QString key_sheet() const;

  private:
    QWidget& window_;
    std::vector<Command> commands_;
    std::map<QString, QAction*> actions_;
};

}  // namespace moorhaze::desktop
