// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/sounding.h"

#include <algorithm>
#include <cmath>

#include "desktop/session/work/display_picture.h"

namespace moorhaze::desktop {
namespace {

constexpr float kTrusted = 0.5f;  // depth of the merge that stands for what was measured there
constexpr double kLeastReach = 8;

/// A part of a patch, in its own pixels.
LinearFrame cut(const LinearFrame& own, cv::Rect part) {
    LinearFrame made;
    made.pixels = own.pixels(part);
    for (int y = part.y; y < part.br().y; ++y) {
        const RowSpan& row = own.covered[std::size_t(y)];
        made.covered.push_back(
            {std::clamp(row.begin - part.x, 0, part.width), std::clamp(row.end - part.x, 0, part.width)});
    }
    return made;
}

}  // namespace

Sounding::Sounding(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.look()) close();
    });
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::stage) close();
        // It belongs to the plane that is shown.
        if (aspect == Standpoint::Aspect::result && is_open()) {
            const ProjectResult* shown = base_.standpoint.result();
            const MergeProduct* product = shown ? base_.products.merge(shown->id) : nullptr;
            if (product && product->plane != plane_) return close();
            results_ = other_results();
            emit changed();
            if (!wish_.is_busy()) load_results();
        }
    });
}

void Sounding::close() {
    wish_.drop();
    if (!is_open()) return;
    plane_.reset();
    patches_.clear();
    results_.clear();
    emit changed();
}

Sounding::Patch Sounding::patch_of(int index) const {
    // Frames may have been put in another order since the plane was made.
    const FrameId frame = plane_->series.frames[std::size_t(index)].id;
    const int place = base_.document.place(frame);
    return {frame, place < 0 ? index + 1 : place + 1, index, {}, -1, nullptr, false};
}

std::optional<FrameId> Sounding::sharpest_by_profile() const {
    const Looked* looked = base_.products.looked();
    if (!looked) return std::nullopt;
    const cv::Size size = plane_->series.size();
    std::optional<FrameId> best;
    float most = -1;
    for (int i = 0; i < plane_->series.count(); ++i) {
        const Frame& frame = plane_->series.frames[std::size_t(i)];
        const int place = base_.document.place(frame.id);
        if (place < 0 || place >= int(looked->profiles.size()) || !frame.used) continue;
        const cv::Vec3d own =
            plane_->geometry.frames[std::size_t(i)].matrix.inv() * cv::Vec3d(place_.x(), place_.y(), 1);
        const float value =
            sharpness_at(looked->profiles[std::size_t(place)], (own[0] / own[2] + 0.5) / size.width,
                         (own[1] / own[2] + 0.5) / size.height);
        if (value > most) most = value, best = frame.id;
    }
    return best;
}

void Sounding::drop(QPointF place, int patch_px, PlanePtr plane) {
    const cv::Size size = plane->series.size();
    if (place.x() < 0 || place.y() < 0 || place.x() >= size.width || place.y() >= size.height) return close();
    plane_ = std::move(plane);
    place_ = place;
    patch_px_ = patch_px;
    patches_.clear();
    judged_.reset();
    expected_ = sharpest_by_merge();
    if (!expected_) expected_ = sharpest_by_profile();
    results_ = other_results();
    const int count = plane_->series.count(), shown = std::min(kPatches - int(results_.size()), count);
    const auto middle =
        index_of(plane_->series, expected_ ? *expected_ : base_.standpoint.frame().value_or(FrameId{}));
    const int first = std::clamp(middle.value_or(count / 2) - shown / 2, 0, count - shown);
    for (int i = first; i < first + shown; ++i) patches_.push_back(patch_of(i));
    shifts_left_ = 2;
    emit changed();
    load_next();
}

