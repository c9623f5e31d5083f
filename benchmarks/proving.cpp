// SPDX-License-Identifier: GPL-3.0-or-later
// The proving ground: merges of random scenes against their truth, against textbook methods on two geometries
// and against the best choice of single frames.
// Settings are chosen on seeds below 100; what is reported comes from seeds of 100 and more.
//   moorhaze-proving FIRST-LAST [WIDTHxHEIGHT] [FOLDER] [woven,depth,pyramid,linear,textbook,snags,person]
// Series are simulated once and kept in the folder: empty it when the rig's random scenes have changed.
// Series that others made are read beside them, where the folder has one of the seed's number: NUMBER/frames,
// and NUMBER/truth with truth.png, valid.png, depth.npy (0 nearest to 1) and truth.json (of each frame its
// file, the depth in focus, and the matrix to reference pixels at that depth). With "-" for the size only
// those are. With PROVING_PICTURES=FOLDER in the environment, merges and their depths are written there.
#include <algorithm>
#include <cstdio>
#include <cstring>
#include <fstream>
#include <iterator>
#include <map>
#include <nlohmann/json.hpp>
#include <numeric>
#include <opencv2/imgproc.hpp>

#include "core/files/float_tiff.h"
#include "core/mend/mended.h"
#include "core/mend/snags.h"
#include "core/merge/accumulated.h"
#include "core/merge/depth_edges.h"
#include "core/merge/sharp_frames.h"
#include "core/project/align_series.h"
#include "core/project/edits.h"
#include "core/project/look_into.h"
#include "core/project/merge_series.h"
#include "rig/simulate.h"
#include "tests/support/measures.h"
#include "tests/support/textbook.h"

namespace {

using namespace moorhaze;
namespace fs = std::filesystem;

constexpr int kEdge_px = 16, kHighlight_px = 30, kBorder_px = 24;
constexpr double kEdgeStep = 1.5;  // frames of depth between neighbouring pixels

rig::SimulateSettings settings_of(std::uint32_t seed, cv::Size size) {
    rig::SimulateSettings settings;
    settings.scene = "random";
    settings.seed = seed;
    settings.width_px = size.width;
    settings.height_px = size.height;
    settings.noise = seed % 6 == 4 ? 2.0 : (seed / 6) % 3 * 0.4;
    settings.tiff = seed / 6 % 4 == 0;
    settings.jpeg_quality = 85 + int(seed % 16);
    settings.rays = {6, 40, 0.02f};
    return settings;
}

/// What the rig knows of a series.
struct Truth {
    Series series;
    cv::Mat1f luma;
    int reference = 0;
    std::vector<cv::Matx33d> matrices;
    cv::Mat1f depth;  ///< frame numbers from 1; of the backdrop far behind all
    cv::Mat1b inside, edges, highlights, flat, textured;
    cv::Mat1f from_edge_px;  ///< distance of the nearest depth edge
};

cv::Mat1b within(const cv::Mat1b& places, int radius_px) {
    cv::Mat1b grown;
    cv::dilate(places, grown,
               cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * radius_px + 1, 2 * radius_px + 1}));
    return grown;
}

cv::Matx33d matrix_of(const nlohmann::json& json) {
    cv::Matx33d matrix;
    for (int y = 0; y < 3; ++y)
        for (int x = 0; x < 3; ++x) matrix(y, x) = json[std::size_t(y)][std::size_t(x)];
    return matrix;
}

nlohmann::json json_in(const fs::path& file) {
    std::ifstream in(file);
    return nlohmann::json::parse(in);
}

