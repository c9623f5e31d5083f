// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/align_series.h"

namespace moorhaze {

RegisteredSeries align_series(const Series& series, const AlignInputs& inputs,
                              std::shared_ptr<const Registration> known, FrameShelf* shelf, const Job& job) {
    const PlaceSettings settings = place_settings(inputs, series);
    if (inputs.placing.as_they_lie) return {std::move(known), unmoved(series, settings.reference)};
    RegisteredSeries registered = register_series(series, settings, std::move(known), shelf, job);
    if (shelf) shelf->drop_small();
    return registered;
}

}  // namespace moorhaze