/// When the measured peak stands at an end of the window, the window moves along; false when it need not.
bool Sounding::follow_sharpest() {
    const int count = plane_->series.count(), shown = int(patches_.size());
    const auto sharpest = sharpest_frame();
    if (shifts_left_ <= 0 || shown == 0 || !sharpest) return false;
    const int index = index_of(plane_->series, *sharpest).value_or(0);
    const int first = std::clamp(index - shown / 2, 0, count - shown);
    const bool at_end = index == patches_.front().index || index == patches_.back().index;
    if (!at_end || first == patches_.front().index) return false;
    --shifts_left_;
    expected_ = sharpest;
    std::vector<Patch> moved;
    for (int i = first; i < first + shown; ++i) {
        const auto known = std::find_if(patches_.begin(), patches_.end(),
                                        [i](const Patch& patch) { return patch.index == i; });
        moved.push_back(known == patches_.end() ? patch_of(i) : *known);
    }
    patches_ = std::move(moved);
    return true;
}

std::optional<FrameId> Sounding::sharpest_frame() const {
    if (!judged_) return expected_;
    return judged_->empty() ? std::nullopt : std::optional(judged_->front());
}

std::optional<FrameId> Sounding::other_sharp_frame() const {
    return judged_ && judged_->size() > 1 ? std::optional((*judged_)[1]) : std::nullopt;
}

/// A third of what a patch shows, to each side; never less than merges judge.
double Sounding::reach_px() const {
    return std::max(kLeastReach, patch_px_ / 6.0);
}

/// Where an aligned merge knows the depth, that is where to look first.
std::optional<FrameId> Sounding::sharpest_by_merge() const {
    const ProjectResult* shown = base_.standpoint.result();
    const MergeProduct* product = shown ? base_.products.merge(shown->id) : nullptr;
    if (!product || product->plane != plane_ || product->result->depth.empty() ||
        product->result->trust.empty())
        return std::nullopt;  // an even blend knows no depth
    const MergeResult& merge = *product->result;
    const cv::Point at =
        cv::Point(int(std::lround(place_.x())), int(std::lround(place_.y()))) - merge.area.tl();
    if (!cv::Rect({}, merge.area.size()).contains(at) || merge.trust(at) < kTrusted) return std::nullopt;
    const int index = int(std::lround(merge.depth(at))) - 1;
    if (index < 0 || index >= plane_->series.count()) return std::nullopt;
    return plane_->series.frames[std::size_t(index)].id;
}

/// All patches are there: what they say together, beside the interface.
void Sounding::judge() {
    struct Asked {
        int index = 0;
        std::shared_ptr<const LinearFrame> part;
    };
    std::vector<Asked> asked;
    for (const Patch& patch : patches_)
        if (patch.part) asked.push_back({patch.index, patch.part});
    wish_.want(
        [asked, place = cv::Point2d(place_.x(), place_.y()), reach = reach_px()](const Job& job) {
            SharpAtPlace judge(place, reach);
            for (const Asked& own : asked) judge.add(own.index, *own.part, job);
            return judge.frames(job);
        },
        [this, asked](const SharpFrames& sharp) {
            std::vector<FrameId> frames;
            for (const SharpFrames::Own& own : sharp.frames)
                frames.push_back(plane_->series.frames[std::size_t(own.frame)].id);
            judged_ = frames;
            for (Patch& patch : patches_)
                for (std::size_t k = 0; k < std::min(asked.size(), sharp.shares.size()); ++k)
                    if (asked[k].index == patch.index) patch.share = float(sharp.shares[k]);
            if (follow_sharpest()) {
                judged_.reset();
                emit changed();
                return load_next();
            }
            emit changed();
            load_results();
        },
        // Nothing was measured: what was known before stands.
        [this](const std::exception& error) { base_.notices.notify_error(QString::fromUtf8(error.what())); });
}

