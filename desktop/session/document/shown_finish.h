// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "core/project/finish_in_plane.h"
#include "desktop/session/document/session_base.h"

namespace moorhaze::desktop {

/// The project's finish as it lies in the result shown. As it is while that is read, and without one.
FinishInPlane shown_finish(const SessionBase& base);

/// True when places of the finish shown can be changed: it lies in the result shown already, or can be
/// carried over to it.
bool is_finish_placed(const SessionBase& base);

}  // namespace moorhaze::desktop
