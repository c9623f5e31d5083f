#include "desktop/session/match_points.h"

#include <cmath>

#include "core/align/matching_points.h"
#include "core/picture/luma.h"
#include "desktop/session/run_beside.h"

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

MatchPoints::MatchPoints(Session& session, QObject* parent) : QObject(parent), session_(session) {
    pool_.setMaxThreadCount(1);
    for (auto signal : {&Session::series_changed, &Session::order_changed})
        connect(&session_, signal, this, &MatchPoints::forget_waiting);
    connect(&session_, &Session::geometry_changed, this, &MatchPoints::changed);
}

MatchPoints::~MatchPoints() {
    pool_.waitForDone();
}

void MatchPoints::forget_waiting() {
    waiting_.reset();
    emit changed();
}

void MatchPoints::set(int frame, cv::Point2d at, int partner) {
    if (working_ || frame == partner || frame < 0 || partner < 0) return;
    const cv::Size size = session_.series().size();
    if (at.x < 0 || at.y < 0 || at.x > size.width - 1 || at.y > size.height - 1)
        return session_.tell(
            QStringLiteral("There is no picture at that place of frame %1: set the point inside.")
                .arg(frame + 1),
            true);
    if (waiting_ && waiting_->frame == partner && waiting_->partner == frame)
        return join(*waiting_, frame, at);
    waiting_ = Half{frame, partner, at};
    emit changed();
}

void MatchPoints::join(const Half& first, int frame, cv::Point2d at) {
    working_ = true;
    auto find = [one = session_.series().frames[std::size_t(first.frame)],
                 other = session_.series().frames[std::size_t(frame)], cache = session_.frame_cache(),
                 in_one = first.at, in_other = at]() -> std::optional<cv::Point2d> {
        const Part here = part_around(*cache->get(one.path, one.development), in_one),
                   there = part_around(*cache->get(other.path, other.development), in_other);
        const auto found = refined_match(here.luma, in_one - here.from, there.luma, in_other - there.from);
        if (!found) return std::nullopt;
        return *found + there.from;
    };
    run_beside(
        pool_, this, find,
        [this, first, frame, at,
         path = session_.series().frames[std::size_t(frame)].path](const std::optional<cv::Point2d>& found) {
            working_ = false;
            waiting_.reset();
            // The series may be another one by now.
            if (frame < session_.series().count() &&
                session_.series().frames[std::size_t(frame)].path == path) {
                PlaceSettings placing = session_.placing();
                placing.points.push_back({first.frame, frame, first.at, found.value_or(at)});
                session_.set_placing(placing, QStringLiteral("matching points in frames %1 and %2")
                                                  .arg(first.frame + 1)
                                                  .arg(frame + 1));
                if (!found)
                    session_.tell(
                        QStringLiteral("Around these points nothing was found that both frames hold: "
                                       "the second one stays where you put it."),
                        false);
            }
            emit changed();
        },
        [this](const std::exception& error) {
            working_ = false;
            session_.tell(QString::fromUtf8(error.what()), true);
            emit changed();
        });
}

void MatchPoints::drop(int pair) {
    PlaceSettings placing = session_.placing();
    if (pair < 0 || pair >= int(placing.points.size())) return;
    placing.points.erase(placing.points.begin() + pair);
    session_.set_placing(placing, QStringLiteral("drop matching points"));
}

}  // namespace moorhaze::desktop
