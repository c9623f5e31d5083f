// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/align/measure_series.h"

#include <algorithm>
#include <atomic>
#include <deque>

#include "core/align/resting_places.h"
#include "core/align/sensor_dust.h"
#include "core/picture/luma.h"
#include "core/work/for_rows.h"
#include "core/work/reused_memory.h"

namespace moorhaze {
namespace {

/// Registration works at up to this size: at 24 megapixels on every second pixel, where it still finds
/// hundredths of a pixel.
constexpr int kLongSide = 3200;
constexpr int kHops[] = {1, 2};
constexpr int kFarthestHop = 2;
constexpr int kTogether = 4;  // frames that are loaded side by side
constexpr int kLightSide = 120;
constexpr double kDustShare = 0.2;  // of the time of measuring
constexpr int kMostRestingRounds = 4;

/// Means of blocks in linear light.
cv::Mat3f small_light(const Picture& picture, const ToneCurve& curve) {
    const int longest = std::max(picture.width(), picture.height());
    const int block = std::max(1, longest / kLightSide), step = std::max(1, block / 12);
    cv::Mat3f light(picture.height() / block, picture.width() / block);
    const bool deep = picture.bits() == 16;
    const float* tables[3];
    for (int c = 0; c < 3; ++c) tables[c] = deep ? curve.linear_of_16(c) : curve.linear_of_8(c);
    auto mean_of = [&]<class Value>(Value, int row, int column) {
        cv::Vec3f sum(0, 0, 0);
        int count = 0;
        for (int y = row * block + step / 2; y < (row + 1) * block; y += step) {
            const Value* line = picture.pixels.ptr<Value>(y);
            for (int x = column * block + step / 2; x < (column + 1) * block; x += step, ++count)
                for (int c = 0; c < 3; ++c) sum[c] += tables[c][line[3 * x + c]];
        }
        return sum * (1.0f / float(count));
    };
    for (int row = 0; row < light.rows; ++row)
        for (int column = 0; column < light.cols; ++column)
            light(row, column) =
                deep ? mean_of(std::uint16_t{}, row, column) : mean_of(std::uint8_t{}, row, column);
    return light;
}

std::optional<RegistrationView> view_of(const Frame& frame, FrameShelf* shelf, std::string& problem,
                                        const Job& job) {
    try {
        const int longest = std::max(frame.info.width, frame.info.height);
        int shrink = 1;
        while (longest / shrink > kLongSide) shrink *= 2;
        const auto decoded = shrink == 1
                                 ? whole_frame(shelf, frame.path, frame.development)
                                 : small_frame(shelf, frame.path, longest / shrink, frame.development);
        const Picture& picture = *decoded;
        const ToneCurve curve(picture.profile);
        auto view = registration_view(perceptual_luma(picture, curve, job.quiet()),
                                      {frame.info.width, frame.info.height}, job.quiet());
        view.light = small_light(picture, curve);
        return view;
    } catch (const FileError& error) {
        problem = error.what();
        return {};
    }
}

/// Small pictures of the frames that are searched for dust.
class DustFrames {
  public:
    explicit DustFrames(const std::vector<bool>& used) : own_(used.size()) {
        const auto count = int(std::count(used.begin(), used.end(), true));
        const int step = (count + kDustFrames - 1) / kDustFrames;
        for (std::size_t i = 0, k = 0; i < used.size(); ++i)
            if (used[i]) own_[i].is_wanted = int(k++) % step == 0;
    }
    /// From any thread, another frame each.
    void keep(int frame, const RegistrationView& view) {
        Kept& own = own_[std::size_t(frame)];
        if (!own.is_wanted) return;
        for (const RegistrationView::Level& level : view.levels) {
            own.luma = level.luma;
            own.to_frame = {level.scale, 0, view.offset, 0, level.scale, view.offset, 0, 0, 1};
            if (std::max(level.luma.cols, level.luma.rows) <= kDustSide) break;
        }
    }
    std::vector<DustSpot> find(const Registration& registration, const Job& job) const {
        const SeriesGeometry geometry = placed(registration);
        std::vector<DustView> views;
        for (std::size_t i = 0; i < own_.size(); ++i)
            if (is_placed(geometry, i))
                views.push_back({own_[i].luma, geometry.frames[i].matrix * own_[i].to_frame});
        if (views.empty()) return {};
        const Kept& reference = own_[std::size_t(geometry.reference)];
        std::vector<DustSpot> spots = find_sensor_dust(views, job);
        const double scale = reference.to_frame(0, 0), offset = reference.to_frame(0, 2);
        for (DustSpot& spot : spots) {
            spot.at = spot.at * scale + cv::Point2d(offset, offset);
            spot.radius_px *= scale;
        }
        return spots;
    }

