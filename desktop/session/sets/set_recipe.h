// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <set>

#include "core/sets/recipe.h"
#include "desktop/session/document/session_base.h"

namespace moorhaze::desktop {

/// The recipe that sets are done by, and which of its parts it carries.
class SetRecipe : public QObject {
    Q_OBJECT
  public:
    explicit SetRecipe(SessionBase& base, QObject* parent = nullptr) : QObject(parent), base_(base) {}

    bool is_there() const { return !name_.isEmpty(); }
    QString name() const { return name_; }
    /// Without the parts that shall not be carried.
    Recipe recipe() const;

    bool has_part(RecipePart part) const { return carries(whole_, part); }
    bool carries_part(RecipePart part) const { return has_part(part) && !left_out_.contains(part); }
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
    SessionBase& base_;
    Recipe whole_;
    std::set<RecipePart> left_out_;
    QString name_;
};

}  // namespace moorhaze::desktop
