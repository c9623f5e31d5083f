// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/hands/finishing.h"

#include <QClipboard>
#include <QGuiApplication>
#include <algorithm>
#include <cmath>

#include "core/align/common_area.h"
#include "core/align/homography.h"
#include "core/finish/finish_json.h"
#include "core/finish/framing.h"
#include "core/finish/fringes.h"
#include "core/finish/lens.h"
#include "core/finish/noise.h"
#include "core/finish/white_balance.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {
namespace {

constexpr double kFaintFringe_px = 0.1;  // in the corners
constexpr double kFaintNoise = 0.001;    // of luma: less is not worth taking out

}  // namespace

Finishing::Finishing(SessionBase& base, FinishLook& look, QObject* parent)
    : QObject(parent), base_(base), look_(look) {
    connect(&look_, &FinishLook::subject_ready, this, [this] {
        if (const auto step = std::exchange(waiting_, nullptr)) step();
    });
    connect(&base_.document.settling(), &Settling::settled, this, [this](const Settled& what) {
        if (what.document.series || what.has_aspect(Standpoint::Aspect::result) ||
            base_.standpoint.stage() != Stage::finish)
            waiting_ = nullptr;
        say_unplaced();
    });
}

void Finishing::say_unplaced() {
    if (base_.standpoint.stage() != Stage::finish) return;
    const std::string problem = shown_finish(base_).problem;
    if (problem == said_unplaced_) return;
    said_unplaced_ = problem;
    if (!problem.empty()) base_.notices.notify(text(problem));
}

/// What is measured in the finished picture is done where that is looked at, as soon as it is there.
void Finishing::when_ready(std::function<void()> step) {
    if (const QString why = why_no_picture(base_); !why.isEmpty()) return base_.notices.notify_error(why);
    base_.standpoint.set_stage(Stage::finish);
    if (look_.subject()) return step();
    waiting_ = std::move(step);
}

PixelRect Finishing::area() const {
    const ProjectResult* result = base_.standpoint.result();
    const MergeProduct* product = result ? base_.products.merge(result->id) : nullptr;
    return product ? product->result->area : PixelRect();
}

PixelRect Finishing::kept() const {
    const PixelRect all = area();
    return all.empty() ? all : kept_or_all(finish().framing, all);
}