/// A plane of little-endian floats in NumPy's format, version 1.0 (numpy.lib.format, its documentation).
cv::Mat1f plane_in_npy(const fs::path& file, cv::Size size) {
    constexpr std::size_t kBeforeHeader = 10;
    std::ifstream in(file, std::ios::binary);
    const std::string bytes(std::istreambuf_iterator<char>(in), {});
    if (bytes.size() < kBeforeHeader || bytes.compare(0, 8, "\x93NUMPY\x01\0", 8) != 0)
        throw FileError(file.string() + ": is no plane in NumPy's format, version 1.0");
    const std::size_t begin =
        kBeforeHeader + std::size_t(uchar(bytes[8])) + 256 * std::size_t(uchar(bytes[9]));
    const std::string header = bytes.substr(kBeforeHeader, begin - kBeforeHeader);
    const std::string shape = "(" + std::to_string(size.height) + ", " + std::to_string(size.width) + ")";
    cv::Mat1f plane(size);
    if (header.find("'<f4'") == std::string::npos || header.find("False") == std::string::npos ||
        header.find(shape) == std::string::npos || bytes.size() != begin + plane.total() * sizeof(float))
        throw FileError(file.string() + ": is no plane of floats of the picture's size");
    std::memcpy(plane.data, bytes.data() + begin, plane.total() * sizeof(float));
    return plane;
}

/// What follows from picture and depth.
/// @param depth  frame numbers from 1; of backdrops far behind all, or no number.
Truth judged(Truth truth, const Picture& sharp, const cv::Mat1f& depth) {
    truth.luma = test::luma_of(sharp);
    // Backdrops lie far behind all frames: their edge is an edge, too.
    cv::Mat1f held = cv::min(depth, double(truth.series.count()) + 4);
    cv::patchNaNs(held, double(truth.series.count()) + 4);
    cv::Mat most, least;
    cv::dilate(held, most, cv::Mat());
    cv::erode(held, least, cv::Mat());
    const cv::Mat1b steps = most - least > kEdgeStep;
    truth.edges = within(steps, kEdge_px);
    cv::distanceTransform(~steps, truth.from_edge_px, cv::DIST_L2, 5);
    truth.depth = held;
    cv::Mat channels[3];
    cv::split(sharp.pixels, channels);
    const double full = sharp.bits() == 16 ? 65535 : 255;
    cv::Mat1b clipped = channels[0] > 0.985 * full;
    for (int k = 1; k < 3; ++k) clipped |= channels[k] > 0.985 * full;
    truth.highlights = within(clipped, kHighlight_px);
    cv::Mat1f mean, square;
    cv::GaussianBlur(truth.luma, mean, {0, 0}, 4);
    cv::GaussianBlur(truth.luma.mul(truth.luma), square, {0, 0}, 4);
    const cv::Mat1b calm = square - mean.mul(mean) < 0.004 * 0.004;
    truth.inside = cv::Mat1b(truth.luma.size(), uchar(0));
    truth.inside(cv::Rect(kBorder_px, kBorder_px, truth.luma.cols - 2 * kBorder_px,
                          truth.luma.rows - 2 * kBorder_px)) = 255;
    truth.highlights &= truth.inside;
    truth.edges &= truth.inside & ~truth.highlights;
    truth.flat = calm & truth.inside & ~truth.edges & ~truth.highlights;
    truth.textured = truth.inside & ~truth.edges & ~truth.highlights & ~truth.flat;
    return truth;
}

Truth truth_of_rig(const fs::path& folder) {
    Truth truth;
    truth.series = open_series({folder / "frames"}, {}).series;
    const auto json = json_in(folder / "truth" / "truth.json");
    truth.reference = json["reference"].get<int>() - 1;
    for (const auto& frame : json["frames"]) truth.matrices.push_back(matrix_of(frame["matrix"]));
    return judged(std::move(truth), read_picture(folder / "truth" / "sharp.tif"),
                  read_plane(folder / "truth" / "depth.tif"));
}

