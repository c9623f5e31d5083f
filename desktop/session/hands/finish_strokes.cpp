// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/hands/finish_strokes.h"

#include <algorithm>
#include <cmath>

#include "core/finish/colour_shift.h"
#include "core/finish/white_balance.h"

namespace moorhaze::desktop {
namespace {

constexpr double kFullAcross = 400, kFullUp = 400;  // logical pixels of a drag for 100 %
constexpr double kTurnAcross = 4;                   // and for a degree of hue
constexpr double kFirstSharpening = 0.5;            // where something is painted before it was set
constexpr double kSameHue = 20;                     // degrees: a drag goes on with the colour there is

/// "reds", "greens", ... by the hue of Oklab.
QString hue_name(double hue) {
    struct Named {
        double until;
        const char* name;
    };
    static constexpr Named names[] = {
        {10, QT_TR_NOOP("pinks")},    {45, QT_TR_NOOP("reds")},     {75, QT_TR_NOOP("oranges")},
        {118, QT_TR_NOOP("yellows")}, {165, QT_TR_NOOP("greens")},  {215, QT_TR_NOOP("cyans")},
        {285, QT_TR_NOOP("blues")},   {330, QT_TR_NOOP("violets")}, {361, QT_TR_NOOP("pinks")}};
    for (const Named& own : names)
        if (hue < own.until) return FinishStrokes::tr(own.name);
    return {};
}

}  // namespace

void FinishStrokes::begin_colour(QPointF place) {
    if (!look_.subject()) return base_.notices.notify_error(tr("The picture is still being prepared."));
    const QPointF at = finishing_.to_reference(place);
    HueAndChroma own;
    try {
        own = hue_of(light_around(*look_.subject(), {at.x(), at.y()}), look_.subject()->space);
    } catch (const BadParameter& error) {
        return base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
    if (own.chroma < 0.02)
        return base_.notices.notify(
            tr("What lies here is grey: there is no colour to change. Point at one."));
    const auto& ones = finishing_.finish().colour.ones;
    const auto near = std::find_if(ones.begin(), ones.end(), [&](const OneColour& one) {
        return std::abs(std::remainder(one.hue_deg - own.hue_deg, 360.0)) < kSameHue;
    });
    colour_ = int(near - ones.begin());
    colour_before_ = near == ones.end() ? OneColour{std::round(own.hue_deg), 0, 0, 0} : *near;
    ++drags_;
}

void FinishStrokes::drag_colour(double across, double up, bool turns) {
    if (!colour_) return;
    OneColour to = colour_before_;
    if (turns) {
        to.turn_deg = std::clamp(std::round(to.turn_deg + across / kTurnAcross), -60.0, 60.0);
    } else {
        to.saturation = std::clamp(to.saturation + std::round(100 * across / kFullAcross) / 100, -1.0, 1.0);
        to.lightness = std::clamp(to.lightness + std::round(100 * up / kFullUp) / 100, -1.0, 1.0);
    }
    finishing_.change(
        tr("change one colour"),
        [&](Finish& own) {
            own.colour.is_off = false;
            auto& ones = own.colour.ones;
            if (*colour_ >= int(ones.size()))
                ones.push_back(to);
            else
                ones[std::size_t(*colour_)] = to;
        },
        QStringLiteral("colour %1").arg(drags_));
}

void FinishStrokes::begin_sharpening(QPointF place, bool takes_back) {
    if (finishing_.area().empty()) return base_.notices.notify_error(why_no_picture(base_));
    end_sharpening();
    const Brush& brush = base_.standpoint.brush();
    sharpened_before_ = finishing_.finish().detail.painted;
    if (takes_back && sharpened_before_.empty())
        return base_.notices.notify(tr("All of the picture is sharpened alike: paint where first."));
    sharpening_ = SharpenedStroke{{}, brush.radius_px, brush.softness, takes_back};
    ++drags_;
    continue_sharpening(place);
}

void FinishStrokes::continue_sharpening(QPointF place) {
    if (!sharpening_) return;
    const QPointF at = finishing_.to_reference(place);
    auto& points = sharpening_->points;
    if (!points.empty() && std::hypot(at.x() - points.back().x, at.y() - points.back().y) < 1) return;
    points.emplace_back(at.x(), at.y());
    finishing_.change(
        sharpening_->takes_back ? tr("take sharpening back") : tr("paint what is sharpened"),
        [this](Finish& own) {
            own.detail.painted = sharpened_before_.appended(*sharpening_);
            if (own.detail.sharpening == 0) own.detail.sharpening = kFirstSharpening;
            own.detail.is_off = false;
        },
        QStringLiteral("sharpened %1").arg(drags_));
}

void FinishStrokes::sharpen_everywhere() {
    finishing_.change(tr("sharpen everywhere"), [](Finish& own) { own.detail.painted = {}; });
}

QString FinishStrokes::colour_words() const {
    if (!colour_) return {};
    const auto& ones = finishing_.finish().colour.ones;
    return words_of(*colour_ < int(ones.size()) ? ones[std::size_t(*colour_)] : colour_before_);
}

QString FinishStrokes::words_of(const OneColour& one) {
    QString words = hue_name(one.hue_deg);
    const auto signed_text = [](double value) {
        return (value > 0 ? QStringLiteral("+") : QString()) + QString::number(std::lround(value));
    };
    if (one.saturation != 0) words += tr(" · saturation %1").arg(signed_text(100 * one.saturation));
    if (one.lightness != 0) words += tr(" · lightness %1").arg(signed_text(100 * one.lightness));
    if (one.turn_deg != 0) words += tr(" · hue %1°").arg(signed_text(one.turn_deg));
    return words;
}

}  // namespace moorhaze::desktop
