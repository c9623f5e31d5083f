// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/lens.h"

#include <lensfun.h>

#include <algorithm>
#include <cmath>
#include <memory>

#include "core/align/homography.h"
#include "core/picture/cubic.h"
#include "core/work/errors.h"
#include "core/work/for_rows.h"

namespace moorhaze {
namespace {

constexpr double kUsualFocus_m = 1;  // where the camera tells no distance; falloff hardly depends on it
constexpr double kUsualFNumber = 8;

/// Reading the database takes a while: once.
const lfDatabase& database() {
    struct Loaded {
        std::unique_ptr<lfDatabase> own = std::make_unique<lfDatabase>();
        bool is_there = own->Load() == LF_NO_ERROR;
    };
    static const Loaded loaded;
    if (!loaded.is_there)
        throw FileError("the lens database is not there. Install the package liblensfun-data-v1.");
    return *loaded.own;
}

/// A list of the database, which is freed with it.
template <class Item>
using Found = std::unique_ptr<const Item*, void (*)(const Item**)>;
template <class Item>
Found<Item> found(const Item** list) {
    return {list, [](const Item** own) { lf_free(own); }};
}

struct Known {
    const lfLens* lens = nullptr;
    double crop = 1;  ///< of the camera
};

Known known(const std::string& maker, const std::string& model, const std::string& name) {
    const lfDatabase& data = database();
    const auto cameras =
        found(data.FindCamerasExt(maker.empty() ? nullptr : maker.c_str(), model.c_str(), LF_SEARCH_LOOSE));
    const lfCamera* camera = cameras ? cameras.get()[0] : nullptr;
    const auto lenses = found(data.FindLenses(camera, nullptr, name.c_str(), 0));
    if (!lenses || !lenses.get()[0]) return {};
    const lfLens* lens = lenses.get()[0];
    return {lens, camera ? double(camera->CropFactor) : double(lens->CropFactor)};
}

int corrections(const Lens& lens) {
    return (lens.straightens ? LF_MODIFY_DISTORTION | LF_MODIFY_SCALE : 0) |
           (lens.evens_light ? LF_MODIFY_VIGNETTING : 0);
}

/// What the database's corrections do to one picture, its pixels counted from its own corner.
class Correction {
  public:
    /// @throws BadParameter for a lens that the database has not.
    Correction(const Lens& lens, PixelRect area, cv::Size frame) : area_(area) {
        const Known own = known(lens.camera_maker, lens.camera_model, lens.name);
        if (!own.lens)
            throw BadParameter("the lens database knows no " + lens.name +
                               ": switch the lens off, or update it");
        modifier_ = std::make_unique<lfModifier>(own.lens, float(own.crop), frame.width, frame.height);
        does_ = modifier_->Initialize(own.lens, LF_PF_F32, float(lens.focal_mm), float(lens.f_number),
                                      float(lens.focus_m), 0, own.lens->Type, corrections(lens), false);
    }
    bool bends() const { return does_ & LF_MODIFY_DISTORTION; }

    /// Where the picture shows what lies at a place of the straightened one.
    cv::Point2f source_of(const cv::Point2d& straight) const {
        float from[2] = {float(straight.x), float(straight.y)};
        if (bends()) {
            modifier_->ApplyGeometryDistortion(float(area_.x + straight.x), float(area_.y + straight.y), 1, 1,
                                               from);
            from[0] -= float(area_.x), from[1] -= float(area_.y);
        }
        return {from[0], from[1]};
    }
    /// Light of a part of the picture, evened.
    cv::Mat3f light(const Picture& picture, const ToneCurve& curve, const cv::Rect& part) const {
        cv::Mat3f light = to_linear({picture.pixels(part), {}, picture.profile}, curve);
        if (does_ & LF_MODIFY_VIGNETTING)
            for (int y = 0; y < light.rows; ++y)
                modifier_->ApplyColorModification(light.ptr<float>(y), float(area_.x + part.x),
                                                  float(area_.y + part.y + y), light.cols, 1,
                                                  LF_CR_3(RED, GREEN, BLUE), int(light.step));
        return light;
    }

  private:
    std::unique_ptr<lfModifier> modifier_;
    int does_ = 0;
    PixelRect area_;
};

/// Places in a picture for all pixels of a tile, told for every few and between them evenly: what a lens
/// bends is even over some pixels.
class TilePlaces {
  public:
    /// @param of  the place of a pixel of the tile's plane.
    template <class Of>
    TilePlaces(const cv::Rect& tile, const Of& of)
        : grid_((tile.height + kStep - 1) / kStep + 1, (tile.width + kStep - 1) / kStep + 1) {
        for (int v = 0; v < grid_.rows; ++v)
            for (int u = 0; u < grid_.cols; ++u) {
                const cv::Point2f at = of(tile.x + u * kStep, tile.y + v * kStep);
                grid_(v, u) = {at.x, at.y};
                left_ = std::min(left_, at.x), right_ = std::max(right_, at.x);
                top_ = std::min(top_, at.y), bottom_ = std::max(bottom_, at.y);
            }
    }
    /// @param x, y  counted from the tile's corner.
    cv::Vec2f at(int x, int y) const {
        const int u = x / kStep, v = y / kStep;
        const float across = float(x % kStep) / kStep, down = float(y % kStep) / kStep;
        const cv::Vec2f upper = grid_(v, u) + across * (grid_(v, u + 1) - grid_(v, u)),
                        lower = grid_(v + 1, u) + across * (grid_(v + 1, u + 1) - grid_(v + 1, u));
        return upper + down * (lower - upper);
    }
    /// What of a picture a cubic looks at there; at least a pixel.
    cv::Rect looked_at(cv::Size picture) const {
        constexpr float kReach = 3;
        const auto within = [](float place, int count) {
            return std::clamp(int(std::floor(std::clamp(place, -1e6f, 1e6f))), 0, count - 1);
        };
        const int left = within(left_ - kReach, picture.width), top = within(top_ - kReach, picture.height);
        return {left, top, within(right_ + kReach, picture.width) + 1 - left,
                within(bottom_ + kReach, picture.height) + 1 - top};
    }