/// A series of somebody else's.
Truth truth_of_other(const fs::path& folder) {
    Truth truth;
    truth.series = open_series({folder / "frames"}, {}).series;
    const auto json = json_in(folder / "truth" / "truth.json");
    std::vector<float> focus;
    for (std::size_t i = 0; i < json["frames"].size(); ++i) {
        const auto& frame = json["frames"][i];
        focus.push_back(frame["focus"]);
        truth.matrices.push_back(matrix_of(frame["transform_focus"]));
        if (frame["file"] == json["reference"]) truth.reference = int(i);
    }
    if (truth.series.count() != int(focus.size()) || !std::is_sorted(focus.begin(), focus.end()))
        throw FileError(folder.string() + ": its truth tells of other frames, or not from near to far");
    const Picture sharp = read_picture(folder / "truth" / "truth.png"),
                  valid = read_picture(folder / "truth" / "valid.png");
    cv::Mat1f depth = plane_in_npy(folder / "truth" / "depth.npy", sharp.pixels.size());
    const float ends = (focus.back() - focus.front()) / float(focus.size() - 1);  // a frame beyond the ends
    for (float& own : depth) {
        const auto above = std::upper_bound(focus.begin(), focus.end(), own);
        if (above == focus.begin())
            own = 1 + (own - focus.front()) / ends;
        else if (above == focus.end())
            own = float(focus.size()) + (own - focus.back()) / ends;
        else
            own = float(above - focus.begin()) + (own - *(above - 1)) / (*above - *(above - 1));
    }
    truth = judged(std::move(truth), sharp, depth);
    cv::Mat1b known;
    cv::extractChannel(valid.pixels, known, 0);
    for (cv::Mat1b* mask : {&truth.inside, &truth.edges, &truth.highlights, &truth.flat, &truth.textured})
        *mask &= known > 127;
    return truth;
}

/// The result laid over the truth by a smooth field: a slow warp of the whole is seen by nobody. Shifts of
/// blocks by phase correlation, a polynomial of the third degree through them.
cv::Mat1f registered(const cv::Mat1f& result, const cv::Mat1f& truth) {
    constexpr int kBlock = 96, kTerms = 10;
    auto terms = [&](double x, double y) {
        const double u = 2 * x / truth.cols - 1, v = 2 * y / truth.rows - 1;
        return std::array<double, kTerms>{1,     u,         v,         u * u,     u * v,
                                          v * v, u * u * u, u * u * v, u * v * v, v * v * v};
    };
    cv::Mat1f window;
    cv::createHanningWindow(window, {kBlock, kBlock}, CV_32F);
    std::vector<std::array<double, kTerms>> rows;
    std::vector<cv::Point2d> shifts;
    for (int y = 0; y + kBlock <= truth.rows; y += kBlock / 2)
        for (int x = 0; x + kBlock <= truth.cols; x += kBlock / 2) {
            const cv::Rect block(x, y, kBlock, kBlock);
            cv::Scalar mean, deviation;
            cv::meanStdDev(truth(block), mean, deviation);
            if (deviation[0] < 0.02) continue;
            // The library multiplies what it is given by the window, in place.
            double response = 0;
            const cv::Point2d shift =
                cv::phaseCorrelate(truth(block).clone(), result(block).clone(), window, &response);
            if (response < 0.3 || std::hypot(shift.x, shift.y) > 4) continue;
            rows.push_back(terms(x + kBlock / 2.0, y + kBlock / 2.0));
            shifts.push_back(shift);
        }
    if (rows.size() < 4 * kTerms) return result;
    cv::Mat1d left(int(rows.size()), kTerms), right(int(rows.size()), 2), field;
    std::vector<double> weights(rows.size(), 1);
    for (int round = 0; round < 4; ++round) {
        for (int i = 0; i < left.rows; ++i) {
            for (int k = 0; k < kTerms; ++k)
                left(i, k) = weights[std::size_t(i)] * rows[std::size_t(i)][std::size_t(k)];
            right(i, 0) = weights[std::size_t(i)] * shifts[std::size_t(i)].x;
            right(i, 1) = weights[std::size_t(i)] * shifts[std::size_t(i)].y;
        }
        cv::solve(left, right, field, cv::DECOMP_SVD);
        for (std::size_t i = 0; i < rows.size(); ++i) {
            double dx = -shifts[i].x, dy = -shifts[i].y;
            for (int k = 0; k < kTerms; ++k)
                dx += field(k, 0) * rows[i][std::size_t(k)], dy += field(k, 1) * rows[i][std::size_t(k)];
            weights[i] = 1 / std::sqrt(1 + 100 * (dx * dx + dy * dy));
        }
    }
    cv::Mat2f map(truth.size());
    for (int y = 0; y < map.rows; ++y)
        for (int x = 0; x < map.cols; ++x) {
            const auto own = terms(x, y);
            double dx = 0, dy = 0;
            for (int k = 0; k < kTerms; ++k)
                dx += field(k, 0) * own[std::size_t(k)], dy += field(k, 1) * own[std::size_t(k)];
            map(y, x) = {float(x + dx), float(y + dy)};
        }
    cv::Mat1f moved;
    cv::remap(result, moved, map, {}, cv::INTER_LANCZOS4, cv::BORDER_REPLICATE);
    return moved;
}

