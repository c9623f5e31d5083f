// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/session.h"
#include "desktop/session/shown/shown.h"

namespace moorhaze::desktop {

class PictureView;

/// What is written under the picture: what is shown, what lies under the pointer and where it came from, and
/// the zoom. Empty without a picture.
/// @param hovered   the place under the pointer, reference pixels; in Finish of the turned picture.
/// @param finished  what the finished picture has there.
QString caption_of(Session& session, const Shown& shown, const PictureView& view,
                   std::optional<QPointF> hovered, const std::optional<FinishedPlace>& finished);

}  // namespace moorhaze::desktop
