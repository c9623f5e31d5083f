#include "desktop/session/result_look.h"

#include <algorithm>

#include "core/work/for_rows.h"
#include "desktop/session/run_beside.h"

namespace moorhaze::desktop {
namespace {

constexpr int kShrink = 2;
constexpr QRgb kViolet = 0xa986cf, kBlue = 0x6fa8c9, kAmber = 0xe0b23c;
constexpr float kFloorWidth = 0.1f;  // over which the floor takes effect

/// The picture at half size, blue, green, red, 255.
cv::Mat4b halved_display(const Picture& picture) {
    const auto levels = display_levels(picture, Job{});
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
    return std::make_shared<DisplayPicture>(display_levels({shown, {}, {}}, Job{}),
                                            QPoint(growth.area.x, growth.area.y),
                                            double(growth.area.width) / growth.places.cols);
}

}  // namespace

ResultLook::ResultLook(Session& session, const std::array<QColor, 256>& colours, QObject* parent)
    : QObject(parent), session_(session), colours_(colours) {
    pool_.setMaxThreadCount(1);
    connect(&session_, &Session::result_shown, this, &ResultLook::want);
    connect(&session_, &Session::merge_grew, this, [this] {
        const auto& growth = session_.growth();
        growing_ = growth ? growth_picture(*growth, session_.series().count(), colours_) : nullptr;
        emit grew();
    });
    connect(&session_, &Session::settings_changed, this, [this] {
        if (wanted_look() == LookAt::below_floor) want();
    });
}

ResultLook::~ResultLook() {
    pool_.waitForDone();
}

bool ResultLook::has_trust() const {
    return session_.result() && !session_.result()->merge->trust.empty();
}

LookAt ResultLook::wanted_look() const {
    const LookAt look = floor_moving_ ? LookAt::below_floor : look_;
    return look == LookAt::below_floor && !has_trust() ? LookAt::picture : look;
}

void ResultLook::set_look(LookAt look) {
    if (look == look_) return;
    look_ = look;
    want();
    emit changed();
}

void ResultLook::set_floor_moving(bool moving) {
    if (moving == floor_moving_) return;
    floor_moving_ = moving;
    want();
    emit changed();
}

std::shared_ptr<const DisplayPicture> ResultLook::shown() const {
    const Result* result = session_.result();
    // What was made last stays until what is wanted is there, unless it is of another result.
    return result && wanted_look() != LookAt::picture && made_of_ == result->id && made_as_ == wanted_look()
               ? made_
               : nullptr;
}

void ResultLook::want() {
    if (wanted_look() == LookAt::picture || !session_.result()) return;
    wanted_ = true;
    next();
}

void ResultLook::next() {
    if (working_ || !wanted_) return;
    const Result* result = session_.result();
    wanted_ = false;
    if (!result || wanted_look() == LookAt::picture) return;
    working_ = true;
    struct Made {
        cv::Mat4b base;
        std::shared_ptr<const DisplayPicture> picture;
    };
    auto make = [merge = result->merge, look = wanted_look(), floor = session_.merge_settings().trust_floor,
                 frames = session_.series().count(), colours = colours_,
                 known = base_of_ == result->id ? base_ : cv::Mat4b()]() -> Made {
        const cv::Mat4b base = known.empty() ? halved_display(merge->picture) : known;
        const cv::Mat3b shown = look_at(*merge, base, look, floor, frames, colours);
        return {base, std::make_shared<DisplayPicture>(display_levels({shown, {}, {}}, Job{}),
                                                       QPoint(merge->area.x, merge->area.y), kShrink)};
    };
    run_beside(
        pool_, this, make,
        [this, id = result->id, look = wanted_look()](const Made& made) {
            working_ = false;
            base_ = made.base, base_of_ = id;
            made_ = made.picture, made_of_ = id, made_as_ = look;
            emit changed();
            next();
        },
        [this](const std::exception& error) {
            working_ = false;
            session_.tell(QString::fromUtf8(error.what()), true);
        });
}

}  // namespace moorhaze::desktop