struct Score {
    double all = 0, edges = 0, highlights = 0, flat = 0, textured = 0, similarity = 0, contrast = 0;
};

Score score(const cv::Mat1f& result, const Truth& truth) {
    const cv::Mat1f own = registered(result, truth.luma);
    auto psnr = [&](const cv::Mat1b& mask) {
        return cv::countNonZero(mask) < 500 ? 0.0 : test::psnr_db(own, truth.luma, mask);
    };
    Score score{psnr(truth.inside),
                psnr(truth.edges),
                psnr(truth.highlights),
                psnr(truth.flat),
                psnr(truth.textured),
                0,
                0};
    const cv::Rect inner(kBorder_px, kBorder_px, own.cols - 2 * kBorder_px, own.rows - 2 * kBorder_px);
    score.similarity = test::ssim(own(inner).clone(), truth.luma(inner).clone());
    cv::Mat1f coarse_own, coarse_truth;
    cv::GaussianBlur(own, coarse_own, {0, 0}, 1.5);
    cv::GaussianBlur(truth.luma, coarse_truth, {0, 0}, 1.5);
    cv::Mat1f fine_own = own - coarse_own, fine_truth = truth.luma - coarse_truth;
    fine_own.setTo(0, ~truth.inside), fine_truth.setTo(0, ~truth.inside);
    score.contrast = fine_own.dot(fine_truth) / std::max(1e-12, fine_truth.dot(fine_truth));
    return score;
}

cv::Mat1f luma_of(const cv::Mat3f& encoded) {
    cv::Mat1f luma;
    cv::transform(encoded, luma, cv::Matx13f(0.2126f, 0.7152f, 0.0722f));
    return luma;
}

/// Frames where the rig says that they lie.
test::TextbookFrames true_frames(const Truth& truth) {
    test::TextbookFrames frames;
    for (int i = 0; i < truth.series.count(); ++i) {
        const Picture picture = read_picture(truth.series.frames[std::size_t(i)].path);
        cv::Mat3f plain, laid;
        picture.pixels.convertTo(plain, CV_32FC3, picture.bits() == 16 ? 1 / 65535.0 : 1 / 255.0);
        cv::warpPerspective(plain, laid, truth.matrices[std::size_t(i)], plain.size(), cv::INTER_LINEAR,
                            cv::BORDER_REPLICATE);
        cv::Mat1b covered;
        cv::warpPerspective(cv::Mat1b(plain.size(), uchar(255)), covered, truth.matrices[std::size_t(i)],
                            plain.size(), cv::INTER_NEAREST);
        frames.pixels.push_back(laid);
        frames.covered.push_back(covered);
    }
    return frames;
}

/// The textbook's pyramid in linear light, of frames where Moorhaze puts them.
Picture linear_pyramid(const Series& series, const SeriesGeometry& geometry) {
    std::vector<int> all(std::size_t(series.count()));
    std::iota(all.begin(), all.end(), 0);
    AlignedFrames aligned(series, geometry, all, {{}, series.size()});
    test::TextbookFrames frames;
    for (int place = 0; place < aligned.count(); ++place) {
        const auto frame = aligned.load(place, {});
        if (!frame) continue;
        frames.pixels.push_back(frame->pixels);
        frames.covered.push_back(coverage_of(frame->covered, series.size()));
    }
    return from_linear(test::largest_energy_pyramid(frames), aligned.curve(), aligned.profile());
}

Score best_textbook(const test::TextbookFrames& frames, const Truth& truth) {
    Score best;
    for (const cv::Mat3f& merged :
         {test::sharpness_weighted_mean(frames), test::largest_laplacian_choice(frames),
          test::largest_energy_pyramid(frames)}) {
        const Score own = score(luma_of(merged), truth);
        if (own.all > best.all) best = own;
    }
    return best;
}

void print(const char* name, const Score& own) {
    std::printf("  %-22s %6.2f %6.2f %6.2f %6.2f %6.2f   %.4f  %.3f\n", name, own.all, own.edges,
                own.highlights, own.textured, own.flat, own.similarity, own.contrast);
    std::fflush(stdout);
}

