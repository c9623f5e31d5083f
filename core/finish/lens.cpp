// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/lens.h"

#include <lensfun.h>

#include <cmath>
#include <memory>

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
    const Known own = known(lens.camera_maker, lens.camera_model, lens.name);
    if (!own.lens)
        throw BadParameter("the lens database knows no " + lens.name + ": switch the lens off, or update it");
    lfModifier modifier(own.lens, float(own.crop), frame.width, frame.height);
    const int does = modifier.Initialize(own.lens, LF_PF_F32, float(lens.focal_mm), float(lens.f_number),
                                         float(lens.focus_m), 0, own.lens->Type, corrections(lens), false);
    cv::Mat3f light = to_linear({picture.pixels, {}, picture.profile}, curve);
    job.checkpoint(0.2);
    if (does & LF_MODIFY_VIGNETTING)
        for_rows(light.rows, job.quiet(), [&](int y) {
            modifier.ApplyColorModification(light.ptr<float>(y), float(area.x), float(area.y + y), light.cols,
                                            1, LF_CR_3(RED, GREEN, BLUE), int(light.step));
        });
    job.checkpoint(0.4);
    if (!(does & LF_MODIFY_DISTORTION))
        return {from_linear(light, curve, picture.profile).pixels, picture.alpha, picture.profile};
    const auto from_row = [&](int y) {
        std::vector<float> from(2 * std::size_t(light.cols));
        modifier.ApplyGeometryDistortion(float(area.x), float(area.y + y), light.cols, 1, from.data());
        for (std::size_t i = 0; i < from.size(); i += 2)
            from[i] -= float(area.x), from[i + 1] -= float(area.y);
        return from;
    };
    cv::Mat3f made(light.size());
    for (int channel = 0; channel < 3; ++channel) {
        cv::Mat1f root(light.size());
        for_rows(light.rows, job.quiet(), [&](int y) {
            for (int x = 0; x < light.cols; ++x) root(y, x) = std::sqrt(std::max(0.0f, light(y, x)[channel]));
        });
        for_rows(light.rows, job.quiet(), [&](int y) {
            const std::vector<float> from = from_row(y);
            for (int x = 0; x < light.cols; ++x) {
                const float value = std::max(0.0f, cubic_at(root, double(from[2 * std::size_t(x)]),
                                                            double(from[2 * std::size_t(x) + 1])));
                made(y, x)[channel] = value * value;
            }
        });
        job.checkpoint(0.5 + 0.15 * channel);
    }
    cv::Mat alpha;
    if (!picture.alpha.empty()) {
        cv::Mat1f opaque, moved(light.size());
        picture.alpha.convertTo(opaque, CV_32F);
        for_rows(light.rows, job.quiet(), [&](int y) {
            const std::vector<float> from = from_row(y);
            for (int x = 0; x < light.cols; ++x)
                moved(y, x) = std::clamp(
                    cubic_at(opaque, double(from[2 * std::size_t(x)]), double(from[2 * std::size_t(x) + 1])),
                    0.0f, 65535.0f);
        });
        moved.convertTo(alpha, CV_16U);
    }
    return {from_linear(made, curve, picture.profile).pixels, alpha, picture.profile};
}

}  // namespace moorhaze
