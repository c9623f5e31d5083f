// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/snag_walk.h"

#include <algorithm>
#include <utility>

#include "core/finish/framing.h"
#include "core/project/edits.h"
#include "core/project/result_series.h"
#include "desktop/session/document/shown_finish.h"

namespace moorhaze::desktop {

SnagWalk::SnagWalk(SessionBase& base, QObject* parent)
    : QObject(parent),
      base_(base),
      snags_row_({.name = tr("snags"),
                  .inputs = [this] { return inputs(); },
                  .make =
                      [](const MendedResult& in, const Job& job) {
                          const MergeResult& merge = *in.product.result;
                          const SharedList<Stroke>& strokes = in.view.strokes;
                          Snags snags;
                          if (strokes.empty()) {
                              snags = snags_of_result(merge, in.product.plane->series,
                                                      in.product.plane->geometry, in.made_from, job);
                          } else {
                              const auto frames = in.sources->of(in.product.plane);
                              snags = snags_of_result(mended_merge(merge, strokes, {*frames, in.others}, job),
                                                      in.product.plane->series, in.product.plane->geometry,
                                                      in.made_from, job);
                          }
                          if (in.product.file) in.product.file->rest();
                          return snags;
                      },
                  // Looked for again, those known stay in the list until the others are there.
                  .serves =
                      [](const MendedResult& made_from, const MendedResult& today) {
                          return made_from.view.document == today.view.document &&
                                 made_from.view.result == today.view.result;
                      },
                  .most_kept = 8,
                  .may_come_back =
                      [this](const MendedResult& in) {
                          return in.view.document == base_.document.id() &&
                                 base_.products.merge(in.view.result);
                      }},
                 base.derived) {
    connect(&snags_row_, &DerivedRow::changed, this, &SnagWalk::show_known);
    connect(&base_.document.settling(), &Settling::settled, this, [this](const Settled& what) {
        if (what.document.series) looked_again_.clear();
        const ProjectResult* result = base_.standpoint.result();
        const auto& mended = what.document.mended;
        const bool may_be_resized = what.document.hand_over || what.document.finish;
        if (what.document.series || (result && std::count(mended.begin(), mended.end(), result->id)) ||
            (may_be_resized && shown_of_ && delivered_scale() != listed_scale_))
            show_known();
    });
}

tl::expected<MendedResult, Why> SnagWalk::inputs() const {
    const ProjectResult* result = base_.standpoint.result();
    if (!result) return tl::unexpected(Why{tr("Nothing is merged yet (Ctrl+Return).")});
    const auto again = looked_again_.find(result->id);
    auto in =
        mended_result(base_, *result, again == looked_again_.end() ? SharedList<Stroke>() : again->second);
    if (!in || base_.standpoint.stage() == Stage::mend || snags_row_.knows(*in)) return in;
    return tl::unexpected(Why{tr("Doubtful places are looked for in Mend.")});
}

QString SnagWalk::problem() const {
    if (snags_row_.state() != DerivedState::failed) return {};
    return tr("Doubtful places could not be looked for: %1").arg(snags_row_.why());
}

int SnagWalk::left() const {
    return int(
        std::count_if(snags_.begin(), snags_.end(), [](const WalkedSnag& own) { return own.is_left(); }));
}

int SnagWalk::plain_left() const {
    return int(std::count_if(snags_.begin(), snags_.end(),
                             [](const WalkedSnag& own) { return own.is_left() && own.is_plain(); }));
}

void SnagWalk::set_by_nearness(bool by_nearness) {
    if (goes_by_nearness_ == by_nearness) return;
    goes_by_nearness_ = by_nearness;
    show_known();
}

SharedList<Stroke> SnagWalk::strokes_since() const {
    const SharedList<Stroke>&all = base_.standpoint.result()->strokes,
          &known = snags_row_.made_from()->view.strokes;
    int same = 0;
    while (same < std::min(all.size(), known.size()) && all[same] == known[same]) ++same;
    std::vector<int> later;
    for (int i = same; i < all.size(); ++i) later.push_back(i);
    return all.picked(later);
}

bool SnagWalk::can_look_again() const {
    const ProjectResult* result = base_.standpoint.result();
    return result && snags_row_.is_current() && result->strokes != snags_row_.made_from()->view.strokes;
}

void SnagWalk::look_again() {
    if (!can_look_again()) return;
    looked_again_[base_.standpoint.result()->id] = base_.standpoint.result()->strokes;
    snags_row_.follow();
}

void SnagWalk::show_known() {
    list_known();
    emit changed();
}

/// Of the largest size that the result is handed over at.
double SnagWalk::delivered_scale() const {
    double scale = 0;
    try {
        const cv::Size kept =
            kept_of(shown_finish(base_).finish.framing, shown_of_->product.result->area).size();
        for (const Output& output : base_.document.project().hand_over.outputs)
            if (!output.is_off)
                scale = std::max(scale, double(size_of_output(output.size, kept).width) / kept.width);
    } catch (const BadParameter&) {
        return 1;  // a crop outside of the picture or no size: handing over says so
    }
    return scale > 0 ? scale : 1;
}

void SnagWalk::list_known() {
    const ProjectResult* result = base_.standpoint.result();
    const MendedResult* of = result ? snags_row_.made_from() : nullptr;
    const bool are_the_same = of ? shown_of_ == *of : !shown_of_;
    const std::vector<WalkedSnag> before = std::exchange(snags_, {});
    const auto stays = [&, stood_at = are_the_same ? current_.value_or(-1) : -1](const Snag& snag) {
        return stood_at >= 0 && snag == before[std::size_t(stood_at)].snag;
    };
    current_.reset();
    shown_of_ = of ? std::optional(*of) : std::nullopt;
    unseen_ = 0;
    if (of) {
        const MergePlanes planes = planes_of(*of->product.result, of->product.plane->series);
        const SharedList<Stroke> since = strokes_since();
        const double scale = listed_scale_ = delivered_scale();
        std::vector<Snag> seen = *snags_row_.value();
        unseen_ = int(
            std::erase_if(seen, [&](const Snag& snag) { return strength_at(snag, scale) < kSeenStrength; }));
        if (goes_by_nearness_) seen = nearest_next(std::move(seen));
        for (const Snag& snag : seen)
            snags_.push_back({snag, is_ignored(snag, result->ignored), is_painted(snag, since, planes),
                              strength_at(snag, scale)});
    }
    for (int place = 0; place < int(snags_.size()); ++place)
        if (stays(snags_[std::size_t(place)].snag)) current_ = place;
}

QString SnagWalk::why_not() const {
    if (!base_.standpoint.result()) return tr("Nothing is merged yet (Ctrl+Return).");
    if (is_looking()) return tr("Doubtful places are being looked for.");
    if (const QString why = problem(); !why.isEmpty()) return why;
    if (snags_.empty()) return tr("No doubtful place was found.");
    return left() > 0 ? QString() : tr("All doubtful places were painted or ignored.");
}

void SnagWalk::step(int by) {
    if (const QString why = why_not(); !why.isEmpty()) return base_.notices.notify(why);
    const int count = int(snags_.size());
    int at = current_.value_or(by > 0 ? -1 : count);
    do at = (at + by + count) % count;
    while (!snags_[std::size_t(at)].is_left());
    go_to(at);
}

void SnagWalk::go_to(int place) {
    if (place < 0 || place >= int(snags_.size())) return;
    current_ = place;
    const Snag& snag = snags_[std::size_t(place)].snag;
    emit changed();
    emit visited(QRectF(snag.area.x, snag.area.y, snag.area.width, snag.area.height),
                 QPointF(snag.place.x, snag.place.y));
}

std::optional<FrameId> SnagWalk::frame_without_dust() const {
    if (!current_) return {};
    const int number = snags_[std::size_t(*current_)].snag.without_dust;
    if (number == 0) return {};
    return shown_of_->product.plane->series.frames[std::size_t(number - 1)].id;
}

void SnagWalk::ignore_current() {
    const ProjectResult* result = base_.standpoint.result();
    if (!current_ || !result) return base_.notices.notify(tr("Go to a doubtful place first (N)."));
    const Snag& snag = snags_[std::size_t(*current_)].snag;
    std::vector<IgnoredPlace> ignored(result->ignored.begin(), result->ignored.end());
    const bool was_ignored = std::erase_if(
        ignored, [&](const IgnoredPlace& place) { return is_ignored(snag, SharedList(std::vector{place})); });
    if (!was_ignored) ignored.push_back({snag.kind, snag.place});
    base_.document.edit(was_ignored ? tr("look at the place again") : tr("ignore the place"),
                        with_ignored(base_.document.project(), result->id, SharedList(ignored)));
}

}  // namespace moorhaze::desktop
