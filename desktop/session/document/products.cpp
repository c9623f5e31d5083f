// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/document/products.h"

#include <algorithm>
#include <opencv2/imgproc.hpp>

#include "core/project/merge_series.h"
#include "desktop/session/work/display_picture.h"

namespace moorhaze::desktop {
namespace {

constexpr std::size_t kFrameShelfBytes = std::size_t(1600) << 20;
constexpr std::size_t kMostLooks = 4, kMostPlanes = 12, kMostSources = 4;

template <class List>
void keep_newest(List& list, std::size_t most) {
    while (list.size() > most) list.pop_back();
}

constexpr int kThumbWidth = 160;  // px: a card's twice over, for screens of twice the density

}  // namespace

QImage thumb_of(const Picture& picture) {
    const double shrink = double(kThumbWidth) / picture.pixels.cols;
    Picture small{{}, {}, picture.profile};
    cv::resize(picture.pixels, small.pixels, {}, shrink, shrink, cv::INTER_AREA);
    return image_of(to_display(small, Job{}));
}

std::shared_ptr<const FrameSource> FrameSources::of(const PlanePtr& plane) {
    {
        const std::lock_guard lock(guard_);
        const auto found =
            std::find_if(kept_.begin(), kept_.end(), [&](const Kept& kept) { return kept.plane == plane; });
        if (found != kept_.end()) {
            kept_.splice(kept_.begin(), kept_, found);
            return found->source;
        }
    }
    // Two who ask at once may both make it; the frame they decode is the same.
    auto source = std::make_shared<const FrameSource>(plane->series, plane->geometry, shelf_);
    const std::lock_guard lock(guard_);
    kept_.push_front({plane, source});
    keep_newest(kept_, kMostSources);
    return source;
}

void FrameSources::clear() {
    const std::lock_guard lock(guard_);
    kept_.clear();
}

Products::Products(Document& document, QObject* parent)
    : QObject(parent),
      document_(document),
      shelf_(std::make_shared<FrameShelf>(kFrameShelfBytes)),
      sources_(std::make_shared<FrameSources>(shelf_)) {
    connect(&document_, &Document::changed, this, &Products::follow);
}

void Products::follow(const Changes& changes) {
    if (changes.series) {
        looks_.clear();
        planes_.clear();
        merges_.clear();
    }
    if (changes.series || changes.shot_again) {
        shelf_->clear();
        sources_->clear();
    }
    // What undo cannot bring back is not wanted again.
    std::erase_if(merges_, [&](const auto& own) { return !document_.history().knows(own.first); });
    unmoved_.reset();
    kept_area_.reset();
    if (changes.look()) find_look();
    if (changes.selection() || changes.placing || changes.development) find_plane();
    if (changes.look()) say(Kind::look);
    if (changes.selection() || changes.placing || changes.development || changes.kept) say(Kind::geometry);
}

void Products::say(Kind kind) {
    Settling::Step settles(document_.settling());
    settles.note_product(kind);
    emit changed(kind);
}

void Products::find_look() {
    const LookInputs wanted = look_inputs(document_.project());
    const auto found =
        std::find_if(looks_.begin(), looks_.end(), [&](const KeptLook& own) { return own.inputs == wanted; });
    if (found != looks_.end()) {
        looks_.splice(looks_.begin(), looks_, found);
        look_ = *found;
        return;
    }
    look_.reset();
    if (const auto other = look_in_other_order())
        look_ =
            KeptLook{wanted, std::make_shared<const Looked>(permuted(*other->looked, other->order)), false};
}

std::optional<Products::OtherOrder> Products::look_in_other_order() const {
    const LookInputs wanted = look_inputs(document_.project());
    for (const KeptLook& own : looks_) {
        if (own.inputs.development != wanted.development || own.inputs.frames.size() != wanted.frames.size())
            continue;
        OtherOrder other{own.looked, {}};
        for (const FrameVersion& frame : wanted.frames) {
            const auto old = std::find(own.inputs.frames.begin(), own.inputs.frames.end(), frame);
            if (old == own.inputs.frames.end()) break;
            other.order.push_back(int(old - own.inputs.frames.begin()));
        }
        if (other.order.size() == wanted.frames.size()) return other;
    }
    return std::nullopt;
}

void Products::keep_look(const LookInputs& inputs, Looked looked) {
    std::erase_if(looks_, [&](const KeptLook& own) { return own.inputs == inputs; });
    looks_.push_front({inputs, std::make_shared<const Looked>(std::move(looked)), true});
    keep_newest(looks_, kMostLooks);
    if (inputs != look_inputs(document_.project())) return;
    Settling::Step settles(document_.settling());
    find_look();
    // What is suggested as the reference frame decides whether the plane is current.
    find_plane();
    say(Kind::look);
    say(Kind::geometry);
}

FrameId Products::suggested_reference() const {
    if (!document_.has_series()) return {};
    const int count = document_.series().count();
    return document_.id_at(look_ ? std::clamp(look_->looked->whole.suggested_reference, 0, count - 1)
                                 : count / 2);
}

AlignInputs Products::align_inputs() const {
    return moorhaze::align_inputs(document_.project(), suggested_reference());
}

MadeFrom Products::merge_inputs() const {
    return moorhaze::merge_inputs(document_.project(), suggested_reference());
}

void Products::find_plane() {
    kept_area_.reset();
    const AlignInputs wanted = align_inputs();
    auto found = std::find_if(planes_.begin(), planes_.end(),
                              [&](const KeptPlane& own) { return own.inputs == wanted; });
    plane_is_current_ = found != planes_.end();
    if (plane_is_current_)
        planes_.splice(planes_.begin(), planes_, found);
    else
        found = std::find_if(planes_.begin(), planes_.end(),
                             [&](const KeptPlane& own) { return own.inputs.look == wanted.look; });
    plane_ = found == planes_.end() ? nullptr : found->plane;
}

std::shared_ptr<const Registration> Products::registration() const {
    const LookInputs wanted = look_inputs(document_.project());
    // The one that measured most serves longest.
    std::shared_ptr<const Registration> best;
    auto measured = [](const Registration& own) {
        return std::count(own.used.begin(), own.used.end(), true);
    };
    for (const KeptPlane& own : planes_)
        if (own.registration && own.inputs.look == wanted &&
            (!best || measured(*own.registration) > measured(*best)))
            best = own.registration;
    return best;
}

void Products::keep_plane(const AlignInputs& inputs, std::shared_ptr<const Registration> registration,
                          Plane plane) {
    keep({inputs, std::move(registration), std::make_shared<const Plane>(std::move(plane))});
}

void Products::keep_plane_of(const AlignInputs& inputs, const PlanePtr& plane) {
    const bool is_known = std::any_of(planes_.begin(), planes_.end(),
                                      [&](const KeptPlane& own) { return own.inputs == inputs; });
    if (!is_known) keep({inputs, nullptr, plane});
}

void Products::keep(KeptPlane kept) {
    std::erase_if(planes_, [&](const KeptPlane& own) { return own.inputs == kept.inputs; });
    planes_.push_front(std::move(kept));
    keep_newest(planes_, kMostPlanes);
    find_plane();
    say(Kind::geometry);
}

PlanePtr Products::plane_or_unmoved() const {
    if (plane_) return plane_;
    if (!unmoved_) {
        const int place = std::max(0, document_.place(reference()));
        unmoved_ =
            std::make_shared<const Plane>(Plane{document_.series(), unmoved(document_.series(), place)});
    }
    return unmoved_;
}

PixelRect Products::kept_area() const {
    if (!kept_area_)
        kept_area_ = plane_ ? merged_area(document_.series(), plane_->geometry, merge_inputs()) : PixelRect();
    return *kept_area_;
}

const MergeProduct* Products::merge(ResultId result) const {
    const auto found = merges_.find(result);
    return found == merges_.end() ? nullptr : &found->second;
}

ResultSources Products::result_sources(const SharedList<Stroke>& strokes, const PlanePtr& plane) const {
    ResultSources sources;
    for (const Stroke& stroke : strokes) {
        const auto* id = std::get_if<ResultId>(&stroke.source);
        if (!id || sources.contains(*id)) continue;
        if (const auto source = result_source(*id, plane)) sources[*id] = *source;
    }
    return sources;
}

std::optional<ResultSource> Products::result_source(ResultId result, const PlanePtr& plane) const {
    const MergeProduct* product = merge(result);
    if (!product) return std::nullopt;
    const auto lies =
        between_planes(product->plane->series, product->plane->geometry, plane->series, plane->geometry);
    return lies ? std::optional(ResultSource{product->result, *lies}) : std::nullopt;
}

void Products::keep_merge(ResultId result, MergeProduct product) {
    merges_[result] = std::move(product);
    say(Kind::merge);
}

}  // namespace moorhaze::desktop
