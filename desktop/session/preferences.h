// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>

class QSettings;

namespace moorhaze::desktop {

struct Session;

/// How a person likes to work, from one start to the next: memory, brush, looking ahead, reach of the sharp
/// marks. In the interface's thread.
class Preferences : public QObject {
    Q_OBJECT
  public:
    explicit Preferences(Session& session, QObject* parent = nullptr);
    /// Takes them from there, and keeps them there as they change.
    void keep_in(QSettings* settings);
    void keep();

  private:
    Session& session_;
    QSettings* settings_ = nullptr;
};

}  // namespace moorhaze::desktop
