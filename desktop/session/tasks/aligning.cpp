// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/tasks/aligning.h"

#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

const QString kAlign = QStringLiteral("align");

}  // namespace

Aligning::Aligning(SessionBase& base, Looking& looking, QObject* parent)
    : QObject(parent), base_(base), looking_(looking) {
    connect(&base_.document, &Document::changed, this, &Aligning::follow);
}

void Aligning::align() {
    if (!base_.document.has_series())
        return base_.notices.notify_error(tr("There is nothing to align yet: open a series first (Ctrl+O)."));
    if (base_.products.plane_is_current())
        return base_.notices.notify(tr("The frames are aligned as they are now: nothing is to be done."));
    try_again();
    base_.jobs.decide([this] { go_on(); });
}

void Aligning::try_again() {
    refused_.reset();
    if (looking_.is_stopped()) looking_.start();
}

void Aligning::go_on() {
    if (start_needed()) base_.jobs.decide_first([this] { go_on(); });
}

void Aligning::follow(const Changes& changes) {
    if (changes.series) refused_.reset();
    // Placing anew takes a moment; measuring, which takes long, waits until it is asked for.
    if (changes.placing && !changes.series && base_.products.plane() && !base_.products.plane_is_current())
        base_.jobs.decide([this] { go_on(); });
}

bool Aligning::start_needed() {
    if (!base_.document.has_series() || base_.products.plane_is_current()) return false;
    // Looking into the series decides on the reference frame.
    if (!base_.document.project().reference && !looking_.is_stopped() && looking_.start_first()) return true;
    const AlignInputs wanted = base_.products.align_inputs();
    if (refused_ == wanted) return false;
    refused_ = wanted;  // unless it comes to its end
    base_.jobs.start_first(
        kAlign,
        [series = base_.document.series(), wanted, known = base_.products.registration(),
         shelf = base_.products.frame_shelf()](const Job& job) {
            RegisteredSeries aligned = align_series(series, wanted, known, shelf.get(), job);
            return std::pair(aligned.registration, Plane{series, std::move(aligned.geometry)});
        },
        [this, wanted](const std::pair<std::shared_ptr<const Registration>, Plane>& aligned) {
            refused_.reset();
            const Plane& plane = aligned.second;
            base_.products.keep_plane(wanted, aligned.first, plane);
            for (int i = 0; i < plane.series.count(); ++i)
                if (const FrameGeometry& frame = plane.geometry.frames[std::size_t(i)];
                    plane.series.frames[std::size_t(i)].used && !frame.problem.empty())
                    base_.notices.notify_error(tr("frame %1: %2").arg(i + 1).arg(text(frame.problem)));
        });
    return true;
}

void Aligning::set_placing(const Placing& placing, const QString& what) {
    base_.document.edit(what, with_placing(base_.document.project(), placing));
}

void Aligning::set_kept(KeptArea kept) {
    base_.document.edit(tr("area kept"), with_kept(base_.document.project(), kept));
}

}  // namespace moorhaze::desktop