/// The share of places near depth edges whose depth is right within one frame.
void print_depth(const cv::Mat1f& depth, const Truth& truth) {
    std::printf("    depth right within");
    for (const float reach_px : {2, 4, 8, 12}) {
        int right = 0, all = 0;
        for (int y = 0; y < depth.rows; ++y)
            for (int x = 0; x < depth.cols; ++x) {
                // No frame is sharp beyond the last one, nor before the first.
                if (!truth.inside(y, x) || truth.from_edge_px(y, x) > reach_px ||
                    truth.depth(y, x) > float(truth.series.count()) + 0.5f || truth.depth(y, x) < 0.5f)
                    continue;
                ++all;
                right += std::abs(depth(y, x) - truth.depth(y, x)) <= 1 ? 1 : 0;
            }
        std::printf(" %g px %.3f ", double(reach_px), double(right) / std::max(1, all));
    }
    std::printf("\n");
}

/// How far frames lie from where they are, RMS over a grid of places in the reference frame, px: of
/// neighbours against each other (the mean step and the largest), and of the frame that lies farthest off.
void print_geometry(const SeriesGeometry& geometry, const Truth& truth) {
    const cv::Size size = truth.luma.size();
    std::vector<std::vector<cv::Point2d>> errors;
    for (std::size_t i = 0; i < truth.matrices.size(); ++i) {
        if (!geometry.frames[i].registered) continue;
        const cv::Matx33d found = geometry.frames[i].matrix * truth.matrices[i].inv();
        std::vector<cv::Point2d> own;
        for (int row = 0; row < 5; ++row)
            for (int column = 0; column < 5; ++column) {
                const cv::Point2d at(size.width * (column + 0.5) / 5, size.height * (row + 0.5) / 5);
                const cv::Vec3d there = found * cv::Vec3d(at.x, at.y, 1);
                own.push_back(cv::Point2d(there[0] / there[2], there[1] / there[2]) - at);
            }
        errors.push_back(own);
    }
    auto rms = [](const std::vector<cv::Point2d>& one, const std::vector<cv::Point2d>* other) {
        double sum = 0;
        for (std::size_t k = 0; k < one.size(); ++k) {
            const cv::Point2d off = one[k] - (other ? (*other)[k] : cv::Point2d());
            sum += off.dot(off);
        }
        return std::sqrt(sum / double(one.size()));
    };
    double steps = 0, largest = 0, drift = 0;
    for (std::size_t i = 0; i < errors.size(); ++i) {
        drift = std::max(drift, rms(errors[i], nullptr));
        if (i == 0) continue;
        const double step = rms(errors[i], &errors[i - 1]);
        steps += step;
        largest = std::max(largest, step);
    }
    std::printf("  geometry: neighbours %.3f px, largest %.3f, drift %.3f px\n",
                steps / double(std::max<std::size_t>(1, errors.size() - 1)), largest, drift);
}

/// In how many of the first twenty snags a quarter of the area errs by at least three times the picture's
/// median, and how much of what errs by more than eight times it lies in one. Kinds are not judged.
void print_snags(const MergeResult& merge, const Series& series, const SeriesGeometry& geometry,
                 const Truth& truth) {
    std::vector<int> all(std::size_t(series.count()));
    std::iota(all.begin(), all.end(), 0);
    AlignedFrames frames(series, geometry, all, merge.area);
    const std::vector<Snag> snags = find_snags(merge, frames, {}, {});
    cv::Mat1f error = test::luma_of(merge.picture) - truth.luma(merge.area), sorted;
    cv::GaussianBlur(error.mul(error), error, {0, 0}, 2);
    cv::sqrt(error, error);
    sorted = error.reshape(1, 1).clone();
    std::nth_element(sorted.begin(), sorted.begin() + long(sorted.total() / 2), sorted.end());
    const float median = sorted(0, int(sorted.total() / 2));
    int right = 0;
    cv::Mat1b held(error.size(), uchar(0));
    std::map<std::string, int> kinds;
    for (std::size_t i = 0; i < snags.size(); ++i) {
        const cv::Rect own = snags[i].area - merge.area.tl();
        held(own).setTo(255);
        ++kinds[name_of(snags[i].kind)];
        if (i >= 20) continue;
        // The area is a rectangle round what errs: its upper quartile tells.
        cv::Mat1f inside = error(own).clone().reshape(1, 1);
        std::nth_element(inside.begin(), inside.begin() + long(inside.total() * 3 / 4), inside.end());
        right += inside(0, int(inside.total() * 3 / 4)) >= 3 * median ? 1 : 0;
    }
    const cv::Mat1b wrong = error > 8 * median;
    std::printf("    snags %zu: true of the first %zu %d, of what errs most %.2f in %.2f of the picture;",
                snags.size(), std::min<std::size_t>(20, snags.size()), right,
                double(cv::countNonZero(wrong & held)) / std::max(1, cv::countNonZero(wrong)),
                double(cv::countNonZero(held)) / double(held.total()));
    for (const auto& [kind, count] : kinds) std::printf(" %s %d", kind.c_str(), count);
    std::printf("\n");
}