void Finishing::change(const QString& what, const std::function<void(Finish&)>& change, const QString& join) {
    // What lies elsewhere is first carried over to the result that the person looks at.
    if (!is_finish_placed(base_)) return base_.notices.notify_error(why_no_picture(base_));
    Finish changed = finish();
    try {
        change(changed);
        const ProjectResult* result = base_.standpoint.result();
        const auto plane = result ? std::optional(result->made_from.align.reference) : std::nullopt;
        base_.document.edit(what, with_finish(base_.document.project(), changed, plane), join);
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

void Finishing::set_off(FinishPart part, bool off) {
    change(off ? tr("switch %1 off").arg(name_of(part)) : tr("switch %1 on").arg(name_of(part)),
           [&](Finish& own) { own = with_off(own, part, off); });
}

void Finishing::reset(FinishPart part) {
    change(tr("reset %1").arg(name_of(part)), [&](Finish& own) { own = without(own, part); });
}

void Finishing::reset_all() {
    change(tr("reset the finish"), [](Finish& own) { own = {}; });
}

void Finishing::set_turn(double degrees) {
    change(
        tr("turn the picture"),
        [&](Finish& own) {
            own.framing = with_turn(own.framing, area(), degrees), own.framing.is_off = false;
        },
        QStringLiteral("turn"));
}

void Finishing::level_along(QPointF from, QPointF to) {
    change(tr("level the picture"), [&](Finish& own) {
        own.framing = with_level_line(own.framing, area(), {from.x(), from.y()}, {to.x(), to.y()});
        own.framing.is_off = false;
    });
}

void Finishing::set_shape(double across, double down) {
    const PixelRect all = area();
    if (all.empty()) return;
    change(tr("crop to a shape"), [&](Finish& own) {
        own.framing.crop =
            of_shape(own.framing.corners == EmptyCorners::left_out ? inside_turned(own.framing, all)
                                                                   : turned_area(own.framing, all),
                     across, down);
        own.framing.is_off = false;
    });
}

void Finishing::suggest_crop() {
    const ProjectResult* result = base_.standpoint.result();
    const MergeProduct* product = result ? base_.products.merge(result->id) : nullptr;
    if (!product) return base_.notices.notify_error(why_no_picture(base_));
    const PixelRect all = area();
    const PixelRect covered =
        common_area(product->plane->geometry, indices_of(result->made_from.frames, product->plane->series),
                    product->plane->series.size());
    change(tr("take the suggested crop"), [&](Finish& own) {
        PixelRect crop = suggested_crop(all, covered, product->result->picture.alpha);
        if (own.framing.turn_deg != 0) crop = inside_turned(own.framing, crop);
        own.framing.crop = crop;
        own.framing.is_off = false;
    });
    if (finish().framing.crop == all)
        base_.notices.notify(tr("All of the picture is covered by every frame: nothing has to go."));
}

QPointF Finishing::to_reference(QPointF turned) const {
    const cv::Point2d own = mapped(to_turned(finish().framing).inv(), turned.x(), turned.y());
    return {own.x, own.y};
}

QPointF Finishing::to_turned_picture(QPointF reference) const {
    const cv::Point2d own = mapped(to_turned(finish().framing), reference.x(), reference.y());
    return {own.x, own.y};
}

void Finishing::pick_grey(QPointF place) {
    if (!look_.subject()) return base_.notices.notify_error(tr("The picture is still being prepared."));
    const QPointF at = to_reference(place);
    change(tr("pick a grey"), [&](Finish& own) {
        own.light =
            with_grey_at(own.light, light_around(*look_.subject(), {at.x(), at.y()}), look_.subject()->space);
        own.light.is_off = false;
    });
}

void Finishing::pick_ground(QPointF place) {
    const QPointF at = to_reference(place);
    if (!area().contains(cv::Point(int(std::lround(at.x())), int(std::lround(at.y())))))
        return base_.notices.notify_error(tr("This place lies outside of the picture."));
    change(tr("pick the ground"), [&](Finish& own) {
        own.ground.picked = cv::Point2d(at.x(), at.y());
        own.ground.is_off = false;
    });
}

void Finishing::place_vignette(QPointF place) {
    const PixelRect own = kept();
    if (own.empty()) return base_.notices.notify_error(why_no_picture(base_));
    change(tr("place the corners' light"), [&](Finish& finish) {
        finish.vignette.across = std::clamp((place.x() - own.x + 0.5) / own.width, 0.0, 1.0);
        finish.vignette.down = std::clamp((place.y() - own.y + 0.5) / own.height, 0.0, 1.0);
        finish.vignette.is_off = false;
    });
}

void Finishing::set_ground_colour(const std::optional<cv::Vec3d>& srgb) {
    change(tr("choose the ground's colour"), [&](Finish& own) { own.ground.colour = srgb; });
}

void Finishing::fit_tones() {
    if (!look_.subject()) return when_ready([this] { fit_tones(); });
    change(tr("fit the tones"), [&](Finish& own) { own.tones = auto_tones_of(*look_.subject(), own); });
}

void Finishing::measure_noise() {
    if (!look_.subject()) return when_ready([this] { measure_noise(); });
    base_.jobs.start(
        tr("measure the noise"),
        [subject = look_.subject()](const Job& job) {
            return noise_of(subject->levels[0], subject->curve, job);
        },
        [this, of = look_.subject()](double noise) {
            if (of != look_.subject()) return base_.notices.notify(tr("Another picture is shown by now."));
            if (noise < kFaintNoise)
                return base_.notices.notify(tr("The picture has no noise that would be seen."));
            change(tr("take the noise out"), [noise](Finish& own) {
                own.detail.noise = noise;
                own.detail.is_off = false;
            });
            base_.notices.notify(tr("The noise measured is %1 %.").arg(100 * noise, 0, 'f', 1));
        });
}

void Finishing::find_fringes() {
    if (!look_.subject()) return when_ready([this] { find_fringes(); });
    base_.jobs.start(
        tr("look for fringes"),
        [subject = look_.subject()](const Job& job) {
            return with_lateral_found({}, subject->levels[0], subject->curve, job);
        },
        [this, of = look_.subject()](const Fringes& found) {
            if (of != look_.subject()) return base_.notices.notify(tr("Another picture is shown by now."));
            const double corner = std::hypot(of->area.width, of->area.height) / 2;
            const auto px = [corner](const LateralFringe& own) { return corner * (own.linear + own.square); };
            if (std::max(std::abs(px(found.red)), std::abs(px(found.blue))) < kFaintFringe_px)
                return base_.notices.notify(tr("Red and blue lie where green is; nothing was changed."));
            change(tr("bring the colours together"), [&](Finish& own) {
                own.fringes.red = found.red;
                own.fringes.blue = found.blue;
                own.fringes.is_off = false;
            });
            base_.notices.notify(tr("In the corners red lay %1 px and blue %2 px outwards of green.")
                                     .arg(px(found.red), 0, 'f', 2)
                                     .arg(px(found.blue), 0, 'f', 2));
        });
}

void Finishing::correct_lens() {
    const ProjectResult* result = base_.standpoint.result();
    const MergeProduct* product = result ? base_.products.merge(result->id) : nullptr;
    if (!product) return base_.notices.notify_error(why_no_picture(base_));
    if (product->shooting.lens.empty())
        return base_.notices.notify_error(tr("The frames do not say which lens they were taken with."));
    base_.jobs.start(
        tr("look for the lens"), [shooting = product->shooting](const Job&) { return lens_of(shooting); },
        [this, name = text(product->shooting.lens)](const std::optional<Lens>& lens) {
            if (!lens) return base_.notices.notify_error(tr("The lens database knows no %1.").arg(name));
            change(tr("correct the lens"), [&](Finish& own) { own.lens = *lens; });
        });
}

void Finishing::copy() const {
    QGuiApplication::clipboard()->setText(QString::fromStdString(json_of(with_look({}, finish()))));
    base_.notices.notify(tr("The finish is copied: paste it in another series. Frame and ground stay here."));
}

void Finishing::paste() {
    const std::string text = QGuiApplication::clipboard()->text().toStdString();
    change(tr("paste a finish"), [&](Finish& own) {
        try {
            own = with_look(own, finish_of(text));
        } catch (const FileError&) {
            throw BadParameter(
                tr("What was copied last is no finish: copy one first (Ctrl+Shift+C).").toStdString());
        }
    });
}

void Finishing::save_look(const QString& file) {
    try {
        write_look(file.toStdString(), finish(), true);
        base_.notices.notify(tr("The look is saved as %1.").arg(file));
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

void Finishing::use_look(const QString& file) {
    change(tr("use a look"), [&](Finish& own) { own = with_look(own, read_look(file.toStdString())); });
}

}  // namespace moorhaze::desktop
