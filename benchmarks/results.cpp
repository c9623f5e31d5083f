// SPDX-License-Identifier: GPL-3.0-or-later
// Memory and waiting while ten results of 24 megapixels are merged and shown one after the other.
#include <sys/resource.h>
#include <unistd.h>

#include <QApplication>
#include <QElapsedTimer>
#include <QTemporaryDir>
#include <QThread>
#include <cstdio>
#include <fstream>

#include "desktop/session/session.h"

namespace {

using namespace moorhaze;
using namespace moorhaze::desktop;

constexpr int kFrames = 4, kResults = 10;
const cv::Size kSize(6000, 4000);

double peak_mb() {
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return double(usage.ru_maxrss) / 1024;
}

/// Memory in use now: all of it, and the part that is not merely a file's pages.
std::pair<double, double> now_mb() {
    std::ifstream statm("/proc/self/statm");
    double size = 0, resident = 0, shared = 0;
    statm >> size >> resident >> shared;
    const double page = double(sysconf(_SC_PAGESIZE)) / (1 << 20);
    return {resident * page, (resident - shared) * page};
}

/// Lets the event loop run until it holds; the longest time between two of its rounds, ms.
double wait_for(const std::function<bool()>& holds) {
    QElapsedTimer round;
    double longest = 0;
    while (!holds()) {
        round.start();
        QCoreApplication::processEvents(QEventLoop::AllEvents, 5);
        longest = std::max(longest, double(round.nsecsElapsed()) / 1e6);
        QThread::msleep(1);
    }
    return longest;
}

}  // namespace

int main(int argc, char** argv) {
    if (!qEnvironmentVariableIsSet("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    const QTemporaryDir folder;
    for (int i = 0; i < kFrames; ++i) {
        Picture picture{cv::Mat(kSize, CV_8UC3), {}, {}};
        cv::theRNG().state = std::uint64_t(i + 1);
        cv::randu(picture.pixels, 40, 200);
        WriteSettings write;
        write.format = FileFormat::jpeg;
        write.bits = 8;
        write_picture(folder.filePath(QStringLiteral("f%1.jpg").arg(i)).toStdString(), picture, {}, write,
                      {});
    }
    Session session;
    session.opening.open({folder.path().toStdString()});
    wait_for([&] { return session.looking.is_done() && !session.jobs.busy(); });
    Placing placing;
    placing.as_they_lie = true;
    session.aligning.set_placing(placing, QStringLiteral("as they lie"));
    double longest = 0;
    for (int i = 0; i < kResults; ++i) {
        MergeChoice choice = session.merging.choice();
        choice.method = "depth";
        choice.settings.seam_width_px = 1 + i;
        session.merging.set_choice(choice, {});
        session.merging.merge();
        longest =
            std::max(longest, wait_for([&] {
                         return session.document.project().results.size() == i + 1 && !session.jobs.busy();
                     }));
        const auto [all, own] = now_mb();
        std::printf("result %2d merged: %5.0f MB in memory, %5.0f MB without pages of files\n", i + 1, all,
                    own);
    }
    std::printf("peak while merging %.0f MB, longest pause of the interface %.0f ms\n", peak_mb(), longest);
    longest = 0;
    for (const ProjectResult& result : session.document.project().results) {
        session.standpoint.set_result(result.id);
        longest = std::max(longest, wait_for([&] { return session.brushwork.is_settled(); }));
        const auto [all, own] = now_mb();
        std::printf(
            "result %2d shown: %5.0f MB in memory, %5.0f MB without pages of files, %4.0f MB of pictures\n",
            result.id.value, all, own, double(session.store.bytes()) / (1 << 20));
    }
    std::printf("peak %.0f MB, longest pause of the interface %.0f ms\n", peak_mb(), longest);
}
