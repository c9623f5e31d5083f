// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/document/document.h"
#include "desktop/session/document/products.h"
#include "desktop/session/document/standpoint.h"
#include "desktop/session/work/derived.h"
#include "desktop/session/work/job_runner.h"
#include "desktop/session/work/notices.h"

namespace moorhaze::desktop {

/// What every controller works on: what was decided, what was made of it, where the person stands, what they
/// are notified of, and the work they asked for.
struct SessionBase {
    /// How asked-for work ended, where it did not come to its end, is said in one place.
    SessionBase() {
        QObject::connect(&document.settling(), &Settling::settled, &derived, &DerivedTable::follow);
        QObject::connect(&derived, &DerivedTable::failed, &notices,
                         [this](const QString& what) { notices.notify_error(what); });
        for (JobRunner* lane : {&jobs, &exports})
            QObject::connect(lane, &JobRunner::failed, &notices,
                             [this](const QString& title, const QString& why) {
                                 notices.notify_error(QStringLiteral("%1: %2").arg(title, why));
                             });
        QObject::connect(&jobs, &JobRunner::cancelled, &notices, [this](const QString& title) {
            notices.notify(QStringLiteral("%1 stopped; nothing was changed.").arg(title));
        });
        QObject::connect(&exports, &JobRunner::cancelled, &notices, [this](const QString& title) {
            notices.notify(QStringLiteral("%1 stopped; files that were whole by then are there.").arg(title));
        });
        QObject::connect(&exports, &JobRunner::dropped, &notices, [this](const QString& title) {
            notices.notify_error(QStringLiteral("%1 was waiting and is not done.").arg(title));
        });
    }

    Notices notices;
    /// Work on the open series: read, look, align, merge. Opening another one takes its place.
    JobRunner jobs{[this] { return document.id().value; }};
    /// Pictures that leave. Each works on what it was given when it was asked for, so that opening another
    /// series, or going on with this one, leaves it alone.
    JobRunner exports;
    Document document;
    Products products{document};
    Standpoint standpoint{document};
    DerivedTable derived;
};

}  // namespace moorhaze::desktop