  private:
    struct Kept {
        bool is_wanted = false;
        cv::Mat1f luma;
        cv::Matx33d to_frame;
    };
    /// Over the first frame that is kept, which the registration's own reference need not be.
    SeriesGeometry placed(const Registration& registration) const {
        PlaceSettings settings;
        const auto first =
            std::find_if(own_.begin(), own_.end(), [](const Kept& own) { return !own.luma.empty(); });
        if (first == own_.end()) return {};
        settings.reference = int(first - own_.begin());
        return place_frames(registration, settings);
    }
    bool is_placed(const SeriesGeometry& geometry, std::size_t i) const {
        return !own_[i].luma.empty() && geometry.frames[i].registered && !geometry.frames[i].interpolated;
    }
    std::vector<Kept> own_;
};

/// Pairs that were laid through what rests on the sensor, too, lie too near to where they would lie if
/// nothing moved: they are laid anew without, as long as that shows more of it.
void leave_out_resting(std::vector<MeasuredPair>& pairs, const Job& job) {
    std::size_t known = 0;
    for (int round = 0; round < kMostRestingRounds; ++round) {
        const std::vector<RestingPlace> resting = resting_places(pairs);
        if (resting.size() <= known) break;
        known = resting.size();
        for_rows(int(pairs.size()), job.quiet(), [&](int k) {
            MeasuredPair& own = pairs[std::size_t(k)];
            if (const auto laid = lay_pair(own.spots, resting)) own.pair = *laid;
        });
    }
    for (MeasuredPair& pair : pairs) pair.spots = {};
}

}  // namespace

Registration measure_frames(const std::vector<bool>& used, cv::Size size, const ViewLoader& load,
                            const Job& job) {
    Registration registration;
    registration.size = size;
    registration.used = used;
    registration.problems.resize(used.size());
    registration.light.resize(used.size());
    std::vector<int> frames;
    for (int i = 0; i < int(used.size()); ++i)
        if (used[std::size_t(i)]) frames.push_back(i);

    struct Held {
        int frame;
        std::optional<RegistrationView> view;
    };
    std::deque<Held> held;  // the last ones, in order
    auto known = [&](int moving, int fixed) -> std::optional<cv::Matx33d> {
        for (const MeasuredPair& pair : registration.pairs)
            if (pair.moving == moving && pair.fixed == fixed) return pair.pair.fixed_to_moving;
        return {};
    };
    for (std::size_t from = 0; from < frames.size(); from += kTogether) {
        const int count = int(std::min<std::size_t>(kTogether, frames.size() - from));
        std::vector<Held> fresh(std::size_t(count), Held{0, {}});
        for_rows(count, job.quiet(), [&](int k) {
            Held& own = fresh[std::size_t(k)];
            own.frame = frames[from + std::size_t(k)];
            own.view = load(own.frame, registration.problems[std::size_t(own.frame)]);
            if (own.view) registration.light[std::size_t(own.frame)] = own.view->light;
        });
        const int before = int(held.size());
        for (Held& own : fresh) held.push_back(std::move(own));
        // Near neighbours first: the ways through them lead on to the far ones.
        for (const int hop : kHops) {
            struct Wanted {
                int moving, fixed;
                std::optional<cv::Matx33d> start;
                std::optional<PairSpots> spots;
                std::optional<PairRegistration> found;
            };
            std::vector<Wanted> wanted;
            for (int k = before; k < int(held.size()); ++k) {
                if (k - hop < 0 || !held[std::size_t(k)].view || !held[std::size_t(k - hop)].view) continue;
                Wanted own{k, k - hop, {}, {}, {}};
                if (hop > 1) {
                    const int middle = held[std::size_t(k - hop / 2)].frame;
                    const auto first = known(middle, held[std::size_t(own.fixed)].frame),
                               second = known(held[std::size_t(own.moving)].frame, middle);
                    if (first && second) own.start = *second * *first;
                }
                wanted.push_back(own);
            }
            for_rows(int(wanted.size()), job.quiet(), [&](int k) {
                Wanted& own = wanted[std::size_t(k)];
                own.spots = match_pair(*held[std::size_t(own.moving)].view,
                                       *held[std::size_t(own.fixed)].view, own.start, job.quiet());
                if (own.spots) own.found = lay_pair(*own.spots, {});
            });
            for (Wanted& own : wanted)
                if (own.found)
                    registration.pairs.push_back({held[std::size_t(own.moving)].frame,
                                                  held[std::size_t(own.fixed)].frame, *own.found,
                                                  std::move(*own.spots)});
        }
        while (int(held.size()) > kFarthestHop) held.pop_front();
        job.checkpoint(double(from + std::size_t(count)) / double(frames.size()));
    }
    leave_out_resting(registration.pairs, job);
    return registration;
}

Registration measure_series(const Series& series, FrameShelf* shelf, const Job& job) {
    const ReusedMemory memory;
    std::vector<bool> used;
    for (const Frame& frame : series.frames) used.push_back(frame.used);
    DustFrames dust(used);
    auto load = [&](int i, std::string& problem) {
        auto view = view_of(series.frames[std::size_t(i)], shelf, problem, job.quiet());
        if (view) dust.keep(i, *view);
        return view;
    };
    Registration registration = measure_frames(used, series.size(), load, job.part(0, 1 - kDustShare));
    registration.travel = travel_from_metadata(series);
    for (const Frame& frame : series.frames) registration.names.push_back(frame.path.string());
    registration.dust = dust.find(registration, job.part(1 - kDustShare, 1));
    return registration;
}

RegisteredSeries register_series(const Series& series, const PlaceSettings& settings,
                                 std::shared_ptr<const Registration> known, FrameShelf* shelf,
                                 const Job& job) {
    if (settings.reference < 0 || settings.reference >= series.count())
        throw BadParameter("the reference frame is not in the series");
    Series measured = series;
    measured.frames[std::size_t(settings.reference)].used = true;
    bool enough = known && known->count() == series.count();
    for (int i = 0; enough && i < series.count(); ++i)
        enough = known->used[std::size_t(i)] || !measured.frames[std::size_t(i)].used;
    if (!enough) known = std::make_shared<const Registration>(measure_series(measured, shelf, job));
    return {known, place_frames(*known, settings)};
}

SeriesGeometry register_series(const Series& series, int reference, const Job& job) {
    PlaceSettings settings;
    settings.reference = reference;
    return register_series(series, settings, nullptr, nullptr, job).geometry;
}

}  // namespace moorhaze
