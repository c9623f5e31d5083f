// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/tasks/looking.h"

#include "core/project/edits.h"
#include "core/project/project_folder.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

constexpr std::uintmax_t kCacheBytes = std::uintmax_t(1) << 30;
const QString kLook = QStringLiteral("profile"), kOrder = QStringLiteral("look again");

}  // namespace

Looking::Looking(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    connect(&base_.document, &Document::changed, this, &Looking::follow);
    auto ended = [this](const QString& title) {
        if (title != kLook && title != kOrder) return;
        under_way_.reset();
        stopped_ = true;
        emit base_.products.changed(Products::Kind::look);
    };
    connect(&base_.jobs, &JobRunner::cancelled, this, ended);
    connect(&base_.jobs, &JobRunner::failed, this, ended);
    connect(&base_.jobs, &JobRunner::dropped, this, ended);
}

void Looking::follow(const Changes& changes) {
    if (!changes.look()) return;
    if (changes.series || changes.frames || changes.development)
        first_looks_.assign(std::size_t(base_.document.series().count()), -1.0);
    stopped_ = false;
    if (under_way_) {
        under_way_.reset();
        for (const QString& title : {kLook, kOrder}) base_.jobs.supersede(title);
    }
    start();
}

QStringList Looking::problems() const {
    QStringList list;
    if (const Looked* looked = base_.products.looked())
        for (const FrameProblem& problem : looked->problems) list << text(problem.what);
    return list;
}

/// Files that were exported or copied anew since: silence would let strokes draw from other pixels.
void Looking::tell_of_others(const Project& before) {
    std::vector<FrameId> others;
    for (const ProjectFrame& frame : base_.document.project().frames)
        for (const ProjectFrame& own : before.frames)
            if (own.id == frame.id && own.revision != frame.revision) others.push_back(frame.id);
    if (others.empty()) return;
    const QString names = text(names_in_words(base_.document.project(), others));
    base_.notices.notify_error(
        before.results.empty()
            ? tr("Other pictures than before are in %1.").arg(names)
            : tr("Other pictures than before are in %1: what was merged of them is out of date. Merge again.")
                  .arg(names));
}

void Looking::start() {
    begin(false);
}

bool Looking::start_first() {
    return begin(true);
}

void Looking::look_as_a_whole() {
    const Looked* looked = base_.products.looked();
    if (looked && !looked->quick) begin(false, true);
}

bool Looking::begin(bool first, bool again) {
    const LookInputs wanted = look_inputs(base_.document.project());
    if (!base_.document.has_series() || (is_done() && !again) || under_way_ == wanted) return false;
    stopped_ = false;
    under_way_ = wanted;
    ticket_ = {};
    auto seen = [this, ticket = ticket_, slot = mailbox_.slot()](int place, double detail) {
        slot.post([this, ticket, place, detail] {
            if (!under_way_ || ticket != ticket_ || place >= int(first_looks_.size())) return;
            first_looks_[std::size_t(place)] = detail;
            emit frame_looked(place);
        });
    };
    auto done = [this, wanted](const Looked& looked) {
        if (under_way_ == wanted) under_way_.reset();
        std::vector<std::pair<FrameId, std::string>> keys;
        for (std::size_t i = 0; i < looked.content_keys.size(); ++i)
            if (!looked.content_keys[i].empty())
                keys.emplace_back(wanted.frames[i].id, looked.content_keys[i]);
        LookInputs looked_at = wanted;
        if (!keys.empty() && wanted == look_inputs(base_.document.project())) {
            const Project before = base_.document.project();
            base_.document.happened([&](const Project& own) { return with_content_keys(own, keys); });
            looked_at = look_inputs(base_.document.project());  // they were looked at as they are now
            tell_of_others(before);
        }
        base_.products.keep_look(looked_at, looked);
        if (looked_at == look_inputs(base_.document.project()))
            for (const QString& problem : problems()) base_.notices.notify_error(problem);
        start();  // the frames may be others by now
    };
    const Series series = base_.document.series();
    if (const auto other = base_.products.look_in_other_order()) {
        auto work = [other = *other, series](const Job&) {
            return reported(permuted(*other.looked, other.order), series);
        };
        first ? base_.jobs.start_first(kOrder, work, done) : base_.jobs.start(kOrder, work, done);
        return true;
    }
    auto work = [series, cache = cache_, shelf = base_.products.frame_shelf(), seen](const Job& job) {
        LookTask task;
        task.cache = cache ? &*cache : nullptr;
        task.shelf = shelf.get();
        task.quick_merge = true;
        task.on_frame = seen;
        Looked looked = look_into(series, task, job);
        if (cache) cache->prune(kCacheBytes);
        return looked;
    };
    first ? base_.jobs.start_first(kLook, work, done) : base_.jobs.start(kLook, work, done);
    return true;
}

}  // namespace moorhaze::desktop
