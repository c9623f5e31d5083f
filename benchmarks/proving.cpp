// SPDX-License-Identifier: GPL-3.0-or-later
// The proving ground: merges of random scenes against their truth, against textbook methods on two geometries
// and against the best choice of single frames.
// Settings are chosen on seeds below 100; what is reported comes from seeds of 100 and more.
//   moorhaze-proving FIRST-LAST [WIDTHxHEIGHT] [FOLDER] [woven,depth,pyramid,linear,textbook,snags,person]
// Series are simulated once and kept in the folder: empty it when the rig's random scenes have changed.
// With PROVING_PICTURES=FOLDER in the environment, merges and their depths are written there.
#include <algorithm>
#include <cstdio>
#include <cstring>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <numeric>
#include <opencv2/imgproc.hpp>

#include "core/files/float_tiff.h"
#include "core/mend/mended.h"
#include "core/mend/snags.h"
#include "core/merge/accumulated.h"
#include "core/merge/sharpness.h"
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

Truth truth_of(const fs::path& folder) {
    Truth truth;
    truth.series = open_series({folder / "frames"}, {}).series;
    const Picture sharp = read_picture(folder / "truth" / "sharp.tif");
    truth.luma = test::luma_of(sharp);
    const cv::Mat1f depth = read_plane(folder / "truth" / "depth.tif");
    std::ifstream in(folder / "truth" / "truth.json");
    const auto json = nlohmann::json::parse(in);
    truth.reference = json["reference"].get<int>() - 1;
    for (const auto& frame : json["frames"]) {
        cv::Matx33d matrix;
        for (int y = 0; y < 3; ++y)
            for (int x = 0; x < 3; ++x) matrix(y, x) = frame["matrix"][y][x];
        truth.matrices.push_back(matrix);
    }
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

/// A person who draws in along the snags with a brush of 34 px, from the frame that is sharpest at the place
/// as the sounding measures it; once blindly, once taking back what looks worse.
void print_person(const MergeResult& merge, const Series& series, const SeriesGeometry& geometry,
                  const Truth& truth) {
    constexpr int kSnags = 40, kStep_px = 24, kPatch_px = 48;
    constexpr double kRadius_px = 17;
    const FrameSource source(series, geometry, std::make_shared<FrameShelf>(std::size_t(2) << 30));
    std::vector<int> all(std::size_t(series.count()));
    std::iota(all.begin(), all.end(), 0);
    AlignedFrames frames(series, geometry, all, merge.area);
    std::vector<Snag> snags = find_snags(merge, frames, {}, {});
    if (snags.size() > kSnags) snags.resize(kSnags);
    const auto sharpest = [&](cv::Point at) {
        const PixelRect patch =
            PixelRect(at.x - kPatch_px / 2, at.y - kPatch_px / 2, kPatch_px, kPatch_px) & merge.area;
        float most = -1;
        FrameId best = series.frames[0].id;
        for (int i = 0; i < series.count(); ++i) {
            const cv::Mat1f sharp = sharpness_of(source.load(i, patch, {}), 4, Job{});
            const float own = sharp(sharp.rows / 2, sharp.cols / 2);
            if (own > most) most = own, best = series.frames[std::size_t(i)].id;
        }
        return best;
    };
    const auto error_in = [&](const Picture& picture, PixelRect area) {
        const PixelRect inside = area & merge.area;
        return inside.empty() ? 0.0 : cv::norm(test::luma_of(picture), truth.luma(inside), cv::NORM_L2SQR);
    };
    SharedList<Stroke> blind, kept;
    for (const Snag& snag : snags)
        for (int y = snag.area.y + kStep_px / 2; y < snag.area.br().y + kStep_px / 2; y += kStep_px)
            for (int x = snag.area.x + kStep_px / 2; x < snag.area.br().x + kStep_px / 2; x += kStep_px) {
                const cv::Point at(std::min(x, snag.area.br().x - 1), std::min(y, snag.area.br().y - 1));
                const Stroke stroke{sharpest(at), kRadius_px, 0.6, 1, {{double(at.x), double(at.y)}}};
                blind = blind.appended(stroke);
                const PixelRect reach = reach_of(stroke) & merge.area;
                const double before = error_in(mended(merge, kept, {source}, reach, {}), reach),
                             after =
                                 error_in(mended(merge, kept.appended(stroke), {source}, reach, {}), reach);
                if (after < before) kept = kept.appended(stroke);
            }
    const cv::Mat1b near = truth.edges(merge.area);
    const auto edges_db = [&](const Picture& picture) {
        return test::psnr_db(test::luma_of(picture), truth.luma(merge.area), near);
    };
    std::printf(
        "    person: near edges %.2f dB, drawn in blindly %+.2f (%d dabs), taking back %+.2f (%d)\n",
        edges_db(merge.picture),
        edges_db(mended(merge, blind, {source}, merge.area, {})) - edges_db(merge.picture), blind.size(),
        edges_db(mended(merge, kept, {source}, merge.area, {})) - edges_db(merge.picture), kept.size());
}

using Scores = std::map<std::string, std::vector<Score>>;

void prove(const fs::path& folder, const std::string& methods, Scores& scores) {
    const Truth truth = truth_of(folder);
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
            write_plane(fs::path(to) / (folder.filename().string() + "-" + method + "-depth.tif"),
                        result.depth);
            write_picture(fs::path(to) / (folder.filename().string() + "-" + method + ".png"), result.picture,
                          {}, {.format = FileFormat::png, .bits = 8, .overwrite = true, .made_with = {}}, {});
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
    if (argc < 2 || std::sscanf(argv[1], "%u-%u", &first, &last) != 2 || last < first ||
        (argc > 2 && std::sscanf(argv[2], "%dx%d", &width, &height) != 2)) {
        std::fprintf(stderr, "usage: moorhaze-proving FIRST-LAST [WIDTHxHEIGHT] [FOLDER] [METHODS]\n");
        return 2;
    }
    const fs::path folder = argc > 3 ? argv[3] : "proving-ground";
    const std::string methods = argc > 4 ? argv[4] : "woven,depth,pyramid,linear,textbook";
    Scores scores;
    std::printf("luma PSNR in dB    all    edges  highl. textur. flat     SSIM  contrast\n");
    for (unsigned seed = first; seed <= last; ++seed) {
        const fs::path own = folder / ("seed-" + std::to_string(seed) + "-" + std::to_string(width));
        if (!fs::exists(own / "truth" / "truth.json"))
            rig::simulate(settings_of(seed, {width, height}), own, {});
        std::printf("seed %u\n", seed);
        prove(own, methods, scores);
    }
    std::printf("mean of %u seeds\n", last - first + 1);
    for (const auto& [name, list] : scores) print(name.c_str(), mean_of(list));
}
