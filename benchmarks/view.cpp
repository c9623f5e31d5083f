// SPDX-License-Identifier: GPL-3.0-or-later
// Time to paint a frame of the view while a picture of 24 megapixels is panned and zoomed.
#include <QApplication>
#include <QElapsedTimer>
#include <QImage>
#include <algorithm>
#include <cstdio>

#include "desktop/view/picture_view.h"
#include "desktop/view/theme.h"

namespace {

using namespace moorhaze;
using namespace moorhaze::desktop;

void measure(PictureView& view, const char* what, const std::function<void(int)>& step) {
    std::vector<double> times;
    QImage screen(view.size(), QImage::Format_RGB32);
    for (int i = 0; i < 120; ++i) {
        step(i);
        QElapsedTimer clock;
        clock.start();
        view.render(&screen);
        times.push_back(double(clock.nsecsElapsed()) / 1e6);
    }
    std::sort(times.begin(), times.end());
    std::printf("%-34s median %6.2f ms, worst %6.2f ms\n", what, times[60], times.back());
}

}  // namespace

int main(int argc, char** argv) {
    if (!qEnvironmentVariableIsSet("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    apply_theme(application, true);
    Picture picture{cv::Mat(4000, 6000, CV_8UC3), {}, {}};
    cv::randu(picture.pixels, 0, 255);
    const auto display = std::make_shared<DisplayPicture>(display_levels(picture, {}), QPoint());
    for (const QSize size : {QSize(896, 726), QSize(2240, 1300)}) {
        PictureView view;
        view.resize(size);
        view.set_plane({6000, 4000});
        view.set_picture(display, {});
        view.set_other(display, {});
        view.show();
        std::printf("view %dx%d\n", size.width(), size.height());
        view.set_zoom(1);
        measure(view, "pan at 100 %", [&](int i) {
            view.show_place({double(300 + 45 * i), double(300 + 28 * i)});
        });
        view.set_zoom(0.37);
        measure(view, "pan at 37 %", [&](int i) {
            view.show_place({double(300 + 45 * i), double(300 + 28 * i)});
        });
        measure(view, "zoom from 15 to 400 %",
                [&](int i) { view.set_zoom(0.15 * std::pow(4 / 0.15, i / 120.0)); });
        view.set_curtain(true);
        view.set_zoom(0.6);
        measure(view, "curtain dragged at 60 %", [&](int i) { view.set_curtain_place(i / 120.0); });
    }
    return 0;
}
