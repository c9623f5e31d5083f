// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/decisions_json.h"

namespace moorhaze {
namespace {

constexpr Named<PlaneModel> kModels[] = {{PlaneModel::automatic, "auto"},
                                         {PlaneModel::shift, "shift"},
                                         {PlaneModel::similarity, "similarity"},
                                         {PlaneModel::perspective, "perspective"}};
constexpr Named<Unplaced> kUnplaced[] = {{Unplaced::leave_out, "leave-out"},
                                         {Unplaced::interpolate, "interpolate"}};
constexpr Named<Levelling> kLevelling[] = {{Levelling::automatic, "auto"},
                                           {Levelling::off, "off"},
                                           {Levelling::brightness, "brightness"},
                                           {Levelling::colour, "colour"}};
constexpr Named<Demosaic> kDemosaic[] = {
    {Demosaic::bilinear, "bilinear"}, {Demosaic::ppg, "ppg"}, {Demosaic::ahd, "ahd"}};

template <class Value, std::size_t count>
void read_named(Members& members, const char* key, const Named<Value> (&names)[count], Value& value) {
    if (const DecisionJson* found = members.find(key)) value = named(names, *found);
}

}  // namespace

DecisionJson json_of(const Development& own) {
    return {{"orientation", own.orientation},
            {"red", own.red},
            {"blue", own.blue},
            {"exposure_ev", own.exposure_ev},
            {"black_shift", own.black_shift},
            {"white_shift", own.white_shift},
            {"demosaic", name_of(kDemosaic, own.demosaic)}};
}
void read(Members& members, Development& own) {
    members.get("orientation", own.orientation);
    members.get("red", own.red);
    members.get("blue", own.blue);
    members.get("exposure_ev", own.exposure_ev);
    members.get("black_shift", own.black_shift);
    members.get("white_shift", own.white_shift);
    read_named(members, "demosaic", kDemosaic, own.demosaic);
}

DecisionJson json_of(const Placing& own) {
    return {{"as_they_lie", own.as_they_lie},
            {"model", name_of(kModels, own.model)},
            {"unplaced", name_of(kUnplaced, own.unplaced)},
            {"levelling", name_of(kLevelling, own.levelling)},
            {"mend_dust", own.mend_dust}};
}
void read(Members& members, Placing& own) {
    members.get("as_they_lie", own.as_they_lie);
    read_named(members, "model", kModels, own.model);
    read_named(members, "unplaced", kUnplaced, own.unplaced);
    read_named(members, "levelling", kLevelling, own.levelling);
    members.get("mend_dust", own.mend_dust);
}

DecisionJson json_of(const MergeChoice& own) {
    return {{"method", own.method},
            {"detail_size_px", own.settings.detail_size_px},
            {"seam_width_px", own.settings.seam_width_px},
            {"trust_floor", own.settings.trust_floor},
            {"glare_guard", own.settings.glare_guard},
            {"grain_guard", own.settings.grain_guard},
            {"unveil", own.settings.unveil}};
}
void read(Members& members, MergeChoice& own) {
    members.get("method", own.method);
    members.get("detail_size_px", own.settings.detail_size_px);
    members.get("seam_width_px", own.settings.seam_width_px);
    members.get("trust_floor", own.settings.trust_floor);
    members.get("glare_guard", own.settings.glare_guard);
    members.get("grain_guard", own.settings.grain_guard);
    members.get("unveil", own.settings.unveil);
}

}  // namespace moorhaze
