// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/tasks/merging.h"

#include <algorithm>
#include <chrono>

#include "core/project/merge_series.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

const QString kMerge = QStringLiteral("merge");
constexpr auto kGrowthEvery = std::chrono::milliseconds(300);

}  // namespace

Merging::Merging(SessionBase& base, Aligning& aligning, QObject* parent)
    : QObject(parent), base_(base), aligning_(aligning) {
    connect(&base_.jobs, &JobRunner::changed, this, [this] {
        if (base_.jobs.busy() && base_.jobs.title() == kMerge) return;
        under_way_.reset();
        if (!growth_) return;
        growth_.reset();
        emit grew();
    });
    connect(&base_.jobs, &JobRunner::dropped, this, [this] { waiting_ = false; });
}

void Merging::set_choice(const MergeChoice& choice, const QString& field) {
    base_.document.edit(field, with_merge(base_.document.project(), choice),
                        QStringLiteral("merge ") + field);
}

void Merging::merge() {
    if (!base_.document.has_series())
        return base_.notices.notify_error(tr("There is nothing to merge yet: open a series first (Ctrl+O)."));
    const MadeFrom wanted = base_.products.merge_inputs();
    const bool runs = under_way_ && base_.jobs.busy() && !base_.jobs.is_making_way();
    // What was begun ahead, or is there already, is what is asked for now.
    if (runs && under_way_ == wanted) {
        if (!base_.jobs.is_yielding()) return base_.notices.notify(tr("This very merge is running already."));
        return base_.jobs.keep();
    }
    if (const ProjectResult* shown = base_.standpoint.result();
        shown && shown->ahead && base_.products.is_current(*shown))
        return base_.document.happened(
            [id = shown->id](const Project& own) { return with_result_asked_for(own, id); });
    if (waiting_)
        return base_.notices.notify(
            tr("The merge that you asked for follows as soon as the work before it is done."));
    waiting_ = true;
    aligning_.try_again();
    base_.jobs.decide([this] { go_on(); });
}

void Merging::go_on() {
    if (!base_.document.has_series()) {
        waiting_ = false;
        return;
    }
    // Whatever was changed meanwhile counts: what is decided is asked anew after each step.
    if (aligning_.start_needed()) return base_.jobs.decide_first([this] { go_on(); });
    waiting_ = false;
    if (base_.products.plane_is_current()) run(base_.products.merge_inputs(), false);
}

void Merging::merge_ahead() {
    const Project& project = base_.document.project();
    if (project.results.empty() || base_.jobs.busy() || !base_.products.plane_is_current() ||
        chosen_frames(project).empty() || base_.products.kept_area().empty())
        return;
    const MadeFrom wanted = base_.products.merge_inputs();
    const bool is_there =
        std::any_of(project.results.begin(), project.results.end(),
                    [&](const ProjectResult& result) { return result.made_from == wanted; });
    if (!is_there) run(wanted, true);
}

MergeContext Merging::growing(const MergeMethod& method, PixelRect area) {
    MergeContext context;
    using Clock = std::chrono::steady_clock;
    context.on_frame = [this, slot = mailbox_.slot(), title = text(method.title), area,
                        ticket = ticket_ = Ticket(),
                        last = Clock::time_point()](const std::function<cv::Mat1f()>& so_far) mutable {
        if (Clock::now() - last < kGrowthEvery) return;
        const cv::Mat1f places = so_far();
        last = Clock::now();
        slot.post([this, title, area, ticket, places] {
            // It may come late, when the merge has ended.
            if (ticket != ticket_ || !under_way_) return;
            growth_ = std::make_shared<const Growth>(Growth{title, places, area});
            emit grew();
        });
    };
    return context;
}

void Merging::run(const MadeFrom& from, bool ahead) {
    struct Merged {
        MergeProduct product;
        double seconds = 0;
    };
    const MergeMethod& method = merge_method(from.choice.method);
    // A merge that nobody asked for shows no growing depth: the person still judges the result shown.
    auto work = [plane = base_.products.plane(), from, memory = std::size_t(memory_mb_) << 20,
                 shelf = base_.products.frame_shelf(),
                 context =
                     ahead ? MergeContext() : growing(method, base_.products.kept_area())](const Job& job) {
        MergeContext own = context;
        own.shelf = shelf.get();
        const auto begin = std::chrono::steady_clock::now();
        MergeResult merged = merge_series(plane->series, plane->geometry, from, memory, own, job);
        const std::chrono::duration<double> took = std::chrono::steady_clock::now() - begin;
        const QImage thumb = thumb_of(merged.picture);
        const ShelvedResult shelved = shelve(std::move(merged), scratch_folder());
        const Frame& reference = plane->series.frames[std::size_t(plane->geometry.reference)];
        return Merged{{shelved.result, plane, thumb, reference.info.shooting, shelved.file}, took.count()};
    };
    auto done = [this, from](const Merged& merged) {
        const bool unasked = base_.jobs.is_yielding();
        // It was to stop, and came to its end.
        if (unasked && from != base_.products.merge_inputs()) return;
        take(from, merged.product, merged.seconds, unasked);
    };
    under_way_ = from;
    if (!ahead)
        base_.jobs.start_first(kMerge, work, done);
    else if (!base_.jobs.start_yielding(kMerge, work, done))
        under_way_.reset();
}

void Merging::take(const MadeFrom& from, const MergeProduct& product, double seconds, bool unasked) {
    for (const FrameProblem& problem : product.result->problems)
        base_.notices.notify_error(text(problem.what));
    ProjectResult result;
    result.id = base_.document.next_result_id();
    result.title = merge_method(from.choice.method).title + " " + std::to_string(result.id.value);
    result.made_from = from;
    result.seconds = seconds;
    result.ahead = unasked;
    // Whose strokes are under the brush stays under it.
    const bool busy_hand = base_.standpoint.is_drawing();
    base_.products.keep_merge(result.id, product);
    base_.document.happened([&](const Project& own) { return with_result(own, result); });
    if (busy_hand)
        return base_.notices.notify(
            tr("%1 is ready: it is in the list of Merge. The result under the brush stays.")
                .arg(text(result.title)));
    base_.standpoint.set_result(result.id);
    if (base_.standpoint.stage() < Stage::merge) base_.standpoint.set_stage(Stage::merge);
}

void Merging::rename(ResultId result, const QString& title) {
    if (!title.trimmed().isEmpty())
        base_.document.edit(tr("rename result"),
                            with_title(base_.document.project(), result, title.trimmed().toStdString()));
}

void Merging::drop(ResultId result) {
    for (const ProjectResult& other : base_.document.project().results)
        if (other.id != result &&
            std::any_of(other.strokes.begin(), other.strokes.end(),
                        [&](const Stroke& own) { return own.source == StrokeSource(result); }))
            return base_.notices.notify_error(
                tr("%1 has strokes that were drawn in from this result: delete them first, or keep it.")
                    .arg(text(other.title)));
    base_.document.edit(tr("drop result"), without_result(base_.document.project(), result));
}

std::shared_ptr<const MergeResult> Merging::with_statistics() const {
    const Project& project = base_.document.project();
    const MadeFrom wanted = base_.products.merge_inputs();
    for (int place = project.results.size() - 1; place >= 0; --place) {
        const ProjectResult& result = project.results[place];
        const MergeProduct* product = base_.products.merge(result.id);
        const MadeFrom& from = result.made_from;
        if (product && !product->result->statistics.noise.empty() && from.frames == wanted.frames &&
            from.align == wanted.align && from.kept == wanted.kept)
            return product->result;
    }
    return nullptr;
}

}  // namespace moorhaze::desktop
