// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QStandardPaths>

#include "desktop/view/application.h"
#include "desktop/view/theme.h"
#include "tests/support/main.h"

namespace {

/// One application object around all tests of this program, without a screen unless one is asked for.
const bool installed = [] {
    moorhaze::test::around_all_tests() = [](int argc, char** argv, const std::function<int()>& run) {
        qputenv("QT_QPA_PLATFORM",
                qEnvironmentVariableIsSet("QT_QPA_PLATFORM") ? qgetenv("QT_QPA_PLATFORM") : "offscreen");
        QStandardPaths::setTestModeEnabled(true);
        moorhaze::desktop::Application application(argc, argv);
        QApplication::setApplicationVersion(QStringLiteral("test"));
        moorhaze::desktop::apply_theme(application, true);
        return run();
    };
    return true;
}();

}  // namespace
