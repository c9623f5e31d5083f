// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/sets/views_look.h"

#include <QFileInfo>
#include <algorithm>

#include "core/sets/run_turntable.h"
#include "core/sets/spin_page.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {

ViewsLook::ViewsLook(SessionBase& base, SetRecipe& recipe, SetRun& run, QObject* parent)
    : QObject(parent), base_(base), recipe_(recipe), run_(run) {
    connect(&run_, &SetRun::changed, this, &ViewsLook::follow);
    connect(&base_.standpoint, &Standpoint::changed, this, [this](Standpoint::Aspect aspect) {
        if (aspect == Standpoint::Aspect::stage || aspect == Standpoint::Aspect::finish_page) follow();
    });
}

bool ViewsLook::is_there() const {
    constexpr int kLeast = 2;
    const std::vector<SeriesRecord> records = run_.records();
    return recipe_.turntable() &&
           std::count_if(records.begin(), records.end(),
                         [](const SeriesRecord& own) { return own.is_made(); }) >= kLeast;
}

bool ViewsLook::is_wanted() const {
    return base_.standpoint.stage() == Stage::finish && base_.standpoint.finish_page() == FinishPage::views &&
           is_there();
}

void ViewsLook::forget() {
    looking_.drop();
    drawing_.drop();
    of_.clear();
    problem_.clear();
    look_.reset(), picture_.reset(), drawn_.reset();
}

void ViewsLook::follow() {
    if (!is_wanted()) {
        // Elsewhere it is not needed, and takes memory.
        if (!of_.empty()) {
            forget();
            emit changed();
        }
        return;
    }
    // While views are merged anew, what was seen of them before stays.
    if (run_.is_running() && look_) return draw();
    std::vector<std::filesystem::path> files;
    std::string now;
    Finish finish;
    try {
        const SetPlan plan = run_.plan();
        finish = plan.recipe.finish.value_or(Finish{});
        files = merged_views(plan, run_.records());
        for (const SeriesRecord& own : run_.records())
            if (own.is_made()) now += own.made_of + '\n';
        for (const auto& file : files) now += file.string() + '\n';
        if (finish.ground.picked)
            now += std::to_string(finish.ground.picked->x) + ' ' + std::to_string(finish.ground.picked->y);
        now += std::to_string(finish.ground.reach);
    } catch (const Error& error) {
        forget();
        problem_ = QString::fromUtf8(error.what());
        emit changed();
        return;
    }
    if (now == of_) return draw();
    forget();
    of_ = now;
    emit changed();
    looking_.want(
        [files, finish](const Job& job) {
            return std::make_shared<const TurntableLook>(
                look_at_views(files, finish.ground.picked, finish.ground.reach, job));
        },
        [this](const std::shared_ptr<const TurntableLook>& look) {
            look_ = look;
            view_ = std::clamp(view_, 0, views() - 1);
            draw();
            emit changed();
        },
        [this](const std::exception& error) {
            problem_ = QString::fromUtf8(error.what());
            emit changed();
        });
}

void ViewsLook::draw() {
    const TurntableRule* rule = recipe_.turntable();
    if (!look_ || !rule) return;
    const Drawn now{shown_, shown_ == ViewsShown::one ? view_ : 0, rule->level, rule->even_light};
    if (drawn_ == now) {
        emit changed();  // the crop may be another
        return;
    }
    drawn_ = now;
    drawing_.want(
        [look = look_, now, own_rule = *rule](const Job& job) {
            const PixelRect area = levelled_area(*look, own_rule);
            return std::make_shared<DisplayPicture>(
                shown_levels(levelled_views(*look, own_rule, now.shown, now.view), job),
                QPoint(area.x, area.y), double(look->shrink));
        },
        [this](const std::shared_ptr<DisplayPicture>& picture) {
            if (!look_) return;
            picture_ = picture;
            emit changed();
        },
        [this](const std::exception& error) { base_.notices.notify_error(QString::fromUtf8(error.what())); });
}

void ViewsLook::show(ViewsShown shown, int view) {
    shown_ = shown;
    view_ = std::max(0, look_ ? std::min(view, views() - 1) : view);
    draw();
    emit changed();
}

QStringList ViewsLook::remarks() const {
    QStringList remarks;
    if (look_)
        for (const std::string& own : look_->remarks) remarks << text(own);
    if (const auto& together = run_.together())
        for (const std::string& own : together->reasons)
            if (!remarks.contains(text(own))) remarks << text(own);
    return remarks;
}

PixelRect ViewsLook::crop() const {
    const TurntableRule* rule = recipe_.turntable();
    if (!look_ || !rule) return {};
    try {
        return *framing_of_views(*look_, *rule).crop;
    } catch (const BadParameter&) {
        return {};
    }
}

PixelRect ViewsLook::area() const {
    const TurntableRule* rule = recipe_.turntable();
    return look_ && rule ? levelled_area(*look_, *rule) : PixelRect();
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
