// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/document/standpoint.h"

#include <algorithm>

namespace moorhaze::desktop {

Standpoint::Standpoint(Document& document, QObject* parent) : QObject(parent), document_(document) {
    connect(&document_, &Document::changed, this, &Standpoint::follow);
}

int Standpoint::place() const {
    return frame_ ? std::max(0, document_.place(*frame_)) : 0;
}

void Standpoint::set_frame(FrameId frame) {
    if (document_.place(frame) >= 0) set(frame_, std::optional(frame), Aspect::frame);
}

void Standpoint::set_place(int place) {
    if (!document_.has_series()) return;
    set_frame(document_.id_at(std::clamp(place, 0, document_.series().count() - 1)));
}

std::optional<FrameId> Standpoint::source() const {
    const auto* frame = std::get_if<FrameId>(&source_);
    return frame ? std::optional(*frame) : std::nullopt;
}

void Standpoint::set_source(std::optional<FrameId> source) {
    set(source_, source ? StrokeSource(*source) : StrokeSource(WipeBack{}), Aspect::source);
}

std::optional<ResultId> Standpoint::source_result() const {
    const auto* result = std::get_if<ResultId>(&source_);
    return result ? std::optional(*result) : std::nullopt;
}

const ProjectResult* Standpoint::result() const {
    return result_ ? find_result(document_.project(), *result_) : nullptr;
}

void Standpoint::set_result(std::optional<ResultId> result) {
    if (!result || find_result(document_.project(), *result)) set(result_, result, Aspect::result);
}

void Standpoint::set_comparing(Comparing comparing) {
    if (comparing.points && !comparing_.points)
        comparing.twin = true, comparing.curtain = comparing.blink = false;
    if (!comparing.twin) comparing.points = false;
    set(comparing_, comparing, Aspect::comparing);
}

void Standpoint::compare(bool Comparing::*way, bool on) {
    Comparing to = comparing_;
    const bool excludes = way == &Comparing::curtain || way == &Comparing::blink || way == &Comparing::twin;
    if (on && excludes) to.curtain = to.blink = to.twin = false;
    to.*way = on;
    set_comparing(to);
}

void Standpoint::follow(const Changes& changes) {
    Settling::Step settles(document_.settling());
    const Project& project = document_.project();
    if (changes.series || (frame_ && !place_of(project, *frame_)) || (!frame_ && document_.has_series())) {
        const auto middle = document_.has_series()
                                ? std::optional(document_.id_at(document_.series().count() / 2))
                                : std::nullopt;
        set(frame_, middle, Aspect::frame);
    }
    if (result_ && !find_result(project, *result_))
        set(result_, project.results.empty() ? std::nullopt : std::optional(project.results.back().id),
            Aspect::result);
    // A dropped result that was brought back by undo is looked at where there was none.
    if (!result_ && !project.results.empty() && changes.results)
        set(result_, std::optional(project.results.back().id), Aspect::result);
    if (compared_result_ && !find_result(project, *compared_result_)) set_compared_result(std::nullopt);
    if (source() && !place_of(project, *source())) set_source(std::nullopt);
    if (source_result() && !find_result(project, *source_result())) set_source(std::nullopt);
    if (changes.series) {
        drawing_ = false;
        set_source(std::nullopt);
        set_partner({});
        set_keeping(false);
    }
}

}  // namespace moorhaze::desktop
