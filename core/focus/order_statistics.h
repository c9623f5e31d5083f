// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <cstddef>
#include <vector>

namespace moorhaze {

/// The value below which a part (0..1) of the values lies; 0 for none.
inline float quantile(std::vector<float> values, double part) {
    if (values.empty()) return 0;
    const auto place = values.begin() + std::ptrdiff_t(part * double(values.size() - 1));
    std::nth_element(values.begin(), place, values.end());
    return *place;
}

/// The middle value, the upper one of two; -1 for none.
inline double median(std::vector<double> values) {
    if (values.empty()) return -1;
    std::nth_element(values.begin(), values.begin() + std::ptrdiff_t(values.size() / 2), values.end());
    return values[values.size() / 2];
}

}  // namespace moorhaze
