// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <random>

#include "core/project/edits.h"
#include "core/project/history.h"
#include "core/sets/follow_recipe.h"

namespace moorhaze::test {

/// Everything that a person may do to a project and that may happen to it, chosen by chance.
class RandomWork {
  public:
    explicit RandomWork(unsigned seed) : random_(seed) {}

    /// A project of some frames from two series of a card.
    Project begin() {
        std::vector<FoundSeries> found(2);
        for (int i = 0; i < 14; ++i) {
            Frame frame;
            frame.id = {i + 1};
            frame.path = "/heath/card/f" + std::to_string(i) + ".jpg";
            found[i < 9 ? 0 : 1].frames.push_back(frame);
        }
        found[0].name = "lichen", found[1].name = "bog cotton";
        found[1].reason = "another framing";
        Series series;
        series.name = "lichen";
        series.frames = found[0].frames;
        next_frame_ = 15;
        return with_series({}, series, card_of(found), 0);
    }

    /// A step that a person makes; it may change nothing.
    Project edited(const Project& now) {
        const int count = now.frames.size();
        switch (below(18)) {
            case 17: {
                SetChoice set = now.set;
                if (below(2)) set.whole = recipe_of(now), set.recipe_name = "as the lichen";
                set = with_part(set, kRecipeParts[below(int(std::size(kRecipeParts)))], below(2) == 0);
                if (!now.frames.empty()) set = with_tick(set, now.frames[0].path, below(2) == 0);
                set.out = below(2) ? "finished/{number}" : "";
                set.replaces = below(2) == 0;
                return with_set(now, set);
            }
            case 16: {
                Finish finish = now.finish.finish;
                finish.light.exposure_ev = real();
                finish.framing.crop =
                    below(3) ? std::optional(PixelRect(below(50), below(50), 20, 10)) : std::nullopt;
                return with_finish(now, finish, any_frame(now));
            }
            case 0:
                return with_used(now, any_frame(now), below(2) == 0);
            case 1:
                return with_range(now, {below(count), below(count)});
            case 2:
                return with_reference(now, below(3) ? std::optional(any_frame(now)) : std::nullopt);
            case 3: {
                std::vector<FrameId> order;
                for (const ProjectFrame& frame : now.frames) order.push_back(frame.id);
                std::shuffle(order.begin(), order.end(), random_);
                return with_order(now, order);
            }
            case 4: {
                Development development = now.development;
                development.exposure_ev = real();
                development.demosaic = Demosaic(below(3));
                return with_development(now, development);
            }
            case 5: {
                Placing placing = now.placing;
                placing.model = PlaneModel(below(4));
                placing.levelling = Levelling(below(4));
                placing.unplaced = Unplaced(below(2));
                placing.mend_dust = below(2) == 0;
                placing.points.push_back(
                    {any_frame(now), any_frame(now), {real(), real()}, {real(), real()}});
                return with_placing(now, placing);
            }
            case 6:
                return with_kept(now, KeptArea(below(3)));
            case 7: {
                MergeChoice choice = now.merge;
                choice.method = merge_methods()[std::size_t(below(4))].name;
                choice.settings.detail_size_px = 1 + 39 * std::abs(real());
                choice.settings.glare_guard = below(2) == 0;
                choice.backdrop = below(2) ? std::optional(any_frame(now)) : std::nullopt;
                return with_merge(now, choice);
            }
            case 8:
            case 9:
            case 10: {
                Stroke stroke;
                if (below(3)) stroke.source = any_frame(now);
                if (!below(4)) stroke.source = any_result(now);
                if (!below(5)) stroke.source = FromPlace{below(200) - 100, below(200) - 100};
                stroke.is_off = !below(5);
                stroke.match_tone = !below(3);
                if (!below(4)) stroke.shape = FadeAcross{};
                if (!below(8)) stroke.shape = FadeAcross{{any_frame(now), any_frame(now)}};
                if (!below(6))
                    stroke.shape =
                        WithinOutline{{{{1, 2}, {30.5, real()}, {7, 80}}, {{4, 4}, {5, 4}, {5, 5}}}};
                if (!below(6))
                    stroke.shape = WhereRule{WhereRule::Kind(below(3)), real(), 40 * real(), any_frame(now)};
                const bool pen = !below(3);
                stroke.radius_px = 1 + 100 * std::abs(real());
                for (int i = 0; i <= below(5); ++i)
                    stroke.points.push_back({1000 * real(), 1000 * real(), pen ? std::abs(real()) : 1});
                return with_stroke(now, any_result(now), stroke);
            }
            case 11:
                return with_title(now, any_result(now), "heath " + std::to_string(below(100)));
            case 12:
                return without_result(now, any_result(now));
            case 14: {
                std::vector<IgnoredPlace> ignored;
                for (int i = below(4); i > 0; --i)
                    ignored.push_back({SnagKind(below(kSnagKindCount)), {below(900), below(900)}});
                return with_ignored(now, any_result(now), SharedList(ignored));
            }
            case 13: {
                Shooting shooting = now.shooting;
                shooting.setup.subject_depth_mm = 1 + std::abs(real());
                shooting.near_mark_mm = below(2) ? std::optional(real()) : std::nullopt;
                return with_shooting(now, shooting);
            }
            default: {
                if (!now.card_place) return now;
                try {
                    const auto card = below(2) ? cut_before(now, any_frame(now)) : joined_with_next(now);
                    Series series;
                    series.name = card[*now.card_place].name;
                    series.frames = frames_of(card[*now.card_place], {});
                    return with_series(now, series, card, now.card_place);
                } catch (const BadParameter&) {
                    return now;  // at an end of the card, or a frame that came later
                }
            }
        }
    }

    /// Something that merely happens.
    std::function<Project(const Project&)> happening(const Project& now) {
        switch (below(5)) {
            case 0: {
                ProjectFrame frame;
                frame.id = {next_frame_++};
                frame.path = "/heath/shot/" + std::to_string(frame.id.value) + ".tif";
                return [frame](const Project& own) { return with_frame_added(own, frame); };
            }
            case 1:
                return [frame = any_frame(now)](const Project& own) {
                    return with_frame_shot_again(own, frame);
                };
            case 2:
                return [frame = any_frame(now)](const Project& own) {
                    return with_content_keys(own, {{frame, "00ff00ff00ff00ff00ff00ff00ff00ff"}});
                };
            case 3: {
                ProjectResult result;
                result.id = {next_result_++};
                result.title = "Woven " + std::to_string(result.id.value);
                result.seconds = std::abs(real());
                result.ahead = below(3) == 0;
                result.made_from = merge_inputs(now, any_frame(now));
                if (!below(4)) result.made_from.brought_in = "smoothed bog cotton.tif";
                return [result](const Project& own) { return with_result(own, result); };
            }
            default: {
                const ResultId id = any_result(now);
                const ProjectResult* result = find_result(now, id);
                return [id, strokes = result ? result->strokes : SharedList<Stroke>()](const Project& own) {
                    return with_saved(own, id, strokes, own.finish);
                };
            }
        }
    }

    int below(int end) { return end > 0 ? int(random_() % unsigned(end)) : 0; }

  private:
    double real() { return std::uniform_real_distribution<double>(-1, 1)(random_); }
    FrameId any_frame(const Project& now) {
        return now.frames.empty() ? FrameId{} : now.frames[below(now.frames.size())].id;
    }
    ResultId any_result(const Project& now) {
        return now.results.empty() ? ResultId{} : now.results[below(now.results.size())].id;
    }
    std::mt19937 random_;
    int next_frame_ = 1, next_result_ = 1;
};

}  // namespace moorhaze::test
