// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/tasks/culling.h"

#include <algorithm>
#include <numeric>

#include "core/series/protected_frames.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

/// Frames taken along at both ends of a range that was pointed at: spare frames are cheap.
constexpr int kSpareFrames = 1;

}  // namespace

void Culling::set_used(FrameId frame, bool used) {
    const QString number = QString::number(base_.document.place(frame) + 1);
    base_.document.edit(used ? tr("take back frame %1").arg(number) : tr("leave out frame %1").arg(number),
                        with_used(base_.document.project(), frame, used));
}

void Culling::toggle_use(FrameId frame) {
    if (const int place = base_.document.place(frame); place >= 0)
        set_used(frame, !base_.document.project().frames[place].used);
}

void Culling::set_range(FrameRange range) {
    base_.document.edit(tr("depth range"), with_range(base_.document.project(), range));
}

void Culling::accept_suggestions() {
    const Looked* looked = base_.products.looked();
    if (!looked)
        return base_.notices.notify(tr("The frames are still being looked at; nothing is suggested yet."));
    std::vector<FrameId> flagged;
    for (int place = 0; place < int(looked->whole.flags.size()); ++place)
        if (!looked->whole.flags[std::size_t(place)].empty()) flagged.push_back(base_.document.id_at(place));
    base_.document.edit(tr("leave out what was suggested"),
                        without_frames(base_.document.project(), flagged));
}

void Culling::set_reference(FrameId frame) {
    // Choosing what is in force already is no change.
    if (frame == base_.products.reference()) return;
    base_.document.edit(tr("reference frame"), with_reference(base_.document.project(), frame));
}

void Culling::set_order(const QString& what, const std::vector<int>& order) {
    if (std::is_sorted(order.begin(), order.end())) return;
    std::vector<FrameId> ids;
    for (const int place : order) ids.push_back(base_.document.id_at(place));
    base_.document.edit(what, with_order(base_.document.project(), ids));
}

void Culling::put_in_order() {
    if (!base_.products.is_looked())
        return base_.notices.notify_error(
            tr("The frames are still being looked at; put them in order in a moment."));
    if (base_.products.looked()->order.needs_repair())
        set_order(tr("put in order"), base_.products.looked()->order.near_to_far);
}

void Culling::turn_round() {
    std::vector<int> order(std::size_t(base_.document.series().count()));
    std::iota(order.rbegin(), order.rend(), 0);
    set_order(tr("turn the order round"), order);
}

void Culling::move_frame(FrameId frame, int by) {
    const int from = base_.document.place(frame), last = base_.document.series().count() - 1;
    if (from < 0) return;
    const int to = std::clamp(from + by, 0, last);
    std::vector<int> order;
    for (int place = 0; place <= last; ++place)
        if (place != from) order.push_back(place);
    order.insert(order.begin() + to, from);
    set_order(tr("move frame %1").arg(from + 1), order);
}

int Culling::shown_place(std::optional<FrameId> shown) const {
    return shown ? base_.document.place(*shown) : -1;
}

std::optional<FrameId> Culling::sharpest_at(double across, double down, std::optional<FrameId> shown) const {
    const Looked* looked = base_.products.looked();
    if (!looked) return std::nullopt;
    if (looked->quick) {
        const SharpFrames sharp = looked->quick->sharp_at(across, down, shown_place(shown));
        return sharp.frames.empty() ? std::nullopt
                                    : std::optional(base_.document.id_at(sharp.frames[0].frame));
    }
    // While frames are still being shot there are only profiles.
    std::optional<FrameId> best;
    float most = -1;
    for (int place = 0; place < int(looked->profiles.size()); ++place)
        if (const float value = sharpness_at(looked->profiles[std::size_t(place)], across, down);
            value > most)
            most = value, best = base_.document.id_at(place);
    return best;
}

std::optional<FrameRange> Culling::range_along(const std::vector<cv::Point2d>& places,
                                               std::optional<FrameId> shown) const {
    const Looked* looked = base_.products.looked();
    return looked && looked->quick ? looked->quick->range_along(places, shown_place(shown), kSpareFrames)
                                   : std::nullopt;
}

void Culling::save_frame(FrameId frame, const std::filesystem::path& file, const WriteSettings& settings) {
    const int place = base_.document.place(frame);
    if (place < 0) return;
    base_.exports.start(
        QStringLiteral("save"),
        [series = base_.document.series(), place, file, settings](const Job& job) {
            const Frame& own = series.frames[std::size_t(place)];
            const ProtectedFiles originals = protected_frames(series);
            return write_picture_anyway(file, read_picture(own.path, own.development, job), own.info.shooting,
                                        settings, job);
        },
        [this, file, place](const std::string& unsaid) {
            const QString saved = tr("Frame %1 was saved as %2.").arg(place + 1).arg(text(file.string()));
            base_.notices.notify(unsaid.empty() ? saved : saved + QStringLiteral(" (%1)").arg(text(unsaid)));
        });
}

}  // namespace moorhaze::desktop
