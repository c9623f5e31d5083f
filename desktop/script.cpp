#include "desktop/script.h"

#include <QCoreApplication>
#include <cstdio>

#include "desktop/view/main_window.h"

namespace moorhaze::desktop {
namespace {

constexpr int kTickMs = 50, kMostMs = 600'000;
/// What follows a change is asked for in the next rounds of the event loop.
constexpr int kQuietTicks = 4;

}  // namespace

Script::Script(MainWindow& window, Steps steps) : window_(window), steps_(std::move(steps)) {
    connect(&timer_, &QTimer::timeout, this, &Script::tick);
    connect(&window_.session().jobs, &JobRunner::failed, this,
            [this](const QString& title, const QString& why) { fail(title + QStringLiteral(": ") + why); });
    connect(&window_.session().exporter, &Exporter::failed, this, &Script::fail);
    timer_.start(kTickMs);
    clock_.start();
}

void Script::tick() {
    if (failed_) return;
    if (!window_.is_settled()) {
        quiet_ = 0;
        if (clock_.elapsed() > kMostMs) fail(QStringLiteral("the work did not end within ten minutes"));
        return;
    }
    if (++quiet_ < kQuietTicks) return;
    quiet_ = 0;
    if (next_ == steps_.size()) return QCoreApplication::exit(0);
    steps_[next_++]();
}

void Script::fail(const QString& why) {
    if (failed_) return;
    failed_ = true;
    std::fprintf(stderr, "moorhaze: %s\n", qPrintable(why));
    QCoreApplication::exit(1);
}

}  // namespace moorhaze::desktop
