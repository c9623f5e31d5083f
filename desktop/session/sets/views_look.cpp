// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/sets/views_look.h"

#include <QFileInfo>
#include <algorithm>

#include "core/sets/run_turntable.h"
#include "core/sets/spin_page.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {

ViewsLook::ViewsLook(SessionBase& base, SetRecipe& recipe, SetRun& run, QObject* parent)
    : QObject(parent),
      base_(base),
      recipe_(recipe),
      run_(run),
      look_({.name = tr("all views"),
             .inputs = [this] { return look_inputs(); },
             .make =
                 [](const LookInputs& in, const Job& job) {
                     return std::make_shared<const TurntableLook>(
                         look_at_views(in.files, in.ground_at, in.ground_reach, job));
                 }},
            base.derived),
      drawn_({.name = tr("the views over each other"),
              .inputs = [this] { return drawn_inputs(); },
              .make =
                  [](const DrawnInputs& in, const Job& job) {
                      TurntableRule rule;
                      rule.level = in.level;
                      rule.even_light = in.even_light;
                      const PixelRect area = levelled_area(*in.look, rule);
                      return std::make_shared<const DisplayPicture>(
                          shown_levels(levelled_views(*in.look, rule, in.shown, in.view), job),
                          QPoint(area.x, area.y), double(in.look->shrink));
                  },
              .serves = [](const DrawnInputs& made_from,
                           const DrawnInputs& today) { return made_from.look == today.look; },
              .replaced = LatestWish::Replaced::comes_to_its_end},
             base.derived) {
    connect(&run_, &SetRun::changed, &look_, &DerivedRow::follow);
    for (DerivedRow* row : {static_cast<DerivedRow*>(&look_), static_cast<DerivedRow*>(&drawn_)})
        connect(row, &DerivedRow::changed, this, &ViewsLook::changed);
    connect(&look_, &DerivedRow::changed, &drawn_, &DerivedRow::follow);
    // The crop may be another.
    connect(&recipe_, &SetRecipe::changed, this, &ViewsLook::changed);
}

bool ViewsLook::is_there() const {
    constexpr int kLeast = 2;
    const std::vector<SeriesRecord> records = run_.records();
    return recipe_.turntable() && std::count_if(records.begin(), records.end(), [](const SeriesRecord& own) {
                                      return own.is_made();
                                  }) >= kLeast;
}

bool ViewsLook::is_wanted() const {
    return base_.standpoint.stage() == Stage::finish && base_.standpoint.finish_page() == FinishPage::views &&
           is_there();
}

tl::expected<ViewsLook::LookInputs, Why> ViewsLook::look_inputs() const {
    // Elsewhere it is not needed, and takes memory.
    if (!is_wanted()) return tl::unexpected(Why{});
    // While views are merged anew, what was seen of them before stays.
    if (run_.is_running()) {
        if (look_.made_from()) return *look_.made_from();
        return tl::unexpected(Why{tr("The views are being merged.")});
    }
    try {
        const SetPlan plan = run_.plan();
        const Finish finish = plan.recipe.finish.value_or(Finish{});
        LookInputs in{merged_views(plan, run_.records()), {}, finish.ground.picked, finish.ground.reach};
        for (const SeriesRecord& own : run_.records())
            if (own.is_made()) in.made_of.push_back(own.made_of);
        return in;
    } catch (const Error& error) {
        return tl::unexpected(Why{QString::fromUtf8(error.what())});
    }
}

tl::expected<ViewsLook::DrawnInputs, Why> ViewsLook::drawn_inputs() const {
    const TurntableRule* rule = recipe_.turntable();
    if (!look_.value() || !rule) return tl::unexpected(Why{});
    return DrawnInputs{*look_.value(), shown_, shown_ == ViewsShown::one ? view() : 0, rule->level,
                       rule->even_light};
}

void ViewsLook::show(ViewsShown shown, int view) {
    shown_ = shown;
    view_ = std::max(0, view);
    drawn_.follow();
    emit changed();
}

QStringList ViewsLook::remarks() const {
    QStringList remarks;
    if (look())
        for (const std::string& own : look()->remarks) remarks << text(own);
    if (const auto& together = run_.together())
        for (const std::string& own : together->reasons)
            if (!remarks.contains(text(own))) remarks << text(own);
    return remarks;
}

PixelRect ViewsLook::crop() const {
    const TurntableRule* rule = recipe_.turntable();
    if (!look() || !rule) return {};
    try {
        return *framing_of_views(*look(), *rule).crop;
    } catch (const BadParameter&) {
        return {};
    }
}

PixelRect ViewsLook::area() const {
    const TurntableRule* rule = recipe_.turntable();
    return look() && rule ? levelled_area(*look(), *rule) : PixelRect();
}

void ViewsLook::set_crop(const std::optional<PixelRect>& crop) {
    recipe_.change_turntable([&](TurntableRule& rule) { rule.crop = crop; });
}

QString ViewsLook::why_no_spin_page() const {
    if (run_.is_running()) return tr("The set is being worked on.");
    const auto& together = run_.together();
    return together && together->is_made() ? QString() : tr("Finish all views first.");
}

QString ViewsLook::spin_folder() const {
    try {
        const SetPlan plan = run_.plan();
        return text((plan.out.folder / (turntable_name(plan) + "-spin")).string());
    } catch (const BadParameter&) {
        return {};  // the place for the pictures is being typed
    }
}

void ViewsLook::make_spin_page() {
    if (const QString why = why_no_spin_page(); !why.isEmpty()) return base_.notices.notify_error(why);
    const SeriesRecord& together = *run_.together();
    const SetPlan plan = run_.plan();
    // Each view may have left in several formats: the first of them turns.
    const std::size_t each = std::max<std::size_t>(1, together.files.size() / std::size_t(together.merged));
    std::vector<std::filesystem::path> pictures;
    for (std::size_t i = 0; i < together.files.size(); i += each)
        pictures.push_back(plan.out.folder / together.files[i].file);
    SpinSettings settings;
    settings.title = turntable_name(plan);
    settings.deep_zoom = deep_zoom_;
    settings.overwrite = true;  // a spin page only; anything else is refused
    base_.jobs.start(
        tr("spin page"),
        [pictures, folder = spin_folder(), settings](const Job& job) {
            return write_spin_page(pictures, folder.toStdString(), settings, job);
        },
        [this, folder = spin_folder()](const SpinPage& page) {
            base_.notices.notify(tr("Spin page of %1 views in %2: %3 files, %4 MB.")
                                     .arg(page.views)
                                     .arg(folder)
                                     .arg(page.files)
                                     .arg(double(page.bytes) * 1e-6, 0, 'f', 1));
            emit changed();
        });
}

QString ViewsLook::spin_page() const {
    if (!is_there()) return {};
    const QString file = spin_folder() + QStringLiteral("/index.html");
    return QFileInfo::exists(file) ? file : QString();
}

}  // namespace moorhaze::desktop
