// SPDX-License-Identifier: GPL-3.0-or-later
// A project of 150 frames and 2000 strokes: how long opening and saving take, how long the window waits for
// it, what results take on disc by kind.
#include <QApplication>
#include <QElapsedTimer>
#include <QTemporaryDir>
#include <QThread>
#include <cstdio>
#include <opencv2/imgproc.hpp>
#include <tuple>

#include "core/project/merge_series.h"
#include "core/project/result_files.h"
#include "desktop/session/session.h"

namespace {

using namespace moorhaze;
using namespace moorhaze::desktop;
namespace fs = std::filesystem;

constexpr int kFrames = 150, kStrokes = 2000, kPoints = 40;
const cv::Size kSize(600, 400), kResultSize(6000, 4000);

double ms_of(const std::function<void()>& step) {
    QElapsedTimer clock;
    clock.start();
    step();
    return double(clock.nsecsElapsed()) / 1e6;
}

/// Lets the event loop run until it holds; the longest time between two of its rounds, ms.
double wait_for(const std::function<bool()>& holds) {
    double longest = 0;
    while (!holds()) {
        longest = std::max(longest, ms_of([] { QCoreApplication::processEvents(QEventLoop::AllEvents, 5); }));
        QThread::msleep(1);
    }
    return longest;
}

Stroke stroke(int number) {
    Stroke own;
    own.source = FrameId{1 + number % kFrames};
    own.radius_px = 6;
    for (int i = 0; i < kPoints; ++i) own.points.push_back({double((number + 3 * i) % 590), 5.0 + i});
    return own;
}

void print_sizes(const fs::path& folder) {
    std::printf("a result of 24 megapixels on disc:");
    for (const char* kind : {".tif", "-depth.tif", "-trust.tif", "-source.tif", "-made-by.tif", ".json"})
        std::printf("  %s %.1f MB", kind,
                    double(fs::file_size(folder / "results" / (std::string("1") + kind))) / 1e6);
    std::printf("\n");
}

/// A woven merge of few frames at full size, written and read.
void large_result(const fs::path& folder) {
    std::vector<Frame> frames;
    for (int i = 0; i < 4; ++i) {
        Picture picture{cv::Mat(kResultSize, CV_8UC3), {}, {}};
        cv::theRNG().state = std::uint64_t(i + 1);
        cv::randu(picture.pixels, 40, 200);
        cv::blur(picture.pixels, picture.pixels, {3 + 2 * i, 3 + 2 * i});
        const fs::path file = folder / ("large-" + std::to_string(i) + ".jpg");
        write_picture(file, picture, {}, {FileFormat::jpeg, 8, 95, true, {}}, {});
        frames.push_back({file, read_picture_info(file), {}, true, {}});
    }
    const Series series = make_series(frames).series;
    const Project project = with_series({}, series, {}, std::nullopt);
    const MadeFrom from = merge_inputs(project, project.frames[1].id);
    const SeriesGeometry geometry = unmoved(series, 1);
    const MergeResult result = merge_series(series, geometry, from, 0, {}, {});
    const double decoding = ms_of([&] { read_picture(frames[0].path); });
    const double writing =
        ms_of([&] { std::ignore = write_result(folder, {1}, result, geometry, from, {}, {}); });
    const ProjectResult own{{1}, "Woven 1", from, 1, false, {}, {}};
    const double reading = ms_of([&] { read_result(folder, own, {}); });
    print_sizes(folder);
    std::printf(
        "writing it %.0f ms, reading it %.0f ms: %.1f and %.1f times decoding a frame (JPEG, %.0f ms)\n",
        writing, reading, writing / decoding, reading / decoding, decoding);
}

}  // namespace

int main(int argc, char** argv) {
    if (!qEnvironmentVariableIsSet("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    const QTemporaryDir folder;
    const fs::path own = folder.path().toStdString(), frames = own / "frames";
    fs::create_directories(frames);
    for (int i = 0; i < kFrames; ++i) {
        Picture picture{cv::Mat(kSize, CV_8UC3), {}, {}};
        cv::theRNG().state = std::uint64_t(i + 1);
        cv::randu(picture.pixels, 40, 200);
        char name[32];
        std::snprintf(name, sizeof name, "f%03d.jpg", i);
        write_picture(frames / name, picture, {}, {FileFormat::jpeg, 8, 90, true, {}}, {});
    }
    Session session;
    session.autosave.set_folder(own / "unsaved");
    session.opening.open({frames});
    wait_for([&] { return session.looking.is_done() && !session.jobs.busy(); });
    Placing placing;
    placing.as_they_lie = true;
    session.aligning.set_placing(placing, QStringLiteral("as they lie"));
    MergeChoice choice = session.merging.choice();
    choice.method = "blend";
    session.merging.set_choice(choice, {});
    session.merging.merge();
    wait_for([&] { return session.document.project().results.size() == 1 && !session.jobs.busy(); });
    const ResultId result = session.document.project().results[0].id;
    session.standpoint.set_stage(Stage::plan);  // the strokes need not be rendered here
    double longest_edit = 0;
    for (int i = 0; i < kStrokes; ++i)
        longest_edit =
            std::max(longest_edit, ms_of([&] {
                         session.document.edit(QStringLiteral("draw"),
                                               with_stroke(session.document.project(), result, stroke(i)));
                     }));
    const double longest_round = wait_for([&] { return session.autosave.keeper()->is_saved(); });
    const fs::path file = session.autosave.keeper()->file();
    std::printf("%d frames, %d strokes of %d points: the project's file has %.1f MB\n", kFrames, kStrokes,
                kPoints, double(fs::file_size(file)) / 1e6);
    std::printf("longest stroke with all that follows %.1f ms, longest pause while it is saved %.1f ms\n",
                longest_edit, longest_round);
    const SavedProject saved{session.document.project(), {}, kSize};
    const double saving = ms_of([&] { save_project(file, saved); });
    double infos = 0;
    for (const ProjectFrame& frame : saved.project.frames)
        infos += ms_of([&] { read_picture_info(frame.path); });
    const double opening = ms_of([&] { open_project(file, {}); });
    std::printf(
        "saving %.0f ms, opening %.0f ms: %.1f times looking at the headers of its frames (%.0f ms)\n",
        saving, opening, opening / infos, infos);
    large_result(own);
}