/// What a stroke did to the squared error of what it touched.
struct Touched {
    double before = 0, after = 0;
    bool is_better() const { return after < before; }
    double gain_db() const { return 10 * std::log10(std::max(before, 1e-9) / std::max(after, 1e-9)); }
};

/// A person who draws in along the snags with a brush of 34 px, from the frame that the sounding marks at the
/// place, of two the one that belongs there by the depth with edges; once blindly, once where the sounding is
/// sure that it is one frame, once taking back what looks worse.
void print_person(const MergeResult& merge, const Series& series, const SeriesGeometry& geometry,
                  const Truth& truth) {
    constexpr int kSnags = 40, kStep_px = 24;
    constexpr double kRadius_px = 17, kSure = 0.8, kFault_db = -0.3;
    const FrameSource source(series, geometry, std::make_shared<FrameShelf>(std::size_t(2) << 30));
    std::vector<int> all(std::size_t(series.count()));
    std::iota(all.begin(), all.end(), 0);
    AlignedFrames frames(series, geometry, all, merge.area);
    std::vector<Snag> snags = find_snags(merge, frames, {}, {});
    if (snags.size() > kSnags) snags.resize(kSnags);
    std::vector<FrameProblem> problems;
    const cv::Mat1f depth = depth_with_edges(
        merge.depth - 1, frame_stack_of(frames, merge.picture.pixels.size(), problems, {}), {});
    const auto marked = [&](cv::Point at) {
        SharpAtPlace place(at, usual_reach(series.size()));
        for (int i = 0; i < series.count(); ++i) place.add(i, source.load(i, place.part(), {}), {});
        SharpFrames sharp = place.frames({});
        std::sort(sharp.frames.begin(), sharp.frames.end(), [&](const auto& one, const auto& other) {
            const float own = depth(at - merge.area.tl());
            return std::abs(float(one.frame) - own) < std::abs(float(other.frame) - own);
        });
        return sharp;
    };
    const auto error_in = [&](const Picture& picture, PixelRect area) {
        return cv::norm(test::luma_of(picture), truth.luma(area), cv::NORM_L2SQR);
    };
    const auto touched = [&](const SharedList<Stroke>& strokes, const Stroke& stroke) {
        const PixelRect reach = reach_of(stroke) & merge.area;
        return Touched{error_in(mended(merge, strokes, {source}, reach, {}), reach),
                       error_in(mended(merge, strokes.appended(stroke), {source}, reach, {}), reach)};
    };
    SharedList<Stroke> blind, sure, kept;
    struct Sum {
        int places = 0, faults = 0, better = 0;
        double worst_db = 0;
        void add(const Touched& own) {
            ++places, faults += own.gain_db() < kFault_db, better += own.is_better();
            worst_db = std::min(worst_db, own.gain_db());
        }
    } blindly, surely;
    for (const Snag& snag : snags)
        for (int y = snag.area.y + kStep_px / 2; y < snag.area.br().y + kStep_px / 2; y += kStep_px)
            for (int x = snag.area.x + kStep_px / 2; x < snag.area.br().x + kStep_px / 2; x += kStep_px) {
                const cv::Point at(std::min(x, snag.area.br().x - 1), std::min(y, snag.area.br().y - 1));
                const SharpFrames sharp = marked(at);
                if (sharp.frames.empty()) continue;
                const Stroke stroke{series.frames[std::size_t(sharp.frames[0].frame)].id,
                                    kRadius_px,
                                    0.6,
                                    1,
                                    {{double(at.x), double(at.y)}}};
                const Touched alone = touched({}, stroke);
                blindly.add(alone);
                blind = blind.appended(stroke);
                if (sharp.frames.size() == 1 && sharp.frames[0].certainty >= kSure) {
                    surely.add(alone);
                    sure = sure.appended(stroke);
                }
                if (touched(kept, stroke).is_better()) kept = kept.appended(stroke);
            }
    // As a person could who traced every edge: each pixel of a snag from the frame of its depth.
    Picture traced{merge.picture.pixels.clone(), {}, merge.picture.profile};
    Sum tracing;
    cv::Mat1b in_snags(depth.size(), uchar(0));
    for (const Snag& snag : snags) in_snags(snag.area - merge.area.tl()).setTo(255);
    for (int i = 0; i < series.count(); ++i) {
        const LinearFrame frame = source.load(i, merge.area, {});
        const Picture picture = picture_of(frame, frames.curve(), frames.profile());
        cv::Mat1b own = in_snags.clone();
        for (int y = 0; y < depth.rows; ++y)
            for (int x = 0; x < depth.cols; ++x)
                if (std::lround(depth(y, x)) != i) own(y, x) = 0;
        picture.pixels.copyTo(traced.pixels, own);
    }
    for (const Snag& snag : snags) {
        const PixelRect own = snag.area - merge.area.tl();
        const auto part = [&](const Picture& picture) {
            return Picture{picture.pixels(own), {}, picture.profile};
        };
        tracing.add({error_in(part(merge.picture), snag.area), error_in(part(traced), snag.area)});
    }
    const cv::Mat1b near = truth.edges(merge.area);
    const auto edges_db = [&](const Picture& picture) {
        return test::psnr_db(test::luma_of(picture), truth.luma(merge.area), near);
    };
    const double before = edges_db(merge.picture);
    const auto gain = [&](const SharedList<Stroke>& strokes) {
        return edges_db(mended(merge, strokes, {source}, merge.area, {})) - before;
    };
    std::printf(
        "    person: near edges %.2f dB, blindly %+.2f, where sure %+.2f, taking back %+.2f (%d dabs), "
        "traced %+.2f\n",
        before, gain(blind), gain(sure), gain(kept), kept.size(), edges_db(traced) - before);
    for (const auto& [name, own] :
         {std::pair("blindly", blindly), std::pair("where sure", surely), std::pair("traced", tracing)})
        std::printf("    %-10s %3d places, better %d, more than 0.3 dB worse %d, the worst %.1f dB\n", name,
                    own.places, own.better, own.faults, own.worst_db);
}

