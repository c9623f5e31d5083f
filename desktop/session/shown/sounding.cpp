// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/sounding.h"

#include <algorithm>
#include <cmath>

#include "desktop/session/work/display_picture.h"

namespace moorhaze::desktop {
namespace {

constexpr float kTrusted = 0.5f;  // depth of the merge that stands for what was measured there

}  // namespace

bool Sounding::AskedResults::operator==(const AskedResults& other) const {
    return at == other.at &&
           std::equal(patches.begin(), patches.end(), other.patches.begin(), other.patches.end(),
                      [](const ResultPatch& one, const ResultPatch& its) {
                          return one.result == its.result && one.title == its.title;
                      }) &&
           std::equal(
               sources.begin(), sources.end(), other.sources.begin(), other.sources.end(),
               [](const ResultSource& one, const ResultSource& its) { return one.merge == its.merge; });
}

Sounding::Sounding(SessionBase& base, QObject* parent)
    : QObject(parent),
      base_(base),
      heard_({.name = tr("the sounding"),
              .inputs = [this] { return inputs(); },
              .make_in_parts =
                  [sources = base.products.sources()](const SoundedPlace& asked, const Job& job,
                                                      const std::function<void(const Heard&)>& so_far) {
                      return hear(asked, *sources, so_far, job);
                  }},
             base.derived),
      results_({.name = tr("other results in the sounding"),
                .inputs = [this] { return result_inputs(); },
                .make_in_parts =
                    [sources = base.products.sources()](
                        const AskedResults& asked, const Job& job,
                        const std::function<void(const std::vector<ResultPatch>&)>& so_far) {
                        const auto own = sources->of(asked.at.plane);
                        std::vector<ResultPatch> patches = asked.patches;
                        for (std::size_t i = 0; i < patches.size(); ++i) {
                            const LinearFrame laid =
                                result_over(asked.sources[i], patch_area(asked.at), own->curve(), job);
                            patches[i].image =
                                image_of(shown_pixels(picture_of(laid, own->curve(), own->profile()), job));
                            so_far(patches);
                        }
                        return patches;
                    }},
               base.derived) {
    connect(&heard_, &DerivedRow::changed, this, &Sounding::changed);
    connect(&results_, &DerivedRow::changed, this, &Sounding::changed);
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.look()) close();
    });
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::stage) close();
        // It belongs to the plane that is shown.
        if (aspect == Standpoint::Aspect::result && is_open()) {
            const ProjectResult* shown = base_.standpoint.result();
            const MergeProduct* product = shown ? base_.products.merge(shown->id) : nullptr;
            if (product && product->plane != asked_->plane) close();
        }
    });
}

void Sounding::close() {
    if (!is_open()) return;
    asked_.reset();
    silence_ = {};
    heard_.follow();
    results_.follow();
    emit changed();
}

void Sounding::drop(QPointF place, int patch_px, PlanePtr plane) {
    const cv::Size size = plane->series.size();
    if (place.x() < 0 || place.y() < 0 || place.x() >= size.width || place.y() >= size.height) return close();
    SoundedPlace asked{base_.document.id(), plane, place, patch_px, 0, {}, 0, {}};
    asked.expected = sharpest_by_merge(plane, place);
    if (!asked.expected) asked.expected = sharpest_by_looking(*plane, place);
    const int count = plane->series.count();
    asked.middle = int(index_of(plane->series, asked.expected ? *asked.expected
                                                              : base_.standpoint.frame().value_or(FrameId{}))
                           .value_or(std::size_t(count / 2)));
    for (int i = 0; i < count; ++i) {
        // Frames may have been put in another order since the plane was made.
        const int number = base_.document.place(plane->series.frames[std::size_t(i)].id);
        asked.numbers.push_back(number < 0 ? i + 1 : number + 1);
    }
    // Room is left for the results that could be painted from.
    asked_ = asked;
    const auto others = result_inputs();
    asked_->patches = std::min(kPatches - int(others ? others->patches.size() : 0), count);
    silence_ = silence_at(*asked_);
    heard_.follow();
    results_.follow();
    emit changed();
}

tl::expected<SoundedPlace, Why> Sounding::inputs() const {
    if (!asked_) return tl::unexpected(Why{tr("Nothing is sounded.")});
    return *asked_;
}

