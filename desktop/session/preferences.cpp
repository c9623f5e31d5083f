// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/preferences.h"

#include <QSettings>
#include <algorithm>

#include "desktop/session/session.h"

namespace moorhaze::desktop {
namespace {

const QString kMemory = QStringLiteral("memory/megabytes"), kRadius = QStringLiteral("brush/radius_px"),
              kSoftness = QStringLiteral("brush/softness"), kFlow = QStringLiteral("brush/flow"),
              kLookAhead = QStringLiteral("merge/look_ahead"),
              kWholeAhead = QStringLiteral("merge/whole_ahead"), kMarks = QStringLiteral("cull/marks_reach"),
              kCloseZoom = QStringLiteral("view/close_zoom");

constexpr int kLeastMemory_mb = 100;

}  // namespace

Preferences::Preferences(Session& session, QObject* parent) : QObject(parent), session_(session) {
    connect(&session.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        using Aspect = Standpoint::Aspect;
        if (aspect == Aspect::brush || aspect == Aspect::ahead || aspect == Aspect::marks ||
            aspect == Aspect::close_zoom)
            keep();
    });
}

void Preferences::keep_in(QSettings* settings) {
    settings_ = nullptr;  // while they are taken over none is written
    Standpoint& standpoint = session_.standpoint;
    Brush brush = standpoint.brush();
    brush.radius_px = std::clamp(settings->value(kRadius, brush.radius_px).toDouble(), 1.0, 1000.0);
    brush.softness = std::clamp(settings->value(kSoftness, brush.softness).toDouble(), 0.0, 1.0);
    brush.flow = std::clamp(settings->value(kFlow, brush.flow).toDouble(), 0.01, 1.0);
    standpoint.set_brush(brush);
    standpoint.set_look_ahead(settings->value(kLookAhead, standpoint.look_ahead()).toBool());
    standpoint.set_whole_ahead(settings->value(kWholeAhead, standpoint.whole_ahead()).toBool());
    standpoint.set_marks_reach(
        std::clamp(settings->value(kMarks, standpoint.marks_reach()).toDouble(), 0.0, 1.0));
    standpoint.set_close_zoom(
        std::clamp(settings->value(kCloseZoom, standpoint.close_zoom()).toDouble(), 0.05, 16.0));
    session_.set_memory_mb(std::max(kLeastMemory_mb, settings->value(kMemory, session_.memory_mb()).toInt()));
    settings_ = settings;
}

void Preferences::keep() {
    if (!settings_) return;
    const Standpoint& standpoint = session_.standpoint;
    settings_->setValue(kRadius, standpoint.brush().radius_px);
    settings_->setValue(kSoftness, standpoint.brush().softness);
    settings_->setValue(kFlow, standpoint.brush().flow);
    settings_->setValue(kLookAhead, standpoint.look_ahead());
    settings_->setValue(kWholeAhead, standpoint.whole_ahead());
    settings_->setValue(kMarks, standpoint.marks_reach());
    settings_->setValue(kCloseZoom, standpoint.close_zoom());
    settings_->setValue(kMemory, session_.memory_mb());
}

}  // namespace moorhaze::desktop
