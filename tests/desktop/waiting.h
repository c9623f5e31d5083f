// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QDir>
#include <QTest>
#include <algorithm>
#include <catch2/catch.hpp>
#include <cstdlib>
#include <memory>

#include "desktop/view/main_window.h"
#include "tests/support/scratch.h"

namespace moorhaze::test {

/// Times as long as usual that tests wait: sanitizers beside other work are slow (MOORHAZE_PATIENCE).
inline int patience() {
    const char* times = std::getenv("MOORHAZE_PATIENCE");
    return times ? std::max(1, std::atoi(times)) : 1;
}

/// Lets the program run until the condition holds; fails after the time.
template <class Condition>
void wait_until(const Condition& condition, int milliseconds = 120'000) {
    REQUIRE(QTest::qWaitFor(condition, milliseconds * patience()));
}

/// Until the window has nothing left to do, for some rounds of the event loop.
inline void settle(desktop::MainWindow& window) {
    int quiet = 0;
    wait_until([&] {
        quiet = window.is_settled() ? quiet + 1 : 0;
        return quiet > 5;
    });
}

/// A window as it is when the program has started, in front.
inline std::unique_ptr<desktop::MainWindow> started_window() {
    auto made = std::make_unique<desktop::MainWindow>();
    made->show();
    made->activateWindow();
    REQUIRE(QTest::qWaitForWindowActive(made.get()));
    return made;
}

/// A small real series: the demo's frames reduced to a third, so that a journey takes seconds.
inline QString small_demo(const Scratch& scratch, const char* name = "lichen-cups") {
    const QString folder = QString::fromStdString((scratch / name).string());
    QDir().mkpath(folder);
    const QDir source(QStringLiteral(MOORHAZE_DEMO_DIR "/%1/frames").arg(QLatin1String(name)));
    for (const QString& file : source.entryList(QDir::Files)) {
        Picture picture = read_picture(source.filePath(file).toStdString());
        const ShootingData data = read_shooting_data(source.filePath(file).toStdString());
        cv::Mat small(picture.height() / 3, picture.width() / 3, picture.pixels.type());
        for (int y = 0; y < small.rows; ++y)
            for (int x = 0; x < small.cols; ++x) {
                cv::Vec3i sum(0, 0, 0);
                for (int v = 0; v < 3; ++v)
                    for (int u = 0; u < 3; ++u)
                        sum += cv::Vec3i(picture.pixels.at<cv::Vec3b>(3 * y + v, 3 * x + u));
                small.at<cv::Vec3b>(y, x) =
                    cv::Vec3b(std::uint8_t(sum[0] / 9), std::uint8_t(sum[1] / 9), std::uint8_t(sum[2] / 9));
            }
        write_picture((folder + "/" + file).toStdString(), {small, {}, {}}, data,
                      {FileFormat::jpeg, 8, 95, true, {}}, {});
    }
    return folder;
}

}  // namespace moorhaze::test