tl::expected<Sounding::AskedResults, Why> Sounding::result_inputs() const {
    const ProjectResult* shown = base_.standpoint.result();
    if (!asked_ || !shown || base_.standpoint.stage() != Stage::mend)
        return tl::unexpected(Why{tr("Nothing is sounded in Mend.")});
    AskedResults asked{*asked_, {}, {}};
    const SharedList<ProjectResult>& all = base_.document.project().results;
    const int most = std::min(kResultPatches, kPatches - asked_->patches);
    for (int i = all.size() - 1; i >= 0 && int(asked.patches.size()) < most; --i) {
        if (all[i].id == shown->id) continue;
        if (const auto source = base_.products.result_source(all[i].id, asked_->plane)) {
            asked.patches.push_back({all[i].id, QString::fromStdString(all[i].title), {}});
            asked.sources.push_back(*source);
        }
    }
    return asked;
}

const Heard& Sounding::heard() const {
    return heard_.value() ? *heard_.value() : silence_;
}

const std::vector<Sounding::ResultPatch>& Sounding::results() const {
    static const std::vector<ResultPatch> none;
    if (results_.value()) return *results_.value();
    return results_.wanted() ? results_.wanted()->patches : none;
}

std::optional<FrameId> Sounding::sharpest_frame() const {
    const auto& judged = heard().judged;
    if (!judged) return asked_ ? asked_->expected : std::nullopt;
    return judged->empty() ? std::nullopt : std::optional(judged->front());
}

std::optional<FrameId> Sounding::other_sharp_frame() const {
    const auto& judged = heard().judged;
    return judged && judged->size() > 1 ? std::optional((*judged)[1]) : std::nullopt;
}

/// By the previews, which lie over each other roughly; before those are there by the profiles.
std::optional<FrameId> Sounding::sharpest_by_looking(const Plane& plane, QPointF place) const {
    const Looked* looked = base_.products.looked();
    if (!looked) return std::nullopt;
    const cv::Size size = plane.series.size();
    const auto share_in = [&](std::size_t index) {
        const cv::Vec3d own = plane.geometry.frames[index].matrix.inv() * cv::Vec3d(place.x(), place.y(), 1);
        return cv::Point2d((own[0] / own[2] + 0.5) / size.width, (own[1] / own[2] + 0.5) / size.height);
    };
    const auto shown = index_of(plane.series, base_.standpoint.frame().value_or(FrameId{}));
    if (looked->quick && shown) {
        const cv::Point2d share = share_in(*shown);
        const auto sharp =
            looked->quick->sharp_at(share.x, share.y, base_.document.place(plane.series.frames[*shown].id));
        if (!sharp.frames.empty()) return base_.document.id_at(sharp.frames[0].frame);
    }
    std::optional<FrameId> best;
    float most = -1;
    for (int i = 0; i < plane.series.count(); ++i) {
        const Frame& frame = plane.series.frames[std::size_t(i)];
        const int number = base_.document.place(frame.id);
        if (number < 0 || number >= int(looked->profiles.size()) || !frame.used) continue;
        const cv::Point2d share = share_in(std::size_t(i));
        const float value = sharpness_at(looked->profiles[std::size_t(number)], share.x, share.y);
        if (value > most) most = value, best = frame.id;
    }
    return best;
}

/// Where an aligned merge knows the depth, that is where to look first.
std::optional<FrameId> Sounding::sharpest_by_merge(const PlanePtr& plane, QPointF place) const {
    const ProjectResult* shown = base_.standpoint.result();
    const MergeProduct* product = shown ? base_.products.merge(shown->id) : nullptr;
    if (!product || product->plane != plane || product->result->depth.empty() ||
        product->result->trust.empty())
        return std::nullopt;  // an even blend knows no depth
    const MergeResult& merge = *product->result;
    const cv::Point at =
        cv::Point(int(std::lround(place.x())), int(std::lround(place.y()))) - merge.area.tl();
    if (!cv::Rect({}, merge.area.size()).contains(at) || merge.trust(at) < kTrusted) return std::nullopt;
    const int index = int(std::lround(merge.depth(at))) - 1;
    if (index < 0 || index >= plane->series.count()) return std::nullopt;
    return plane->series.frames[std::size_t(index)].id;
}

std::optional<FrameId> Sounding::frame_in_use() const {
    const ProjectResult* shown = base_.standpoint.result();
    const MergeProduct* product = shown ? base_.products.merge(shown->id) : nullptr;
    if (!product || !asked_) return std::nullopt;
    const PixelRect& area = product->result->area;
    const cv::Point at(int(std::lround(asked_->place.x())) - area.x,
                       int(std::lround(asked_->place.y())) - area.y);
    if (!cv::Rect({}, area.size()).contains(at)) return std::nullopt;
    const int number = product->result->source(at);
    if (number < 1) return std::nullopt;
    return product->plane->series.frames[std::size_t(number) - 1].id;
}

}  // namespace moorhaze::desktop
