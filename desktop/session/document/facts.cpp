// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/document/facts.h"

#include <QCoreApplication>
#include <cmath>

namespace moorhaze::desktop {
namespace {

QString tr(const char* text) {
    return QCoreApplication::translate("Facts", text);
}

}  // namespace

QString snag_name(SnagKind kind) {
    switch (kind) {
        case SnagKind::soft_rim:
            return tr("soft rim");
        case SnagKind::thin_thing:
            return tr("thin thing");
        case SnagKind::bright_halo:
            return tr("halo");
        case SnagKind::dark_rim:
            return tr("dark rim");
        case SnagKind::moved:
            return tr("moved");
        case SnagKind::glare:
            return tr("glare");
        case SnagKind::dust:
            return tr("dust streak");
        case SnagKind::never_sharp:
            return tr("never sharp");
        case SnagKind::blended:
            break;
    }
    return tr("blended");
}

QString exposure_text(double seconds) {
    if (seconds <= 0) return {};
    if (seconds < 0.3) return tr("1/%1 s").arg(std::lround(1 / seconds));
    return tr("%1 s").arg(seconds, 0, 'g', 3);
}

QStringList series_facts(const Series& series) {
    const Frame& frame = series.frames[std::size_t(series.count() / 2)];
    const ShootingData& data = frame.info.shooting;
    QStringList facts;
    facts << tr("%1 frames, %2 x %3 px, %4 bit")
                 .arg(series.count())
                 .arg(frame.info.width)
                 .arg(frame.info.height)
                 .arg(frame.info.bits);
    QStringList settings;
    if (data.f_number) settings << tr("f/%1").arg(*data.f_number, 0, 'g', 3);
    if (data.exposure_s) settings << exposure_text(*data.exposure_s);
    if (data.iso) settings << tr("ISO %1").arg(*data.iso);
    if (data.focal_length_mm) settings << tr("%1 mm").arg(*data.focal_length_mm, 0, 'g', 4);
    if (!settings.isEmpty()) facts << settings.join(QStringLiteral("  "));
    if (!data.camera.empty()) facts << QString::fromStdString(data.camera);
    const auto near_m = series.frames.front().info.shooting.focus_distance_m,
               far_m = series.frames.back().info.shooting.focus_distance_m;
    if (near_m && far_m && series.count() > 1)
        facts << (travel_from_metadata(series) == Travel::rail
                      ? tr("shot on a rail, focus at %1 mm").arg(*near_m * 1000, 0, 'f', 0)
                      : tr("refocused from %1 to %2 mm")
                            .arg(*near_m * 1000, 0, 'f', 1)
                            .arg(*far_m * 1000, 0, 'f', 1));
    if (data.taken) facts << QString::fromStdString(*data.taken);
    return facts;
}

QString frame_caption(const Series& series, int frame) {
    const ShootingData& data = series.frames[std::size_t(frame)].info.shooting;
    QStringList parts{tr("frame %1").arg(frame + 1)};
    if (data.f_number) parts << tr("f/%1").arg(*data.f_number, 0, 'g', 3);
    if (data.exposure_s) parts << exposure_text(*data.exposure_s);
    return parts.join(QStringLiteral(" · "));
}

QString frames_text(int first, int last) {
    return first == last ? tr("Frame %1").arg(first + 1) : tr("Frames %1 to %2").arg(first + 1).arg(last + 1);
}

std::vector<Suggestion> suggestions(const SessionBase& base) {
    std::vector<Suggestion> list;
    const Looked* looked = base.products.looked();
    if (!looked) return list;
    const auto& flags = looked->whole.flags;
    auto short_reason = [](const FrameFlag& flag) {
        // Several frames share the words before the figure.
        return QString::fromStdString(flag.reason).section(':', 0, 0);
    };
    for (int i = 0; i < int(flags.size()); ++i) {
        if (flags[std::size_t(i)].empty()) continue;
        const FrameFlag& flag = flags[std::size_t(i)][0];
        const bool out = !base.document.project().frames[i].used;
        const bool joins = !list.empty() && list.back().last == i - 1 && flag.kind == "unsharp" &&
                           list.back().reason.section(':', 0, 0) == short_reason(flag);
        if (joins) {
            list.back().last = i;
            list.back().reason = short_reason(flag);
            list.back().done = list.back().done && out;
        } else {
            list.push_back({i, i, QString::fromStdString(flag.reason), out});
        }
    }
    return list;
}

QString strokes_text(int count) {
    return count == 1 ? tr("1 stroke") : tr("%1 strokes").arg(count);
}

QString source_words(const Project& project, const Stroke& stroke) {
    if (const auto* frame = std::get_if<FrameId>(&stroke.source)) {
        const auto place = place_of(project, *frame);
        return place ? tr("frame %1").arg(*place + 1) : tr("a frame that is gone");
    }
    if (const auto* id = std::get_if<ResultId>(&stroke.source)) {
        const ProjectResult* result = find_result(project, *id);
        return result ? QString::fromStdString(result->title) : tr("a result that is gone");
    }
    return std::holds_alternative<FromPlace>(stroke.source) ? tr("beside") : tr("the merge");
}

QString stroke_words(const Project& project, const Stroke& stroke) {
    if (std::holds_alternative<FromPlace>(stroke.source)) return stroke.match_tone ? tr("heal") : tr("copy");
    if (const auto* fade = std::get_if<FadeAcross>(&stroke.shape); fade && !fade->through.empty())
        return tr("fade through %1 frames to %2")
            .arg(fade->through.size() + 1)
            .arg(source_words(project, stroke));
    if (std::holds_alternative<FadeAcross>(stroke.shape))
        return tr("fade to %1").arg(source_words(project, stroke));
    if (std::holds_alternative<WithinOutline>(stroke.shape))
        return tr("thing from %1").arg(source_words(project, stroke));
    if (std::holds_alternative<WhereRule>(stroke.shape))
        return tr("fill from %1").arg(source_words(project, stroke));
    if (std::holds_alternative<WipeBack>(stroke.source)) return tr("wipe back");
    return tr("draw-in from %1").arg(source_words(project, stroke));
}
QString snags_text(int plain, int all) {
    if (all == 0) return tr("no snags");
    if (plain == 0) return all == 1 ? tr("1 slight snag") : tr("%1 slight snags").arg(all);
    return plain == 1 ? tr("1 snag") : tr("%1 snags").arg(plain);
}

QString gap_text(const FocusGap& gap) {
    const int missing = std::max(1, int(std::lround(gap.missing)));
    return tr("Gap after frame %1: at least %2 missing, a soft band there")
        .arg(gap.after + 1)
        .arg(missing == 1 ? tr("1 step") : tr("%1 steps").arg(missing));
}

QString order_text(const OrderReport& order) {
    if (!order.needs_repair()) return {};
    const QString why = QString::fromStdString(order.reason);
    switch (order.order) {
        case FocusOrder::far_to_near:
            return QStringLiteral("The frames run from far to near: %1.").arg(why);
        case FocusOrder::two_passes:
            return QStringLiteral("Two passes are joined here: %1.").arg(why);
        case FocusOrder::reversed_part:
            return QStringLiteral("A part runs the wrong way: %1.").arg(why);
        default:
            return QStringLiteral("The frames are out of order: %1.").arg(why);
    }
}

}  // namespace moorhaze::desktop
