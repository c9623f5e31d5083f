// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/sets/set_recipe.h"

#include <QFileInfo>

#include "desktop/session/work/text.h"

namespace moorhaze::desktop {

Recipe SetRecipe::recipe() const {
    Recipe recipe = whole_;
    for (const RecipePart part : left_out_) recipe = without(std::move(recipe), part);
    return recipe;
}

QString SetRecipe::part_in_words(RecipePart part) const {
    return text(in_words(whole_, part));
}

void SetRecipe::set_carried(RecipePart part, bool carried) {
    if (carried)
        left_out_.erase(part);
    else
        left_out_.insert(part);
    emit changed();
}

const TurntableRule* SetRecipe::turntable() const {
    return carries_part(RecipePart::turntable) ? &*whole_.turntable : nullptr;
}

void SetRecipe::change_turntable(const std::function<void(TurntableRule&)>& change) {
    if (!turntable()) return;
    const TurntableRule before = *whole_.turntable;
    change(*whole_.turntable);
    if (*whole_.turntable != before) emit changed();
}

void SetRecipe::make(bool may_be_views, bool are_views) {
    const Project& project = base_.document.project();
    whole_ = recipe_of(project);
    left_out_.clear();
    if (may_be_views) {
        whole_.turntable = TurntableRule{};
        // Nobody has said how files leave: views leave as pages need them.
        if (are_views && whole_.hand_over == HandOver{}) whole_.hand_over.reset();
        if (!are_views) left_out_.insert(RecipePart::turntable);
    }
    name_ = tr("as %1 is decided now").arg(text(project.name));
    base_.notices.notify(
        tr("The recipe carries what is decided about %1. Plan's page Sets does it for others.")
            .arg(text(project.name)));
    emit changed();
}

void SetRecipe::take(const QString& file) {
    try {
        whole_ = read_recipe(file.toStdString());
        left_out_.clear();
        name_ = QFileInfo(file).fileName();
        emit changed();
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

void SetRecipe::save(const QString& file) {
    try {
        write_recipe(file.toStdString(), recipe(), true);  // the dialog has asked
        name_ = QFileInfo(file).fileName();
        base_.notices.notify(tr("Saved as %1.").arg(name_));
        emit changed();
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

}  // namespace moorhaze::desktop
