// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/tasks/match_points.h"

#include <cmath>

#include "core/align/matching_points.h"
#include "core/picture/luma.h"

namespace moorhaze::desktop {
namespace {

constexpr int kAround = 200;  // px, more than what a match looks at

/// The part of a frame around a place, and where it begins.
struct Part {
    cv::Mat1f luma;
    cv::Point2d from;
};

Part part_around(const Picture& picture, cv::Point2d at) {
    const cv::Point middle(int(std::lround(at.x)), int(std::lround(at.y)));
    const cv::Rect around =
        cv::Rect(middle - cv::Point(kAround, kAround), cv::Size(2 * kAround, 2 * kAround)) &
        cv::Rect({}, picture.pixels.size());
    if (around.empty()) return {};
    Picture part;
    part.pixels = picture.pixels(around).clone();
    part.profile = picture.profile;
    return {perceptual_luma(part, ToneCurve(part.profile), Job{}), around.tl()};
}

}  // namespace

MatchPoints::MatchPoints(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.look()) forget_waiting();
        if (changes.placing) emit changed();
    });
    connect(&base_.products, &Products::changed, this, [this](Products::Kind kind) {
        if (kind == Products::Kind::geometry) emit changed();
    });
}

void MatchPoints::forget_waiting() {
    wish_.drop();
    waiting_.reset();
    emit changed();
}

void MatchPoints::set(FrameId frame, cv::Point2d at, FrameId partner) {
    const int place = base_.document.place(frame);
    if (place < 0 || base_.document.place(partner) < 0) return;
    if (frame == partner)
        return base_.notices.notify_error(
            tr("This frame is compared with itself: choose another one to compare with."));
    if (wish_.is_busy())
        return base_.notices.notify(tr("The point before is still being matched; set this one in a moment."));
    const cv::Size size = base_.document.series().size();
    if (at.x < 0 || at.y < 0 || at.x > size.width - 1 || at.y > size.height - 1)
        return base_.notices.notify_error(
            tr("There is no picture at that place of frame %1: set the point inside.").arg(place + 1));
    if (waiting_ && waiting_->frame == partner && waiting_->partner == frame)
        return join(*waiting_, frame, at);
    waiting_ = Half{frame, partner, at};
    emit changed();
}

void MatchPoints::join(const Half& first, FrameId frame, cv::Point2d at) {
    const auto own = [&](FrameId id) {
        return base_.document.series().frames[std::size_t(base_.document.place(id))];
    };
    wish_.want(
        [one = own(first.frame), other = own(frame), shelf = base_.products.frame_shelf(), in_one = first.at,
         in_other = at](const Job&) -> std::optional<cv::Point2d> {
            const Part here = part_around(*shelf->whole(one.path, one.development), in_one),
                       there = part_around(*shelf->whole(other.path, other.development), in_other);
            const auto found =
                refined_match(here.luma, in_one - here.from, there.luma, in_other - there.from);
            if (!found) return std::nullopt;
            return *found + there.from;
        },
        [this, first, frame, at](const std::optional<cv::Point2d>& found) {
            waiting_.reset();
            Placing placing = base_.document.project().placing;
            placing.points.push_back({first.frame, frame, first.at, found.value_or(at)});
            base_.document.edit(tr("matching points in frames %1 and %2")
                                    .arg(base_.document.place(first.frame) + 1)
                                    .arg(base_.document.place(frame) + 1),
                                with_placing(base_.document.project(), placing));
            if (!found)
                base_.notices.notify(
                    tr("Around these points nothing was found that both frames hold: the "
                       "second one stays where you put it."));
            emit changed();
        },
        [this](const std::exception& error) {
            base_.notices.notify_error(QString::fromUtf8(error.what()));
            emit changed();
        });
}

void MatchPoints::drop(int pair) {
    Placing placing = base_.document.project().placing;
    if (pair < 0 || pair >= int(placing.points.size())) return;
    placing.points.erase(placing.points.begin() + pair);
    base_.document.edit(tr("drop matching points"), with_placing(base_.document.project(), placing));
}

}  // namespace moorhaze::desktop
