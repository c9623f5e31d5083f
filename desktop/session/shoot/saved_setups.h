// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QStringList>

#include "desktop/session/shoot/shoot_desk.h"

namespace moorhaze::desktop {

/// Setups of a shoot kept by name, for another day.
class SavedSetups : public QObject {
    Q_OBJECT
  public:
    SavedSetups(SessionBase& base, ShootDesk& desk, QObject* parent = nullptr)
        : QObject(parent), base_(base), desk_(desk) {}

    static QString folder();
    QStringList names() const;
    void save_as(const QString& name);
    void load(const QString& name);  ///< one step of undo
    void remove(const QString& name);

  signals:
    void changed();

  private:
    SessionBase& base_;
    ShootDesk& desk_;
};

}  // namespace moorhaze::desktop