using Scores = std::map<std::string, std::vector<Score>>;

/// @param name  of the series among the pictures that are written.
void prove(const Truth& truth, const std::string& name_of_series, const std::string& methods,
           Scores& scores) {
    auto note = [&](const std::string& name, const Score& own) {
        print(name.c_str(), own);
        scores[name].push_back(own);
    };
    Project project = with_kept(with_series({}, truth.series, {}, std::nullopt), KeptArea::reference);
    project = with_reference(project, project.frames[truth.reference].id);
    const FrameFacts facts = facts_of(truth.series);
    const Series series = series_of(project, facts);
    const Looked looked = look_into(series, {}, {});
    int flags = 0;
    for (const auto& own : looked.whole.flags)
        flags += int(std::count_if(own.begin(), own.end(),
                                   [](const FrameFlag& flag) { return flag.kind != "unsharp"; }));
    std::printf("  false flags %d, false gaps %zu\n", flags, looked.whole.gaps.size());
    const SeriesGeometry geometry =
        align_series(series, merge_inputs(project, *project.reference).align, nullptr, nullptr, {}).geometry;
    print_geometry(geometry, truth);
    const auto is_wanted = [&](const char* method) { return methods.find(method) != std::string::npos; };
    for (const char* method : {"woven", "depth", "pyramid"}) {
        if (!is_wanted(method)) continue;
        MergeChoice choice;
        choice.method = method;
        const MadeFrom from = merge_inputs(with_merge(project, choice), *project.reference);
        const MergeResult result = merge_series(series, geometry, from, 0, {}, {});
        note(method, score(test::luma_of(result.picture), truth));
        if (!result.trust.empty()) print_depth(result.depth, truth);
        if (is_wanted("snags")) print_snags(result, series, geometry, truth);
        if (is_wanted("person")) print_person(result, series, geometry, truth);
        if (const char* to = std::getenv("PROVING_PICTURES")) {
            write_plane(fs::path(to) / (name_of_series + "-" + method + "-depth.tif"), result.depth);
            write_picture(fs::path(to) / (name_of_series + "-" + method + ".png"), result.picture, {},
                          {.format = FileFormat::png, .bits = 8, .overwrite = true, .made_with = {}}, {});
        }
    }
    if (is_wanted("linear"))
        note("linear pyramid", score(test::luma_of(linear_pyramid(series, geometry)), truth));
    if (!is_wanted("textbook")) return;
    note("textbook, library's", best_textbook(test::textbook_frames(truth.series, truth.reference), truth));
    const test::TextbookFrames laid = true_frames(truth);
    note("textbook, true", best_textbook(laid, truth));
    std::vector<cv::Mat1f> lumas;
    for (const cv::Mat3f& frame : laid.pixels) lumas.push_back(luma_of(frame));
    note("best frame", score(test::best_frame_choice(lumas, laid.covered, truth.luma), truth));
}

