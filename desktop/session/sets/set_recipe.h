// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>

#include "core/sets/follow_recipe.h"
#include "desktop/session/document/session_base.h"

namespace moorhaze::desktop {

/// The recipe that sets are done by, and which of its parts it carries: decided in the project, each change a
/// step of undo.
class SetRecipe : public QObject {
    Q_OBJECT
  public:
    explicit SetRecipe(SessionBase& base, QObject* parent = nullptr);

    bool is_there() const { return !set().recipe_name.empty(); }
    QString name() const;
    /// Without the parts that shall not be carried.
    Recipe recipe() const { return carried_recipe(set()); }

    bool has_part(RecipePart part) const { return carries(set().whole, part); }
    bool carries_part(RecipePart part) const { return moorhaze::carries_part(set(), part); }
    QString part_in_words(RecipePart part) const;
    void set_carried(RecipePart part, bool carried);
    /// How a turntable's views are framed and lit; nothing while it is not carried.
    const TurntableRule* turntable() const;
    void change_turntable(const std::function<void(TurntableRule&)>& change);

    /// Of what is decided about the open series now.
    /// @param may_be_views  there are series enough for a turntable; @param are_views  and they are named so.
    void make(bool may_be_views, bool are_views);
    void take(const QString& file);
    void save(const QString& file);

  signals:
    void changed();

  private:
    const SetChoice& set() const { return base_.document.project().set; }
    void edit(const QString& what, const SetChoice& to, const QString& join = {});

    SessionBase& base_;
};

}  // namespace moorhaze::desktop
