// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/sets/set_recipe.h"

#include <QFileInfo>

#include "core/project/edits.h"
#include "desktop/session/work/text.h"

namespace moorhaze::desktop {

SetRecipe::SetRecipe(SessionBase& base, QObject* parent) : QObject(parent), base_(base) {
    connect(&base_.document, &Document::changed, this, [this](const Changes& changes) {
        if (changes.set) emit changed();
    });
}

void SetRecipe::edit(const QString& what, const SetChoice& to, const QString& join) {
    base_.document.edit(what, with_set(base_.document.project(), to), join);
}

QString SetRecipe::name() const {
    return text(set().recipe_name);
}

QString SetRecipe::part_in_words(RecipePart part) const {
    return text(in_words(set().whole, part));
}

void SetRecipe::set_carried(RecipePart part, bool carried) {
    edit(carried ? tr("carry a part of the recipe") : tr("leave out a part of the recipe"),
         with_part(set(), part, carried));
}

const TurntableRule* SetRecipe::turntable() const {
    return carries_part(RecipePart::turntable) ? &*set().whole.turntable : nullptr;
}

void SetRecipe::change_turntable(const std::function<void(TurntableRule&)>& change) {
    if (!turntable()) return;
    SetChoice to = set();
    change(*to.whole.turntable);
    edit(tr("frame the views"), to, QStringLiteral("turntable"));
}

void SetRecipe::make(bool may_be_views, bool are_views) {
    const Project& project = base_.document.project();
    SetChoice to = set();
    to.whole = recipe_of(project);
    to.left_out.clear();
    if (may_be_views) {
        to.whole.turntable = TurntableRule{};
        // Nobody has said how files leave: views leave as pages need them.
        if (are_views && to.whole.hand_over == HandOver{}) to.whole.hand_over.reset();
        if (!are_views) to.left_out.push_back(RecipePart::turntable);
    }
    const QString name = text(project.name);
    to.recipe_name = tr("as %1 is decided now").arg(name).toStdString();
    edit(tr("make a recipe"), to);
    base_.notices.notify(
        tr("The recipe carries what is decided about %1. Plan's page Sets does it for others.").arg(name));
}

void SetRecipe::take(const QString& file) {
    try {
        SetChoice to = set();
        to.whole = read_recipe(file.toStdString());
        to.left_out.clear();
        to.recipe_name = QFileInfo(file).fileName().toStdString();
        edit(tr("take a recipe"), to);
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

void SetRecipe::save(const QString& file) {
    try {
        write_recipe(file.toStdString(), recipe(), true);  // the dialog has asked
        SetChoice to = set();
        to.recipe_name = QFileInfo(file).fileName().toStdString();
        base_.notices.notify(tr("Saved as %1.").arg(text(to.recipe_name)));
        edit(tr("save the recipe"), to);
    } catch (const Error& error) {
        base_.notices.notify_error(QString::fromUtf8(error.what()));
    }
}

}  // namespace moorhaze::desktop
