// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/document/shown_finish.h"

namespace moorhaze::desktop {

FinishInPlane shown_finish(const SessionBase& base) {
    const PlacedFinish& placed = base.document.project().finish;
    const ProjectResult* result = base.standpoint.result();
    const MergeProduct* product = result ? base.products.merge(result->id) : nullptr;
    return product ? finish_in_plane(placed, product->plane->series, product->plane->geometry)
                   : FinishInPlane{placed.finish, {}};
}

bool is_finish_placed(const SessionBase& base) {
    const PlacedFinish& placed = base.document.project().finish;
    const ProjectResult* result = base.standpoint.result();
    return !placed.plane || !result || *placed.plane == result->made_from.align.reference ||
           base.products.merge(result->id);
}

}  // namespace moorhaze::desktop
