// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/recipe.h"

#include <sstream>

#include "core/project/decisions_json.h"
#include "core/work/words.h"

namespace moorhaze {
namespace {

std::string percent_words(double share) {
    return words("%.0f %%", 100 * share);
}

}  // namespace

const char* name_of(RecipePart part) {
    constexpr const char* names[] = {"development", "flags",  "range",     "alignment", "area",
                                     "merge",       "finish", "hand_over", "doubts",    "turntable"};
    return names[int(part)];
}

const char* title_of(RecipePart part) {
    constexpr const char* titles[] = {"Development of raw files",
                                      "Frames with faults",
                                      "Range",
                                      "Alignment",
                                      "Area kept",
                                      "Merge",
                                      "Finish",
                                      "Files to write",
                                      "When to look",
                                      "Turntable"};
    return titles[int(part)];
}

Finish without_painted(Finish finish) {
    finish.detail.painted = {};
    return finish;
}

bool carries(const Recipe& recipe, RecipePart part) {
    switch (part) {
        case RecipePart::development:
            return recipe.development.has_value();
        case RecipePart::flags:
            return recipe.flags.has_value();
        case RecipePart::range:
            return recipe.range.has_value();
        case RecipePart::alignment:
            return recipe.alignment.has_value();
        case RecipePart::area:
            return recipe.area.has_value();
        case RecipePart::merge:
            return recipe.merges.has_value();
        case RecipePart::finish:
            return recipe.finish.has_value();
        case RecipePart::hand_over:
            return recipe.hand_over.has_value();
        case RecipePart::doubts:
            return recipe.doubts.has_value();
        case RecipePart::turntable:
            return recipe.turntable.has_value();
    }
    return false;
}

Recipe without(Recipe recipe, RecipePart part) {
    switch (part) {
        case RecipePart::development:
            recipe.development.reset();
            break;
        case RecipePart::flags:
            recipe.flags.reset();
            break;
        case RecipePart::range:
            recipe.range.reset();
            break;
        case RecipePart::alignment:
            recipe.alignment.reset();
            break;
        case RecipePart::area:
            recipe.area.reset();
            break;
        case RecipePart::merge:
            recipe.merges.reset();
            break;
        case RecipePart::finish:
            recipe.finish.reset();
            break;
        case RecipePart::hand_over:
            recipe.hand_over.reset();
            break;
        case RecipePart::doubts:
            recipe.doubts.reset();
            break;
        case RecipePart::turntable:
            recipe.turntable.reset();
            break;
    }
    return recipe;
}

std::string in_words(const Recipe& recipe, RecipePart part) {
    if (!carries(recipe, part)) return {};
    std::ostringstream text;
    switch (part) {
        case RecipePart::development: {
            const Development& own = *recipe.development;
            text << (own.red > 0 ? "white balance " + words("%.2f", own.red) + " / " + words("%.2f", own.blue)
                                 : std::string("white balance of each series' middle frame"))
                 << ", " << words("%+.2f EV", own.exposure_ev);
            break;
        }
        case RecipePart::flags: {
            const FlagRule& own = *recipe.flags;
            std::string kinds;
            for (const std::string& kind : own.accepted) kinds += (kinds.empty() ? "" : ", ") + kind;
            text << (own.accepts_all ? "used all the same"
                     : kinds.empty() ? "left out"
                                     : "left out but: " + kinds);
            break;
        }
        case RecipePart::range: {
            const RangeRule& own = *recipe.range;
            if (own.kind == RangeRule::Kind::all) text << "all frames";
            if (own.kind == RangeRule::Kind::trimmed) text << "ends trimmed where nothing is sharp";
            if (own.kind == RangeRule::Kind::depth)
                text << "from " << percent_words(own.nearest) << " to " << percent_words(own.farthest)
                     << " of the depth";
            break;
        }
        case RecipePart::alignment: {
            const AlignmentRule& own = *recipe.alignment;
            text << (own.placing.as_they_lie ? "frames as they lie" : "measured") << ", reference "
                 << (own.reference ? "at " + percent_words(*own.reference) + " of the depth"
                                   : std::string("as suggested"))
                 << (own.placing.mend_dust ? ", dust mended" : "");
            break;
        }
        case RecipePart::area:
            text << name_of(kKeptAreaNames, *recipe.area);
            break;
        case RecipePart::merge:
            for (const MergeRule& own : *recipe.merges) {
                if (text.tellp() > 0) text << "; ";
                text << merge_method(own.choice.method).title << ", detail "
                     << own.choice.settings.detail_size_px << " px";
            }
            break;
        case RecipePart::finish:
            for (const FinishPart finish_part : kFinishParts)
                if (const std::string own = in_words(*recipe.finish, finish_part); !own.empty())
                    text << (text.tellp() > 0 ? ", " : "") << own;
            if (text.tellp() == 0) text << "nothing changed";
            break;
        case RecipePart::hand_over:
            for (const Output& own : recipe.hand_over->outputs)
                if (!own.is_off) text << (text.tellp() > 0 ? "; " : "") << own.name << ", " << in_words(own);
            break;
        case RecipePart::doubts: {
            const DoubtLimits& own = *recipe.doubts;
            text << "gaps of " << own.gap_steps << " steps, " << own.residual_px << " px off";
            if (own.snags) text << ", " << *own.snags << " snags";
            break;
        }
        case RecipePart::turntable: {
            const TurntableRule& own = *recipe.turntable;
            text << (own.views > 0 ? std::to_string(own.views) + " views" : std::string("all views"))
                 << (own.crop ? ", one crop as set" : ", one crop around all")
                 << (own.level ? ", axis upright" : "") << (own.even_light ? ", light evened" : "")
                 << (own.white_ground ? ", white ground" : "");
            break;
        }
    }
    return text.str();
}

}  // namespace moorhaze
