// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QTimer>

class QMainWindow;

namespace moorhaze::desktop {

class Dialogs;
struct Session;

/// How a window ends: what would be lost is asked about once; then it stays until the project is on disc, so
/// that what cannot be written is said to somebody.
class Leaving : public QObject {
    Q_OBJECT
  public:
    Leaving(QMainWindow& window, Session& session, Dialogs& dialogs);

    /// Whether the window may close now. If not, the person wants to stay, or it is closed from here as soon
    /// as all is written.
    bool may_close();

  private:
    void wait();
    void look();

    QMainWindow& window_;
    Session& session_;
    Dialogs& dialogs_;
    QTimer timer_;  ///< runs while something is being written
    bool was_asked_ = false, leaves_unwritten_ = false;
};

}  // namespace moorhaze::desktop
