// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/series_files.h"

#include <cmath>
#include <cstdio>
#include <nlohmann/json.hpp>
#include <opencv2/imgproc.hpp>

#include "core/files/float_tiff.h"
#include "core/picture/tone_curve.h"
#include "core/work/for_rows.h"
#include "tests/support/textured.h"

namespace moorhaze::test {

Series write_series(const Scratch& scratch, const std::vector<Picture>& pictures) {
    std::vector<std::filesystem::path> files;
    for (std::size_t i = 0; i < pictures.size(); ++i) {
        char name[32];
        std::snprintf(name, sizeof name, "frame-%02d.tif", int(i) + 1);
        files.push_back(scratch / name);
        write_picture(files.back(), pictures[i], {}, {}, {});
    }
    return open_series(files, {}).series;
}

std::vector<Picture> strip_series(cv::Size size, int frames,
                                  const std::function<cv::Point2d(int, double, double)>& lie) {
    const Texture texture(11);
    const int margin = 48;
    // Blurred in the true picture first, then laid as each frame lies: what a lens does.
    cv::Mat1f truth(size.height + 2 * margin, size.width + 2 * margin);
    for_rows(truth.rows, {}, [&](int y) {
        for (int x = 0; x < truth.cols; ++x) truth(y, x) = float(texture.at(x - margin, y - margin));
    });
    std::vector<cv::Mat1f> blurred(std::size_t(frames) + 1);
    blurred[0] = truth;
    for (int off = 1; off <= frames; ++off)
        cv::GaussianBlur(truth, blurred[std::size_t(off)], {0, 0}, 1.2 * off);
    std::vector<Picture> pictures;
    for (int i = 0; i < frames; ++i) {
        const Picture picture = picture_from(size, [&](int x, int y) {
            const cv::Point2d place = lie ? lie(i, x, y) : cv::Point2d(x, y);
            const double strip = std::clamp(place.x / size.width * frames - 0.5, 0.0, frames - 1.0);
            const double off = std::abs(strip - i);
            const int below = std::min(int(off), frames - 1);
            auto value = [&](const cv::Mat1f& plane) {
                const double u = std::clamp(place.x + margin, 0.0, plane.cols - 2.0),
                             v = std::clamp(place.y + margin, 0.0, plane.rows - 2.0);
                const int left = int(u), top = int(v);
                const double across = u - left, down = v - top;
                return (1 - down) * ((1 - across) * plane(top, left) + across * plane(top, left + 1)) +
                       down * ((1 - across) * plane(top + 1, left) + across * plane(top + 1, left + 1));
            };
            // The sharp level has an exact answer at any place; the blurred ones are smooth enough to
            // interpolate.
            const double low = below == 0 ? texture.at(place.x, place.y) : value(blurred[std::size_t(below)]);
            return std::lerp(low, value(blurred[std::size_t(below) + 1]), off - below);
        });
        pictures.push_back(picture);
    }
    return pictures;
}

std::vector<Picture> edge_series(cv::Size size, int frames) {
    const Texture near_texture(21), far_texture(22);
    cv::Mat1f near(size), far(size), covers(size, 0.0f);
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x) {
            near(y, x) = float(0.5 + 0.5 * near_texture.at(x, y));
            far(y, x) = float(0.35 * far_texture.at(x, y));
        }
    covers.colRange(0, size.width / 2).setTo(1);
    auto blurred = [](const cv::Mat1f& plane, int off) {
        cv::Mat1f out = plane.clone();
        if (off > 0) cv::GaussianBlur(plane, out, {0, 0}, 1.2 * off);
        return out;
    };
    std::vector<Picture> pictures;
    for (int i = 0; i < frames; ++i) {
        const cv::Mat1f front = blurred(near, i), edge = blurred(covers, i),
                        back = blurred(far, frames - 1 - i);
        pictures.push_back(
            picture_from(size, [&](int x, int y) { return std::lerp(back(y, x), front(y, x), edge(y, x)); }));
    }
    return pictures;
}

Picture shaded_by_dust(const Picture& clean, const std::vector<DustSpot>& dust) {
    const ToneCurve curve(clean.profile);
    cv::Mat3f light = to_linear(clean, curve);
    for (const DustSpot& spot : dust)
        for (int y = 0; y < light.rows; ++y)
            for (int x = 0; x < light.cols; ++x) {
                const double from = std::hypot(x - spot.at.x, y - spot.at.y) / spot.radius_px;
                const double share = std::clamp(1.5 - from, 0.0, 1.0);
                light(y, x) *= float(1 - spot.depth * share * share * (3 - 2 * share));
            }
    return from_linear(light, curve, clean.profile);
}

cv::Point2d held_in_hand(cv::Size size, int frames, int frame, double x, double y) {
    const double scale = 1 + 0.006 * (frame - frames / 2), middle_x = size.width / 2.0,
                 middle_y = size.height / 2.0;
    return {middle_x + scale * (x - middle_x) + 3.5 * std::sin(2.1 * frame),
            middle_y + scale * (y - middle_y) + 4 * std::cos(1.7 * frame + 1)};
}

std::vector<Picture> dusty_series(cv::Size size, int frames, const std::vector<DustSpot>& dust) {
    auto pictures = strip_series(
        size, frames, [&](int i, double x, double y) { return held_in_hand(size, frames, i, x, y); });
    for (Picture& picture : pictures) picture = shaded_by_dust(picture, dust);
    return pictures;
}

Picture strip_truth(cv::Size size) {
    const Texture texture(11);
    return picture_from(size, [&](int x, int y) { return texture.at(x, y); });
}

DemoTruth open_demo(const std::string& name) {
    const auto folder = std::filesystem::path(MOORHAZE_DEMO_DIR) / name;
    DemoTruth demo;
    demo.series = open_series({folder / "frames"}, {}).series;
    demo.sharp = read_picture(folder / "truth" / "sharp.png");
    demo.depth = read_plane(folder / "truth" / "depth.tif");
    const auto truth = nlohmann::json::parse(read_all(folder / "truth" / "truth.json"));
    demo.reference = int(truth["reference"]) - 1;
    for (const auto& frame : truth["frames"]) {
        cv::Matx33d matrix;
        for (int row = 0; row < 3; ++row)
            for (int column = 0; column < 3; ++column)
                matrix(row, column) = frame["matrix"][std::size_t(row)][std::size_t(column)];
        demo.matrices.push_back(matrix);
        demo.gains.push_back(frame["gain"]);
    }
    return demo;
}

}  // namespace moorhaze::test
