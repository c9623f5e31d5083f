// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/tone_mapping.h"

#include <algorithm>
#include <cmath>

#include "core/picture/colour_space.h"
#include "core/work/clones.h"

namespace moorhaze {

ToneMapping::ToneMapping(const Tones& tones) : tones_(tones) {
    Finish all;
    all.tones = tones;
    check(all);
    power_ = std::log(0.5) / std::log(tones_.middle);
    at_ = {0}, to_ = {0};
    for (const TonePoint& point : tones_.curve) {
        if (point.tone <= 0) to_[0] = point.becomes;
        if (point.tone > 0) at_.push_back(point.tone), to_.push_back(point.becomes);
    }
    if (at_.back() < 1) at_.push_back(1), to_.push_back(std::max(1.0, to_.back()));
    const std::size_t last = at_.size() - 1;
    std::vector<double> chord(last);
    for (std::size_t i = 0; i < last; ++i) chord[i] = (to_[i + 1] - to_[i]) / (at_[i + 1] - at_[i]);
    slope_.resize(last + 1);
    slope_[0] = chord[0], slope_[last] = chord[last - 1];
    for (std::size_t i = 1; i < last; ++i) {
        const double sum = chord[i - 1] + chord[i];
        // The harmonic mean keeps within three times the smaller one, which is monotone.
        slope_[i] = sum > 0 ? 2 * chord[i - 1] * chord[i] / sum : 0;
    }
    for (std::size_t i = 0; i < last; ++i) {
        slope_[i] = std::min(slope_[i], 3 * chord[i]);
        slope_[i + 1] = std::min(slope_[i + 1], 3 * chord[i]);
    }
}

double ToneMapping::level_of(double tone) const {
    const double share = std::clamp((tone - tones_.black) / (tones_.white - tones_.black), 0.0, 1.0);
    return power_ == 1 ? share : std::pow(share, power_);
}

double ToneMapping::tone_at(double level) const {
    return tones_.black + (tones_.white - tones_.black) * std::pow(std::clamp(level, 0.0, 1.0), 1 / power_);
}

double ToneMapping::curve_at(double level) const {
    if (tones_.curve.empty()) return level;
    const auto above = std::upper_bound(at_.begin() + 1, at_.end() - 1, level);
    const auto i = std::size_t(above - at_.begin()) - 1;
    const double wide = at_[i + 1] - at_[i], t = std::clamp((level - at_[i]) / wide, 0.0, 1.0);
    const double t2 = t * t, t3 = t2 * t;
    return (2 * t3 - 3 * t2 + 1) * to_[i] + (t3 - 2 * t2 + t) * wide * slope_[i] +
           (3 * t2 - 2 * t3) * to_[i + 1] + (t3 - t2) * wide * slope_[i + 1];
}

double ToneMapping::operator()(double tone) const {
    return std::clamp(curve_at(level_of(tone)), 0.0, 1.0);
}

std::vector<float> tone_table(const ToneMapping& mapping) {
    std::vector<float> table(kToneSteps + 2);
    for (int i = 0; i <= kToneSteps; ++i) {
        const double root = double(i) / kToneSteps;
        table[std::size_t(i)] = float(light_of_tone(mapping(tone_of_light(root * root))));
    }
    table[kToneSteps + 1] = table[kToneSteps];
    return table;
}

MOORHAZE_CLONES void map_tones(const std::vector<float>& table, float* light, int count) {
    const float* values = table.data();
    for (int i = 0; i < count; ++i) {
        const float place = std::sqrt(std::min(std::max(light[i], 0.0f), 1.0f)) * float(kToneSteps);
        const int below = int(place);
        light[i] = values[below] + (place - float(below)) * (values[below + 1] - values[below]);
    }
}

}  // namespace moorhaze
