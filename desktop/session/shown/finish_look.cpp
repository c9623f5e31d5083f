// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/shown/finish_look.h"

#include <algorithm>
#include <cmath>

#include "core/finish/framing.h"
#include "core/mend/mended.h"

namespace moorhaze::desktop {
namespace {

constexpr int kLevels = 6;
constexpr int kHistogramSide = 500;  // px of the longest side that are counted: it is made with every change

QPoint corner_of(const FinishSubject& subject, PixelRect part, int level) {
    return {subject.area.x + (part.x << level), subject.area.y + (part.y << level)};
}

/// The finest pictures of a level show pixel (0, 0) in the middle of the 2^level pixels it stands for.
std::shared_ptr<const DisplayPicture> to_screen(const FinishSubject& subject, const Picture& made,
                                                PixelRect part, int level, const Job& job) {
    return std::make_shared<DisplayPicture>(shown_levels(made, job), corner_of(subject, part, level),
                                            double(1 << level));
}

ToneHistogram histogram_of(const FinishSubject& subject, const Finish& finish, const Job& job) {
    int level = 0;
    while (level + 1 < int(subject.levels.size()) &&
           std::max(subject.levels[std::size_t(level)].width(), subject.levels[std::size_t(level)].height()) >
               kHistogramSide)
        ++level;
    const PixelRect kept = kept_or_all(finish.framing, subject.area);
    const double scale = double(1 << level);
    const PixelRect part(int(std::floor((kept.x - subject.area.x) / scale)),
                         int(std::floor((kept.y - subject.area.y) / scale)),
                         std::max(1, int(kept.width / scale)), std::max(1, int(kept.height / scale)));
    return tone_histogram(finished(subject, finish, level, part, job), subject.curve, subject.space, 1);
}

template <class Inputs>
bool is_of(const Inputs& in, const SessionBase& base) {
    const ProjectResult* result = base.standpoint.result();
    return in.document == base.document.id() && result && in.result == result->id &&
           base.standpoint.stage() == Stage::finish;  // elsewhere none of it is needed
}

}  // namespace

bool FinishLook::PreparedInputs::operator==(const PreparedInputs& other) const {
    return document == other.document && result == other.result && subject == other.subject &&
           lens == other.lens && ground_picked == other.ground_picked && ground_reach == other.ground_reach &&
           frame == other.frame;
}

FinishLook::FinishLook(SessionBase& base, QObject* parent)
    : QObject(parent),
      base_(base),
      subject_({.name = tr("the picture to be finished"),
                .inputs = [this] { return subject_inputs(); },
                .make = [](const MendedResult& in, const Job& job) -> Subject {
                    return finish_subject(in.picture(in.area(), job), in.area().tl(), kLevels, job);
                },
                .serves =
                    [](const MendedResult& made_from, const MendedResult& today) {
                        return made_from.view.document == today.view.document &&
                               made_from.view.result == today.view.result;
                    }},
               base.derived),
      prepared_({.name = tr("its lens and its ground"),
                 .inputs = [this] { return prepared_inputs(); },
                 .make = [](const PreparedInputs& in, const Job& job) -> Subject {
                     Finish finish;
                     finish.lens = in.lens;
                     finish.ground.picked = in.ground_picked;
                     if (in.ground_picked) finish.ground.reach = in.ground_reach;
                     return prepared(in.from, finish, in.frame, job);
                 },
                 .may_come_back = [this](const PreparedInputs& in) { return is_of(in, base_); }},
                base.derived),
      patch_({.name = tr("what is in view, finished"),
              .inputs = [this] { return patch_inputs(); },
              .make = [](const PatchInputs& in, const Job& job) -> Made {
                  const FinishSubject& subject = *in.of.subject;
                  const Picture made = finished(subject, in.of.finish, in.level, in.part, job);
                  return {to_screen(subject, made, in.part, in.level, job),
                          histogram_of(subject, in.of.finish, job)};
              },
              // Places of a picture that is turned otherwise lie elsewhere.
              .serves =
                  [](const PatchInputs& made_from, const PatchInputs& today) {
                      return made_from.of.document == today.of.document &&
                             made_from.of.result == today.of.result &&
                             made_from.of.finish.framing == today.of.finish.framing;
                  },
              .replaced = LatestWish::Replaced::comes_to_its_end,
              .may_come_back = [this](const PatchInputs& in) { return is_of(in.of, base_); }},
             base.derived),
      whole_({.name = tr("the whole picture, finished"),
              .inputs = [this] { return whole_inputs(); },
              .make = [](const WholeInputs& in, const Job& job) -> Made {
                  const FinishSubject& subject = *in.subject;
                  const PixelRect part = turned_area(in.finish.framing, subject.area) - subject.area.tl();
                  Made made{nullptr, histogram_of(subject, in.finish, job.quiet())};
                  if (!is_neutral(in.finish))
                      made.picture =
                          to_screen(subject, finished(subject, in.finish, 0, part, job), part, 0, job);
                  return made;
              },
              .serves =
                  [](const WholeInputs& made_from, const WholeInputs& today) {
                      return made_from.document == today.document && made_from.result == today.result;
                  },
              .may_come_back = [this](const WholeInputs& in) { return is_of(in, base_); }},
             base.derived),
      before_({.name = tr("the picture before it is finished"),
               .inputs = [this] { return before_inputs(); },
               .make = [](const BeforeInputs& in, const Job& job) -> Display {
                   const PixelRect part = turned_area(in.framing, in.subject->area) - in.subject->area.tl();
                   Finish framing_alone;
                   framing_alone.framing = in.framing;
                   return to_screen(*in.subject, finished(*in.subject, framing_alone, 0, part, job), part, 0,
                                    job);
               }},
              base.derived) {
    rest_.setSingleShot(true);
    rest_.setInterval(kRestMs);
    connect(&rest_, &QTimer::timeout, this, &FinishLook::rest);
    connect(&subject_, &DerivedRow::changed, &prepared_, &DerivedRow::follow);
    // The whole is known to be out of date before what is in view is asked for.
    connect(&prepared_, &DerivedRow::changed, &whole_, &DerivedRow::follow);
    connect(&prepared_, &DerivedRow::changed, &patch_, &DerivedRow::follow);
    connect(&whole_, &DerivedRow::changed, &patch_, &DerivedRow::follow);
    connect(&prepared_, &DerivedRow::changed, this, &FinishLook::count_rest);
    connect(&base_.document.settling(), &Settling::settled, this, &FinishLook::count_rest);
    for (DerivedRow* row : std::initializer_list<DerivedRow*>{&patch_, &whole_, &before_})
        connect(row, &DerivedRow::changed, this, &FinishLook::changed);
    connect(&prepared_, &DerivedRow::changed, this, [this] {
        if (prepared_.is_current()) emit subject_ready();
    });
}

bool FinishLook::is_turned() const {
    return !finish().framing.is_off && finish().framing.turn_deg != 0;
}

tl::expected<MendedResult, Why> FinishLook::subject_inputs() const {
    // Elsewhere than in Finish it is not needed, and takes memory.
    if (base_.standpoint.stage() != Stage::finish)
        return tl::unexpected(Why{tr("Pictures are finished in Finish.")});
    return mended_result_shown(base_);
}

tl::expected<FinishLook::PreparedInputs, Why> FinishLook::prepared_inputs() const {
    if (subject_.state() == DerivedState::absent || subject_.state() == DerivedState::failed)
        return tl::unexpected(Why{subject_.why()});
    if (!subject_.value()) return tl::unexpected(Why{tr("The picture is still being prepared."), true});
    const ResultView& of = subject_.made_from()->view;
    PreparedInputs in{*subject_.value(), {}, {}, 0, base_.document.series().size(), of.document, of.result,
                      *subject_.value()};
    if (!is_neutral(finish().lens)) in.lens = finish().lens;
    if (!is_neutral(finish().ground)) {
        in.ground_picked = finish().ground.picked;
        in.ground_reach = finish().ground.reach;
    }
    // What was found out already is not found out again.
    if (prepared_.value() && prepared_.made_from()->subject == in.subject) in.from = *prepared_.value();
    return in;
}

tl::expected<FinishLook::WholeInputs, Why> FinishLook::now() const {
    if (prepared_.state() == DerivedState::absent || prepared_.state() == DerivedState::failed)
        return tl::unexpected(Why{prepared_.why()});
    // Rows follow one by one: the lens may have changed, and be looked for in a moment.
    const auto in = prepared_inputs();
    if (!prepared_.is_current() || !in || *in != *prepared_.made_from())
        return tl::unexpected(Why{tr("The picture is still being prepared."), true});
    return WholeInputs{in->document, in->result, *prepared_.value(), finish()};
}

bool FinishLook::is_whole_now() const {
    const auto of = now();
    return of && whole_.is_current() && *whole_.made_from() == *of;
}

tl::expected<FinishLook::WholeInputs, Why> FinishLook::whole_inputs() const {
    const auto of = now();
    if (!of) return of;
    if (!rested_ || !is_of(*rested_, base_))
        return tl::unexpected(Why{tr("The picture is still being prepared."), true});
    return *rested_;
}

/// The rest begins anew with each change.
void FinishLook::count_rest() {
    // What is known of another result, or elsewhere than in Finish, only takes memory.
    for (std::optional<WholeInputs>* own : {&rested_, &last_seen_})
        if (*own && !is_of(**own, base_)) own->reset();
    const auto of = now();
    if (!of || last_seen_ == *of) return;
    last_seen_ = *of;
    rest_.start();
    emit changed();
}

void FinishLook::rest() {
    const auto of = now();
    // What cannot be made in part cannot be made as a whole.
    if (!of || (patch_.state() == DerivedState::failed && patch_.wanted()->of == *of)) return;
    rested_ = *of;
    whole_.follow();
    before_.follow();
    emit changed();
}

tl::expected<FinishLook::PatchInputs, Why> FinishLook::patch_inputs() const {
    const auto of = now();
    if (!of) return tl::unexpected(of.error());
    if (seen_.isEmpty()) return tl::unexpected(Why{tr("Nothing of the picture is in view.")});
    if (is_whole_now()) return tl::unexpected(Why{tr("The picture itself is up to date.")});
    const int level = patch_level();
    // Whole pixels of the level, counted from the merge's corner.
    const double scale = double(1 << level);
    const PixelRect area = of->subject->area, all = turned_area(finish().framing, area) - area.tl();
    const PixelRect wanted =
        PixelRect(seen_.x() - area.x, seen_.y() - area.y, seen_.width(), seen_.height()) & all;
    if (wanted.empty()) return tl::unexpected(Why{tr("Nothing of the picture is in view.")});
    const int left = int(std::floor(wanted.x / scale)), top = int(std::floor(wanted.y / scale));
    return PatchInputs{*of, level,
                       PixelRect(left, top, int(std::ceil(wanted.br().x / scale)) - left,
                                 int(std::ceil(wanted.br().y / scale)) - top)};
}

tl::expected<FinishLook::BeforeInputs, Why> FinishLook::before_inputs() const {
    if (!is_turned()) return tl::unexpected(Why{tr("The picture is not turned.")});
    const auto of = now();
    if (!of) return tl::unexpected(of.error());
    if (!rested_ || rested_->subject != of->subject || rested_->finish.framing != of->finish.framing)
        return tl::unexpected(Why{tr("The picture is still being prepared.")});
    return BeforeInputs{of->document, of->result, of->subject, of->finish.framing};
}

void FinishLook::set_view(const QRect& seen, double zoom) {
    if (seen == seen_ && zoom == zoom_) return;
    seen_ = seen;
    zoom_ = zoom;
    // Elsewhere the picture may be of before the last change.
    patch_.follow();
}

int FinishLook::patch_level() const {
    const int most = int((*prepared_.value())->levels.size()) - 1;
    return std::clamp(int(std::lround(std::log2(1 / std::max(zoom_, 1e-3)))), 0, most);
}

std::shared_ptr<const DisplayPicture> FinishLook::picture() const {
    return whole_.value() ? whole_.value()->picture : nullptr;
}

std::shared_ptr<const DisplayPicture> FinishLook::patch() const {
    return patch_.value() && !is_whole_now() ? patch_.value()->picture : nullptr;
}

std::shared_ptr<const DisplayPicture> FinishLook::before() const {
    return before_.value() ? *before_.value() : nullptr;
}

std::optional<ToneHistogram> FinishLook::histogram() const {
    const Made* made = patch_.value() && !is_whole_now() ? patch_.value() : whole_.value();
    return made ? std::optional(made->histogram) : std::nullopt;
}

std::shared_ptr<const FinishSubject> FinishLook::subject() const {
    return prepared_.value() ? *prepared_.value() : nullptr;
}

std::optional<FinishedPlace> FinishLook::at(QPointF place) const {
    const auto of = now();
    if (!of || patch_.state() == DerivedState::failed || whole_.state() == DerivedState::failed)
        return std::nullopt;
    const FinishSubject& subject = *of->subject;
    const PixelRect pixel(int(std::lround(place.x())) - subject.area.x,
                          int(std::lround(place.y())) - subject.area.y, 1, 1);
    const Picture own = finished(subject, finish(), 0, pixel, {});
    if (!own.alpha.empty() && own.alpha.at<std::uint16_t>(0, 0) < 32768) return std::nullopt;
    const cv::Vec3f light = to_linear(own, subject.curve)(0, 0);
    const cv::Vec3d xyz = subject.space.to_xyz * cv::Vec3d(light);
    return FinishedPlace{tone_of_light(xyz[1]), lab_of(xyz)};
}

bool FinishLook::is_settled() const {
    if (base_.standpoint.stage() != Stage::finish || subject_.state() == DerivedState::absent) return true;
    return subject_.is_settled() && prepared_.is_settled() && patch_.is_settled() && before_.is_settled() &&
           !rest_.isActive() &&
           (is_whole_now() || whole_.state() == DerivedState::failed ||
            patch_.state() == DerivedState::failed);
}

}  // namespace moorhaze::desktop