Score mean_of(const std::vector<Score>& list) {
    Score mean;
    auto average = [&](double Score::*part) {
        double sum = 0;
        int count = 0;
        for (const Score& own : list)
            if (own.*part > 0) sum += own.*part, ++count;
        mean.*part = count ? sum / count : 0;
    };
    for (double Score::*part : {&Score::all, &Score::edges, &Score::highlights, &Score::flat,
                                &Score::textured, &Score::similarity, &Score::contrast})
        average(part);
    return mean;
}

}  // namespace

int main(int argc, char** argv) {
    unsigned first = 0, last = 0;
    int width = 900, height = 600;
    const bool only_others = argc > 2 && std::strcmp(argv[2], "-") == 0;
    if (argc < 2 || std::sscanf(argv[1], "%u-%u", &first, &last) != 2 || last < first ||
        (argc > 2 && !only_others && std::sscanf(argv[2], "%dx%d", &width, &height) != 2)) {
        std::fprintf(stderr, "usage: moorhaze-proving FIRST-LAST [WIDTHxHEIGHT|-] [FOLDER] [METHODS]\n");
        return 2;
    }
    const fs::path folder = argc > 3 ? argv[3] : "proving-ground";
    const std::string methods = argc > 4 ? argv[4] : "woven,depth,pyramid,linear,textbook";
    Scores of_rig, of_others;
    std::printf("luma PSNR in dB    all    edges  highl. textur. flat     SSIM  contrast\n");
    for (unsigned seed = first; seed <= last; ++seed) {
        const std::string number = std::to_string(seed);
        if (!only_others) {
            const fs::path own = folder / ("seed-" + number + "-" + std::to_string(width));
            if (!fs::exists(own / "truth" / "truth.json"))
                rig::simulate(settings_of(seed, {width, height}), own, {});
            std::printf("seed %u\n", seed);
            prove(truth_of_rig(own), own.filename().string(), methods, of_rig);
        }
        if (const fs::path other = folder / number; fs::exists(other / "truth" / "truth.png")) {
            const std::string scene = json_in(other / "truth" / "truth.json").value("scene", "");
            std::printf("another's %u %s\n", seed, scene.c_str());
            prove(truth_of_other(other), number, methods, of_others);
        }
    }
    for (const auto& [whose, scores] : {std::pair("rig's", of_rig), std::pair("another's", of_others)}) {
        if (scores.empty()) continue;
        std::printf("mean of %s %zu series\n", whose, scores.begin()->second.size());
        for (const auto& [name, list] : scores) print(name.c_str(), mean_of(list));
    }
}
