// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/view/leaving.h"

#include <QMainWindow>

#include "desktop/view/dialogs.h"

namespace moorhaze::desktop {
namespace {

constexpr int kLookEach_ms = 30;

}  // namespace

Leaving::Leaving(QMainWindow& window, Session& session, Dialogs& dialogs)
    : window_(window), session_(session), dialogs_(dialogs) {
    timer_.setInterval(kLookEach_ms);
    connect(&timer_, &QTimer::timeout, this, &Leaving::look);
}

bool Leaving::may_close() {
    if (timer_.isActive()) return false;  // it closes by itself
    if (!was_asked_ && !dialogs_.may_leave()) return false;
    if (leaves_unwritten_ || session_.autosave.is_written()) return true;
    was_asked_ = true;
    wait();
    return false;
}

void Leaving::wait() {
    window_.centralWidget()->setEnabled(false);
    session_.notices.notify(tr("The project is being written; the window closes when it is on disc."));
    session_.autosave.write_now();
    timer_.start();
}

void Leaving::look() {
    const QString trouble = session_.autosave.trouble();
    const bool is_written = session_.autosave.is_written();
    if (!is_written && trouble.isEmpty()) return;
    timer_.stop();
    window_.centralWidget()->setEnabled(true);
    if (!is_written) {
        switch (dialogs_.leave_unwritten(trouble)) {
            case Dialogs::Unwritten::stay:
                was_asked_ = false;
                return;
            case Dialogs::Unwritten::try_again:
                return wait();
            case Dialogs::Unwritten::leave:
                leaves_unwritten_ = true;
        }
    }
    window_.close();
}

}  // namespace moorhaze::desktop
