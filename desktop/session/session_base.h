// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/document.h"
#include "desktop/session/job_runner.h"
#include "desktop/session/notices.h"
#include "desktop/session/products.h"
#include "desktop/session/standpoint.h"

namespace moorhaze::desktop {

/// What every controller works on: what was decided, what was made of it, where the person stands, what they
/// are notified of, and the work they asked for.
struct SessionBase {
    /// How asked-for work ended, where it did not come to its end, is said in one place.
    SessionBase() {
        QObject::connect(&jobs, &JobRunner::failed, &notices,
                         [this](const QString& title, const QString& why) {
                             notices.notify_error(QStringLiteral("%1: %2").arg(title, why));
                         });
        QObject::connect(&jobs, &JobRunner::cancelled, &notices, [this](const QString& title) {
            notices.notify(QStringLiteral("%1 stopped; nothing was changed.").arg(title));
        });
    }

    Notices notices;
    JobRunner jobs;
    Document document;
    Products products{document};
    Standpoint standpoint{document};
};

}  // namespace moorhaze::desktop
