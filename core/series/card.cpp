// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/card.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <ctime>
#include <map>
#include <opencv2/imgproc.hpp>

#include "core/series/found_files.h"
#include "core/work/for_rows.h"
#include "core/work/words.h"

namespace moorhaze {
namespace {

constexpr int kFramingWidth = 48, kFramingHeight = 36;
/// Neighbours of a series look alike: 1 - correlation of their blurred pictures stays below 0.06 on the
/// rig's scenes at their deepest steps; other subjects give 0.4 and more, a turntable's 10 degrees 0.1.
constexpr double kOtherFraming = 0.35, kPerhapsOtherFraming = 0.08, kFramingTimes = 4;
/// A flash needs 3 to 5 s between frames (common practice), a rail moved by hand takes 5 to 20 s.
constexpr double kPause_s = 15, kPauseTimes = 4;
constexpr double kLongPause_s = 120, kLongPauseTimes = 12;
constexpr double kOtherExposure_ev = 0.6;
constexpr int kWindow = 2;

std::optional<double> seconds_of(const Frame& frame) {
    if (!frame.info.shooting.taken) return {};
    std::tm moment{};
    if (std::sscanf(frame.info.shooting.taken->c_str(), "%d-%d-%d %d:%d:%d", &moment.tm_year, &moment.tm_mon,
                    &moment.tm_mday, &moment.tm_hour, &moment.tm_min, &moment.tm_sec) != 6)
        return {};
    moment.tm_year -= 1900;
    moment.tm_mon -= 1;
    const std::time_t seconds = timegm(&moment);
    if (seconds == -1) return {};
    return double(seconds);
}

/// The number at the end of a file's name; -1 if there is none.
long number_in_name(const Frame& frame) {
    const std::string stem = frame.path.stem().string();
    std::size_t begin = stem.size();
    while (begin > 0 && std::isdigit(static_cast<unsigned char>(stem[begin - 1]))) --begin;
    if (begin == stem.size() || stem.size() - begin > 9) return -1;
    return std::stol(stem.substr(begin));
}

std::string seconds_text(double seconds) {
    if (seconds < 600) return words("%.0f s", seconds);
    return seconds < 36000 ? words("%.0f min", seconds / 60) : words("%.0f h", seconds / 3600);
}

std::string exposure_text(double seconds) {
    return seconds < 0.4 ? "1/" + words("%.0f", 1 / seconds) + " s" : words("%.3g", seconds) + " s";
}

/// All frames of [from, to) agree on this; else empty.
template <class Value, class Get>
std::optional<Value> agreed(const std::vector<Frame>& frames, int from, int to, Get get) {
    std::optional<Value> value;
    for (int i = std::max(0, from); i < std::min(int(frames.size()), to); ++i) {
        const std::optional<Value> own = get(frames[std::size_t(i)]);
        if (!own || (value && *value != *own)) return {};
        value = own;
    }
    return value;
}

/// What lasts before a place and after it, and is not the same.
std::string other_settings(const std::vector<Frame>& frames, int at) {
    const auto before = [&](auto get) {
        using Value = typename decltype(get(frames[0]))::value_type;
        return agreed<Value>(frames, at - kWindow, at, get);
    };
    const auto after = [&](auto get) {
        using Value = typename decltype(get(frames[0]))::value_type;
        return agreed<Value>(frames, at, at + kWindow, get);
    };
    const auto camera = [](const Frame& f) { return std::optional(f.info.shooting.camera); };
    if (const auto one = before(camera), other = after(camera); one && other && *one != *other)
        return "another camera";
    const auto size = [](const Frame& f) {
        // Upright and lying pictures of one camera are one size.
        return std::optional(
            std::pair(std::max(f.info.width, f.info.height), std::min(f.info.width, f.info.height)));
    };
    if (const auto one = before(size), other = after(size); one && other && *one != *other)
        return "another size of picture";
    struct Setting {
        std::optional<double> ShootingData::*value;
        std::string (*text)(double);
        double least_ev;
    };
    static const Setting settings[] = {
        {&ShootingData::focal_length_mm, [](double v) { return words("%.3g mm", v); }, 0.02},
        {&ShootingData::f_number, [](double v) { return "f/" + words("%.2g", v); }, 0.1},
        {&ShootingData::iso, [](double v) { return "ISO " + words("%.0f", v); }, 0.1},
        {&ShootingData::exposure_s, exposure_text, kOtherExposure_ev},
    };
    for (const Setting& setting : settings) {
        const auto get = [&](const Frame& f) { return f.info.shooting.*setting.value; };
        const auto one = before(get), other = after(get);
        if (one && other && *one > 0 && *other > 0 && std::abs(std::log2(*one / *other)) > setting.least_ev)
            return setting.text(*other) + " instead of " + setting.text(*one);
    }
    return {};
}

/// How little two pictures have in common, whatever their brightness: 1 - correlation.
double framing_distance(const cv::Mat1f& one, const cv::Mat1f& other) {
    cv::Scalar mean_one, mean_other, spread_one, spread_other;
    cv::meanStdDev(one, mean_one, spread_one);
    cv::meanStdDev(other, mean_other, spread_other);
    const double spreads = spread_one[0] * spread_other[0];
    if (spreads < 1e-6) return 0;  // an even picture tells nothing
    const double correlation =
        (one - mean_one[0]).dot(other - mean_other[0]) / (double(one.total()) * spreads);
    return std::max(0.0, 1 - correlation);
}

bool shows_framing(const cv::Mat1f& framing, double usual_light) {
    return !framing.empty() && cv::mean(framing)[0] > 0.35 * usual_light;
}

double median_of(std::vector<double> values) {
    if (values.empty()) return 0;
    std::nth_element(values.begin(), values.begin() + std::ptrdiff_t(values.size() / 2), values.end());
    return values[values.size() / 2];
}

/// The median of the values next to a place, without its own.
double usual_around(const std::vector<double>& values, int place, int reach) {
    std::vector<double> near;
    for (int i = std::max(0, place - reach); i <= std::min(int(values.size()) - 1, place + reach); ++i)
        if (i != place && values[std::size_t(i)] >= 0) near.push_back(values[std::size_t(i)]);
    return median_of(std::move(near));
}

void name_all(std::vector<FoundSeries>& card) {
    std::map<std::string, int> in_folder, seen;
    auto folder_of = [](const FoundSeries& series) { return series_name(series.frames[0].path); };
    for (const FoundSeries& series : card) ++in_folder[folder_of(series)];
    for (FoundSeries& series : card) {
        const std::string folder = folder_of(series);
        series.name = folder;
        if (in_folder[folder] > 1) series.name += " " + std::to_string(++seen[folder]);
    }
}

}  // namespace

cv::Mat1f framing_of(const Frame& frame) {
    try {
        const Picture small = read_thumbnail(frame.path, 160, frame.development);
        cv::Mat1f grey;
        cv::Mat pixels = with_bits(small, 8).pixels, luma;
        cv::cvtColor(pixels, luma, cv::COLOR_RGB2GRAY);
        luma.convertTo(grey, CV_32F, 1 / 255.0);
        cv::GaussianBlur(grey, grey, {}, std::max(grey.cols, grey.rows) / 50.0);
        cv::resize(grey, grey, {kFramingWidth, kFramingHeight}, 0, 0, cv::INTER_AREA);
        return grey;
    } catch (const Error&) {
        return {};
    }
}

std::vector<SeriesCut> find_cuts(const std::vector<Frame>& frames, const std::vector<cv::Mat1f>& framings) {
    const int count = int(frames.size());
    std::vector<double> pauses(std::size_t(std::max(0, count - 1)), -1), distances = pauses;
    std::vector<double> lights;
    for (const cv::Mat1f& framing : framings)
        if (!framing.empty()) lights.push_back(cv::mean(framing)[0]);
    const double usual_light = median_of(lights);
    for (int i = 0; i + 1 < count; ++i) {
        const auto one = seconds_of(frames[std::size_t(i)]), other = seconds_of(frames[std::size_t(i) + 1]);
        if (one && other) pauses[std::size_t(i)] = *other - *one;
        if (int(framings.size()) != count) continue;
        // The nearest pair across the place: a frame that differs from both neighbours is no border.
        double nearest = -1;
        for (int a = std::max(0, i + 1 - kWindow); a <= i; ++a)
            for (int b = i + 1; b <= std::min(count - 1, i + kWindow); ++b) {
                const cv::Mat1f &before = framings[std::size_t(a)], &after = framings[std::size_t(b)];
                if (!shows_framing(before, usual_light) || !shows_framing(after, usual_light)) continue;
                const double own = framing_distance(before, after);
                nearest = nearest < 0 ? own : std::min(nearest, own);
            }
        distances[std::size_t(i)] = nearest;
    }
    // A clock that runs back again and again was not the camera's.
    int back = 0, known = 0;
    for (const double pause : pauses) known += pause != -1, back += pause < -1;
    const bool clock_counts = back * 10 <= known;

    std::vector<SeriesCut> cuts;
    for (int i = 0; i + 1 < count; ++i) {
        const auto place = std::size_t(i);
        const Frame &one = frames[place], &other = frames[place + 1];
        const bool other_folder = one.path.parent_path() != other.path.parent_path();
        std::string reason;
        if (other_folder) {
            reason = "another folder";
        } else if (const std::string settings = other_settings(frames, i + 1); !settings.empty()) {
            reason = settings;
        } else {
            const double distance = distances[place], usual = usual_around(distances, i, 6);
            const bool another = distance > kOtherFraming && distance > kFramingTimes * usual;
            const bool perhaps = distance > kPerhapsOtherFraming && distance > kFramingTimes * usual;
            const double pause = clock_counts ? pauses[place] : -1, usual_pause = usual_around(pauses, i, 6);
            const double factor = number_in_name(other) == number_in_name(one) + 1 ? 1 : 0.6;
            const bool paused = pause > factor * (kPause_s + kPauseTimes * std::max(0.0, usual_pause));
            const bool paused_long =
                pause > factor * (kLongPause_s + kLongPauseTimes * std::max(0.0, usual_pause));
            if (another)
                reason = "another framing";
            else if (paused_long || (paused && perhaps))
                reason = seconds_text(pause) + " after the frame before";
        }
        if (!reason.empty()) cuts.push_back({i + 1, reason});
    }
    return cuts;
}

OpenedCard open_card(const std::vector<std::filesystem::path>& files_or_folder, const Job& job) {
    FoundFiles found = find_files(files_or_folder);
    OpenedCard card;
    card.notes = std::move(found.notes);
    std::vector<Frame> frames = read_frames(found.files, card.problems, card.notes, job.part(0, 0.3));
    if (frames.empty()) throw FileError(nothing_found(files_or_folder, card.problems));
    std::vector<cv::Mat1f> framings(frames.size());
    for_rows(int(frames.size()), job.part(0.3, 1),
             [&](int i) { framings[std::size_t(i)] = framing_of(frames[std::size_t(i)]); });
    const auto cuts = find_cuts(frames, framings);
    std::size_t from = 0;
    for (std::size_t k = 0; k <= cuts.size(); ++k) {
        const std::size_t to = k < cuts.size() ? std::size_t(cuts[k].before) : frames.size();
        card.series.push_back({{frames.begin() + std::ptrdiff_t(from), frames.begin() + std::ptrdiff_t(to)},
                               k > 0 ? cuts[k - 1].reason : std::string(),
                               {}});
        from = to;
    }
    name_all(card.series);
    return card;
}

void split_series(std::vector<FoundSeries>& card, int series, int before_frame) {
    if (series < 0 || series >= int(card.size()) || before_frame < 1 ||
        before_frame >= int(card[std::size_t(series)].frames.size()))
        throw BadParameter("a series is cut between two of its frames");
    FoundSeries& first = card[std::size_t(series)];
    FoundSeries second{{first.frames.begin() + before_frame, first.frames.end()}, "cut by hand", {}};
    first.frames.erase(first.frames.begin() + before_frame, first.frames.end());
    card.insert(card.begin() + series + 1, std::move(second));
    name_all(card);
}

void join_with_next(std::vector<FoundSeries>& card, int series) {
    if (series < 0 || series + 1 >= int(card.size()))
        throw BadParameter("there is no next series to join with");
    FoundSeries &first = card[std::size_t(series)], &second = card[std::size_t(series) + 1];
    first.frames.insert(first.frames.end(), second.frames.begin(), second.frames.end());
    card.erase(card.begin() + series + 1);
    name_all(card);
}

}  // namespace moorhaze
