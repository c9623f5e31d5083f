// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shoot/arrival.h"

namespace moorhaze::desktop {

Arrival arrival_of(const std::filesystem::path& file, std::vector<FocusProfile> before, int place,
                   const Job& job) {
    Arrival arrival{{file, read_picture_info(file), {}, true, {}}, {}, {}, {}};
    auto profile = focus_profile(arrival.frame, place, job);
    if (!profile) throw FileError(profile.error().what);
    arrival.profile = std::move(*profile);
    const bool again = place < int(before.size());
    if (again)
        before[std::size_t(place)] = arrival.profile;
    else
        before.push_back(arrival.profile);
    arrival.whole = profile_series(before);
    if (!again) arrival.at_once = check_arrival(before);
    return arrival;
}

}  // namespace moorhaze::desktop
