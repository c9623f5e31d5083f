// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/finish_in_plane.h"

#include "core/finish/carried_finish.h"
#include "core/project/inputs.h"
#include "core/work/errors.h"

namespace moorhaze {
namespace {

const std::string kFinishUnplaced =
    "; crop, turn, ground and painted sharpening lie as they did there. Look at them.";

}  // namespace

FinishInPlane finish_in_plane(const PlacedFinish& placed, const Series& series,
                              const SeriesGeometry& geometry) {
    if (!placed.plane || *placed.plane == series.frames[std::size_t(geometry.reference)].id)
        return {placed.finish, {}};
    const std::optional<int> frame = index_of(series, *placed.plane);
    if (!frame)
        return {placed.finish,
                "The frame that the finish was set over is not of this series" + kFinishUnplaced};
    const FrameGeometry& lies = geometry.frames[std::size_t(*frame)];
    const std::string name = series.frames[std::size_t(*frame)].path.filename().string();
    if (!lies.registered)
        return {placed.finish,
                name + ", which the finish was set over, is not aligned here" + kFinishUnplaced};
    try {
        return {carried_over(placed.finish, lies.matrix), {}};
    } catch (const BadParameter&) {
        return {placed.finish,
                name + ", which the finish was set over, lies too far away here" + kFinishUnplaced};
    }
}

}  // namespace moorhaze
