// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/result_look.h"

#include <algorithm>

#include "core/mend/mended.h"
#include "core/work/for_rows.h"

namespace moorhaze::desktop {
namespace {

constexpr int kShrink = 2;
constexpr int kStrip = 128;  // rows of what is shown
constexpr QRgb kViolet = 0xa986cf, kBlue = 0x6fa8c9, kAmber = 0xe0b23c, kGreen = 0xa9bf4f;
constexpr float kFloorWidth = 0.1f;  // over which the floor takes effect

/// The picture at half size, blue, green, red, 255.
cv::Mat4b downsampled_display(const Picture& picture) {
    const auto levels = shown_levels(picture, Job{});
    return levels.size() > 1 ? levels[1] : levels[0];
}

/// What a place was made by, told by tint and pattern: the depth map stays grey.
cv::Vec3b made_by_colour(MadeBy made_by, int grey, int x, int y) {
    const auto over = [grey](QRgb colour, float share) {
        const auto mixed = [&](int tint) {
            return uchar(float(grey) * (1 - share) + share * float(tint) * float(90 + grey) / 345);
        };
        return cv::Vec3b(mixed(qRed(colour)), mixed(qGreen(colour)), mixed(qBlue(colour)));
    };
    switch (made_by) {
        case MadeBy::pyramid:
            return over(kViolet, 0.9f);
        case MadeBy::backdrop:
            return over(kBlue, ((x + y) / 4) % 2 == 0 ? 0.8f : 0.3f);
        case MadeBy::one_state:
            return over(kAmber, (x / 4 + y / 4) % 2 == 0 ? 0.9f : 0.5f);
        case MadeBy::blend:
            return over(kViolet, ((x - y) / 4) % 2 == 0 ? 0.6f : 0.2f);
        case MadeBy::highlight:
            return over(kGreen, x % 6 < 3 && y % 6 < 3 ? 1.0f : 0.35f);
        case MadeBy::unveiled:
            return over(kGreen, y % 6 < 2 ? 0.9f : 0.3f);
        default:
            return cv::Vec3b::all(uchar(grey));
    }
}

/// @param floor  trust floor;  @param frames  of the series.
cv::Mat3b look_at(const MergeResult& merge, const cv::Mat4b& base, LookAt look, double floor, int frames,
                  const std::array<QColor, 256>& colours) {
    cv::Mat3b shown(base.size());  // red, green, blue
    for_rows(shown.rows, Job{}, [&](int y) {
        const int v = std::min(kShrink * y, merge.source.rows - 1);
        for (int x = 0; x < shown.cols; ++x) {
            const int u = std::min(kShrink * x, merge.source.cols - 1);
            const cv::Vec4b own = base(y, x);
            const int grey = (own[0] * 29 + own[1] * 150 + own[2] * 77) / 256;
            if (look == LookAt::below_floor) {
                // Amber stripes, so that it is told by shape too.
                const float below =
                    std::clamp((float(floor) - merge.trust(v, u)) / kFloorWidth + 0.5f, 0.0f, 1.0f);
                const bool stripe = ((x + y) / 4) % 2 == 0;
                const float veil = below * (stripe ? 0.75f : 0.45f);
                const int tint[] = {qRed(kAmber), qGreen(kAmber), qBlue(kAmber)};
                for (int c = 0; c < 3; ++c)
                    shown(y, x)[c] = uchar(float(own[2 - c]) * (1 - veil) + veil * float(tint[c]) * 0.6f);
            } else if (look == LookAt::made_by) {
                shown(y, x) = made_by_colour(MadeBy(merge.made_by(v, u)), grey, x, y);
            } else {
                const double place = look == LookAt::depth ? double(merge.depth(v, u)) : merge.source(v, u);
                const double share = frames > 1 ? (place - 1) / (frames - 1) : 0;
                const QColor colour = colours[std::size_t(std::clamp(share, 0.0, 1.0) * 255 + 0.5)];
                const int tint[] = {colour.red(), colour.green(), colour.blue()};
                // The picture's light stays in it, so that one sees what lies where.
                for (int c = 0; c < 3; ++c)
                    shown(y, x)[c] = place < 1 ? own[2 - c] : uchar(tint[c] * (90 + grey * 165 / 255) / 255);
            }
        }
    });
    return shown;
}

/// What strokes brought, in the depth colour of the frame that each came from, over the picture in grey;
/// violet stripes where it is another result or another place.
cv::Mat3b look_at_painted(const MergeResult& merge, const Series& series, const SharedList<Stroke>& strokes,
                          const cv::Mat4b& base, const std::array<QColor, 256>& colours, const Job& job) {
    std::vector<std::optional<QColor>> tints;
    for (const Stroke& stroke : strokes) {
        tints.emplace_back();
        const auto* frame = std::get_if<FrameId>(&stroke.source);
        const auto place = frame ? index_of(series, *frame) : std::nullopt;
        if (place && series.count() > 1)
            tints.back() = colours[std::size_t(*place * 255 / (series.count() - 1))];
    }
    const MergePlanes planes = planes_of(merge, series);
    cv::Mat3b shown(base.size());  // red, green, blue
    // A strip at a time, so that no more planes of the whole are held.
    const int strips = (shown.rows + kStrip - 1) / kStrip;
    for_rows(strips, job, [&](int strip) {
        const PixelRect area(merge.area.x, merge.area.y + kShrink * kStrip * strip, merge.area.width,
                             kShrink * kStrip);
        const Painted painted = painted_on(strokes, area & merge.area, planes, job);
        for (int i = 0; i < kStrip * shown.cols; ++i) {
            const int y = kStrip * strip + i / shown.cols, x = i % shown.cols;
            if (y >= shown.rows) break;
            const int v = std::min(kShrink * (y - kStrip * strip), painted.share.rows - 1),
                      u = std::min(kShrink * x, painted.share.cols - 1);
            const cv::Vec4b own = base(y, x);
            const int grey = (own[0] * 29 + own[1] * 150 + own[2] * 77) / 256;
            const int stroke = painted.stroke(v, u);
            const float share = stroke > 0 ? 0.4f + 0.5f * painted.share(v, u) : 0;
            const bool has_depth = stroke > 0 && tints[std::size_t(stroke - 1)];
            const QColor tint = has_depth ? *tints[std::size_t(stroke - 1)]
                                          : QColor(((x + y) / 4) % 2 == 0 ? kViolet : kViolet & 0x7f7f7f);
            const int colour[] = {tint.red(), tint.green(), tint.blue()};
            for (int c = 0; c < 3; ++c)
                shown(y, x)[c] = uchar(float(grey) * 0.6f * (1 - share) +
                                       share * float(colour[c]) * float(90 + grey) / 345);
        }
    });
    return shown;
}

/// Depth colours where something is known, dark elsewhere. Small, so that it is made at once.
std::shared_ptr<const DisplayPicture> growth_picture(const Growth& growth, int frames,
                                                     const std::array<QColor, 256>& colours) {
    cv::Mat3b shown(growth.places.size(), cv::Vec3b::all(34));
    for (int y = 0; y < shown.rows; ++y)
        for (int x = 0; x < shown.cols; ++x)
            if (const float place = growth.places(y, x); place >= 1) {
                const double share = frames > 1 ? double(place - 1) / (frames - 1) : 0;
                const QColor& colour = colours[std::size_t(std::clamp(share, 0.0, 1.0) * 255 + 0.5)];
                shown(y, x) = {uchar(colour.red()), uchar(colour.green()), uchar(colour.blue())};
            }
    return std::make_shared<DisplayPicture>(shown_levels({shown, {}, {}}, Job{}),
                                            QPoint(growth.area.x, growth.area.y),
                                            double(growth.area.width) / growth.places.cols);
}

}  // namespace

ResultLook::ResultLook(SessionBase& base, const Merging& merging, const std::array<QColor, 256>& colours,
                       QObject* parent)
    : QObject(parent),
      base_(base),
      merging_(merging),
      colours_(colours),
      base_row_({.name = tr("the result at half size"),
                 .inputs = [this] { return base_inputs(); },
                 .make = [](const BaseInputs& in, const Job&) -> Base {
                     return std::make_shared<const cv::Mat4b>(downsampled_display(in.merge->picture));
                 },
                 .may_come_back = [this](const BaseInputs& in) { return is_there(in); }},
                base.derived),
      row_({.name = tr("what is known of the result"),
            .inputs = [this] { return inputs(); },
            .make = [colours](const Inputs& in, const Job& job) { return make(in, colours, job); },
            .serves =
                [](const Inputs& made_from, const Inputs& today) {
                    return made_from.of == today.of && made_from.look == today.look;
                },
            .replaced = LatestWish::Replaced::comes_to_its_end,
            .may_come_back = [this](const Inputs& in) { return is_there(in.of); }},
           base.derived),
      growing_({.name = tr("depth found so far"),
                .inputs = [this]() -> tl::expected<GrowthInputs, Why> {
                    if (!merging_.growth()) return tl::unexpected(Why{tr("No merge is under way.")});
                    return GrowthInputs{merging_.growth(), base_.document.series().count()};
                },
                .make = [colours](const GrowthInputs& in,
                                  const Job&) { return growth_picture(*in.growth, in.frames, colours); },
                // Of one merge: when that ends there is none.
                .serves = [](const GrowthInputs&, const GrowthInputs&) { return true; },
                .replaced = LatestWish::Replaced::comes_to_its_end},
               base.derived) {
    connect(&base_row_, &DerivedRow::changed, &row_, &DerivedRow::follow);
    connect(&row_, &DerivedRow::changed, this, &ResultLook::changed);
    connect(&merging_, &Merging::grew, &growing_, &DerivedRow::follow);
    connect(&growing_, &DerivedRow::changed, this, &ResultLook::grew);
}

const MergeProduct* ResultLook::product() const {
    const ProjectResult* shown = base_.standpoint.result();
    return shown ? base_.products.merge(shown->id) : nullptr;
}

bool ResultLook::has_trust() const {
    const MergeProduct* own = product();
    return own && !own->result->trust.empty();
}

LookAt ResultLook::wanted_look() const {
    if (base_.standpoint.stage() == Stage::mend)
        return base_.standpoint.shows_painted() ? LookAt::painted : LookAt::picture;
    const LookAt look = floor_moving_ ? LookAt::below_floor : base_.standpoint.look();
    return look == LookAt::below_floor && !has_trust() ? LookAt::picture : look;
}

void ResultLook::set_floor_moving(bool moving) {
    if (moving == floor_moving_) return;
    floor_moving_ = moving;
    row_.follow();
    emit changed();
}

std::shared_ptr<const DisplayPicture> ResultLook::shown() const {
    return row_.value() ? *row_.value() : nullptr;
}

bool ResultLook::is_there(const BaseInputs& in) const {
    const MergeProduct* own = base_.products.merge(in.result);
    return in.document == base_.document.id() && own && own->result == in.merge;
}

tl::expected<ResultLook::BaseInputs, Why> ResultLook::base_inputs() const {
    const Stage stage = base_.standpoint.stage();
    const MergeProduct* own = product();
    if (!own) return tl::unexpected(Why{tr("There is no result to look at.")});
    if ((stage != Stage::merge && stage != Stage::mend) || wanted_look() == LookAt::picture)
        return tl::unexpected(Why{tr("The picture itself is looked at.")});
    return BaseInputs{base_.document.id(), base_.standpoint.result()->id, own->result};
}

tl::expected<ResultLook::Inputs, Why> ResultLook::inputs() const {
    const auto of = base_inputs();
    if (!of) return tl::unexpected(of.error());
    const Base* under = base_row_.value();
    if (!under || *base_row_.made_from() != *of)
        return tl::unexpected(Why{tr("The picture is being prepared.")});
    Inputs in{*of, *under, product()->plane, wanted_look(), 0, {}};
    if (in.look == LookAt::below_floor) in.floor = base_.document.project().merge.settings.trust_floor;
    if (in.look == LookAt::painted) in.strokes = base_.standpoint.result()->strokes;
    return in;
}

ResultLook::Made ResultLook::make(const Inputs& in, const std::array<QColor, 256>& colours, const Job& job) {
    const MergeResult& merge = *in.of.merge;
    const Series& series = in.plane->series;
    const cv::Mat3b shown = in.look == LookAt::painted
                                ? look_at_painted(merge, series, in.strokes, *in.under, colours, job.quiet())
                                : look_at(merge, *in.under, in.look, in.floor, series.count(), colours);
    return std::make_shared<DisplayPicture>(shown_levels({shown, {}, {}}, job),
                                            QPoint(merge.area.x, merge.area.y), kShrink);
}

}  // namespace moorhaze::desktop
