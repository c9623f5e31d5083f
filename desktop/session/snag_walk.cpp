// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/snag_walk.h"

#include <algorithm>

#include "core/project/edits.h"
#include "core/project/result_series.h"

namespace moorhaze::desktop {

SnagWalk::SnagWalk(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::stage || aspect == Standpoint::Aspect::result) follow_result();
    });
    connect(&base_.products, &Products::changed, this, [this](Products::Kind kind) {
        if (kind == Products::Kind::merge) follow_result();
    });
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.series) {
            known_.clear();
            wish_.drop();
            wanted_.reset();
        }
        const ProjectResult* result = base_.standpoint.result();
        if (changes.series ||
            (result && std::count(changes.mended.begin(), changes.mended.end(), result->id)))
            show_known();
    });
}

bool SnagWalk::is_known() const {
    const ProjectResult* result = base_.standpoint.result();
    return result && known_.contains(result->id);
}

int SnagWalk::left() const {
    return int(
        std::count_if(snags_.begin(), snags_.end(), [](const WalkedSnag& own) { return own.is_left(); }));
}

void SnagWalk::follow_result() {
    const ProjectResult* result = base_.standpoint.result();
    const MergeProduct* product = result ? base_.products.merge(result->id) : nullptr;
    const bool wants = base_.standpoint.stage() == Stage::mend && product && !is_known();
    if (!wants || wanted_ != result->id) {
        wish_.drop();
        wanted_.reset();
    }
    if (wants && !wanted_) look(*result, *product, {});
    show_known();
}

void SnagWalk::look(const ProjectResult& result, const MergeProduct& product,
                    const SharedList<Stroke>& strokes) {
    wanted_ = result.id;
    problem_.clear();
    wish_.want(
        [own = product, from = result.made_from, strokes, sources = base_.products.sources(),
         results = base_.products.result_sources(strokes, product.plane)](const Job& job) {
            const MergeResult& merge = *own.result;
            auto snags = snags_of_result(
                strokes.empty() ? merge
                                : mended_merge(merge, strokes, {*sources->of(own.plane), results}, job),
                own.plane->series, own.plane->geometry, from, job);
            if (own.file) own.file->rest();
            return snags;
        },
        [this, id = result.id, document = base_.document.id(), strokes](const std::vector<Snag>& snags) {
            if (document != base_.document.id()) return;
            wanted_.reset();
            current_.reset();
            known_[id] = {snags, strokes};
            show_known();
        },
        [this](const std::exception& error) {
            wanted_.reset();
            problem_ = tr("Doubtful places could not be looked for: %1").arg(QString::fromUtf8(error.what()));
            show_known();
        });
}

SharedList<Stroke> SnagWalk::strokes_since(const Known& known) const {
    const SharedList<Stroke>& all = base_.standpoint.result()->strokes;
    int same = 0;
    while (same < std::min(all.size(), known.strokes.size()) && all[same] == known.strokes[same]) ++same;
    std::vector<int> later;
    for (int i = same; i < all.size(); ++i) later.push_back(i);
    return all.picked(later);
}

bool SnagWalk::can_look_again() const {
    const ProjectResult* result = base_.standpoint.result();
    const auto found = result ? known_.find(result->id) : known_.end();
    return found != known_.end() && !is_looking() && result->strokes != found->second.strokes;
}

void SnagWalk::look_again() {
    const ProjectResult* result = base_.standpoint.result();
    const MergeProduct* product = result ? base_.products.merge(result->id) : nullptr;
    if (!product || !can_look_again()) return;
    look(*result, *product, result->strokes);
    emit changed();
}

void SnagWalk::show_known() {
    const ProjectResult* result = base_.standpoint.result();
    const auto found = result ? known_.find(result->id) : known_.end();
    const std::size_t before = snags_.size();
    snags_.clear();
    const MergeProduct* product = result ? base_.products.merge(result->id) : nullptr;
    const MergePlanes planes = product ? planes_of(*product->result, product->plane->series) : MergePlanes();
    const SharedList<Stroke> since =
        found != known_.end() ? strokes_since(found->second) : SharedList<Stroke>();
    if (found != known_.end())
        for (const Snag& snag : found->second.snags)
            snags_.push_back({snag, is_ignored(snag, result->ignored), is_painted(snag, since, planes)});
    if (snags_.size() != before) current_.reset();
    emit changed();
}

QString SnagWalk::why_not() const {
    if (!base_.standpoint.result()) return tr("Nothing is merged yet (Ctrl+Return).");
    if (is_looking()) return tr("Doubtful places are being looked for.");
    if (!problem_.isEmpty()) return problem_;
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