  private:
    static constexpr int kStep = 8;
    cv::Mat2f grid_;
    float left_ = 1e9f, right_ = -1e9f, top_ = 1e9f, bottom_ = -1e9f;
};

constexpr int kLensTile = 256;  // px a side

/// Calls back with each tile of an area, in several threads.
template <class Work>
void for_tiles(const cv::Rect& area, const Job& job, const Work& work) {
    const int across = (area.width + kLensTile - 1) / kLensTile,
              down = (area.height + kLensTile - 1) / kLensTile;
    for_rows(across * down, job, [&](int number) {
        work(cv::Rect(area.x + number % across * kLensTile, area.y + number / across * kLensTile, kLensTile,
                      kLensTile) &
             area);
    });
}

/// Square roots of one colour, which resampling works on (see warp.h).
cv::Mat1f roots_of(const cv::Mat3f& light, int channel) {
    cv::Mat1f root(light.size());
    for (int y = 0; y < light.rows; ++y)
        for (int x = 0; x < light.cols; ++x) root(y, x) = std::sqrt(std::max(0.0f, light(y, x)[channel]));
    return root;
}

/// A tile resampled.   @param source  that `light` is of.
cv::Mat3f resampled(const cv::Mat3f& light, const cv::Rect& source, const TilePlaces& places, cv::Size size) {
    cv::Mat3f made(size);
    for (int channel = 0; channel < 3; ++channel) {
        const cv::Mat1f root = roots_of(light, channel);
        for (int y = 0; y < size.height; ++y)
            for (int x = 0; x < size.width; ++x) {
                const cv::Vec2f at = places.at(x, y);
                const float value =
                    std::max(0.0f, cubic_at(root, double(at[0]) - source.x, double(at[1]) - source.y));
                made(y, x)[channel] = value * value;
            }
    }
    return made;
}

cv::Mat resampled_alpha(const cv::Mat& alpha, const cv::Rect& source, const TilePlaces& places,
                        cv::Size size) {
    const float full = alpha.depth() == CV_16U ? 65535 : 255;
    cv::Mat1f opaque, made(size);
    alpha(source).convertTo(opaque, CV_32F);
    for (int y = 0; y < size.height; ++y)
        for (int x = 0; x < size.width; ++x) {
            const cv::Vec2f at = places.at(x, y);
            made(y, x) =
                std::clamp(cubic_at(opaque, double(at[0]) - source.x, double(at[1]) - source.y), 0.0f, full);
        }
    cv::Mat whole;
    made.convertTo(whole, alpha.depth());
    return whole;
}

}  // namespace

std::optional<Lens> lens_of(const ShootingData& shooting) {
    if (shooting.lens.empty() || !shooting.focal_length_mm) return std::nullopt;
    const Known own = known(shooting.camera_maker, shooting.camera_model, shooting.lens);
    if (!own.lens) return std::nullopt;
    Lens lens;
    lens.camera_maker = shooting.camera_maker;
    lens.camera_model = shooting.camera_model;
    lens.name = lf_mlstr_get(own.lens->Model);
    lens.focal_mm = *shooting.focal_length_mm;
    lens.f_number = shooting.f_number.value_or(kUsualFNumber);
    lens.focus_m = shooting.focus_distance_m.value_or(kUsualFocus_m);
    return lens;
}

Picture corrected_for_lens(const Picture& picture, const ToneCurve& curve, const Lens& lens, PixelRect area,
                           cv::Size frame, const Job& job) {
    if (is_neutral(lens)) return picture;
    const Correction correction(lens, area, frame);
    const bool has_alpha = !picture.alpha.empty();
    Picture made{cv::Mat(picture.pixels.size(), picture.pixels.type()), {}, picture.profile};
    if (has_alpha) made.alpha.create(picture.alpha.size(), picture.alpha.type());
    for_tiles({{}, picture.pixels.size()}, job, [&](const cv::Rect& tile) {
        cv::Mat3f light;
        if (correction.bends()) {
            const TilePlaces places(tile,
                                    [&](int x, int y) { return correction.source_of(cv::Point(x, y)); });
            const cv::Rect source = places.looked_at(picture.pixels.size());
            light = resampled(correction.light(picture, curve, source), source, places, tile.size());
            if (has_alpha)
                resampled_alpha(picture.alpha, source, places, tile.size()).copyTo(made.alpha(tile));
        } else {
            light = correction.light(picture, curve, tile);
            if (has_alpha) picture.alpha(tile).copyTo(made.alpha(tile));
        }
        from_linear(light, curve, picture.profile).pixels.copyTo(made.pixels(tile));
    });
    return made;
}

cv::Mat3f straightened_light(const Picture& picture, const ToneCurve& curve, const Lens& lens, PixelRect area,
                             cv::Size frame, const cv::Matx33d& to_straight, PixelRect part, const Job& job) {
    const Correction correction(lens, area, frame);
    cv::Mat3f made(part.size());
    for_tiles(part, job, [&](const cv::Rect& tile) {
        const TilePlaces places(
            tile, [&](int x, int y) { return correction.source_of(mapped(to_straight, x, y)); });
        const cv::Rect source = places.looked_at(picture.pixels.size());
        resampled(correction.light(picture, curve, source), source, places, tile.size())
            .copyTo(made(tile - part.tl()));
    });
    return made;
}

}  // namespace moorhaze