std::optional<FrameId> Sounding::frame_in_use() const {
    const ProjectResult* shown = base_.standpoint.result();
    const MergeProduct* product = shown ? base_.products.merge(shown->id) : nullptr;
    if (!product) return std::nullopt;
    const PixelRect& area = product->result->area;
    const cv::Point at(int(std::lround(place_.x())) - area.x, int(std::lround(place_.y())) - area.y);
    if (!cv::Rect({}, area.size()).contains(at)) return std::nullopt;
    const int number = product->result->source(at);
    if (number < 1) return std::nullopt;
    return product->plane->series.frames[std::size_t(number) - 1].id;
}

void Sounding::load_next() {
    if (!is_open()) return;
    // The likeliest first, then outwards.
    const auto expected = expected_ ? index_of(plane_->series, *expected_) : std::nullopt;
    const int middle = expected ? int(*expected) : patches_[patches_.size() / 2].index;
    int next = -1;
    for (int i = 0; i < int(patches_.size()); ++i)
        if (!patches_[std::size_t(i)].was_tried &&
            (next < 0 || std::abs(patches_[std::size_t(i)].index - middle) <
                             std::abs(patches_[std::size_t(next)].index - middle)))
            next = i;
    if (next < 0) return judge();
    struct Loaded {
        QImage image;
        std::shared_ptr<const LinearFrame> part;
    };
    const FrameId frame = patches_[std::size_t(next)].frame;
    auto took = [this, frame](const Loaded& loaded) {
        for (Patch& patch : patches_)
            if (patch.frame == frame)
                patch.image = loaded.image, patch.part = loaded.part, patch.was_tried = true;
        emit changed();
        load_next();
    };
    wish_.want(
        [index = patches_[std::size_t(next)].index, seen = patch_area(),
         judged = part_to_judge({place_.x(), place_.y()}, reach_px()), plane = plane_,
         sources = base_.products.sources()](const Job& job) {
            const auto source = sources->of(plane);
            const PixelRect both = seen | judged;
            const LinearFrame warped = source->load(index, both, job);
            return Loaded{
                image_of(shown_pixels(
                    picture_of(cut(warped, seen - both.tl()), source->curve(), source->profile()), job)),
                std::make_shared<const LinearFrame>(cut(warped, judged - both.tl()))};
        },
        took,
        // It stays without a picture; the series said why when it was looked into.
        [took](const std::exception&) { took({}); });
}

PixelRect Sounding::patch_area() const {
    return {int(std::lround(place_.x())) - patch_px_ / 2, int(std::lround(place_.y())) - patch_px_ / 2,
            patch_px_, patch_px_};
}

std::vector<Sounding::ResultPatch> Sounding::other_results() const {
    std::vector<ResultPatch> others;
    const SharedList<ProjectResult>& all = base_.document.project().results;
    const ProjectResult* shown = base_.standpoint.result();
    if (base_.standpoint.stage() != Stage::mend || !shown) return others;
    const int most = std::min(kResultPatches, kPatches - int(patches_.size()));
    for (int i = all.size() - 1; i >= 0 && int(others.size()) < most; --i)
        if (all[i].id != shown->id && base_.products.result_source(all[i].id, plane_))
            others.push_back({all[i].id, QString::fromStdString(all[i].title), {}});
    return others;
}

void Sounding::load_results() {
    const auto next = std::find_if(results_.begin(), results_.end(),
                                   [](const ResultPatch& patch) { return patch.image.isNull(); });
    if (next == results_.end()) return;
    const auto source = base_.products.result_source(next->result, plane_);
    if (!source) return;  // it was let go meanwhile
    wish_.want(
        [source = *source, area = patch_area(), plane = plane_,
         frames = base_.products.sources()](const Job& job) {
            const auto own = frames->of(plane);
            const LinearFrame laid = result_over(source, area, own->curve(), job);
            return image_of(shown_pixels(picture_of(laid, own->curve(), own->profile()), job));
        },
        [this, id = next->result](const QImage& image) {
            for (ResultPatch& patch : results_)
                if (patch.result == id) patch.image = image;
            emit changed();
            load_results();
        },
        [](const std::exception&) {});  // it stays without a picture
}

}  // namespace moorhaze::desktop
