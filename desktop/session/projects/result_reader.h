// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <vector>

#include "desktop/session/document/session_base.h"
#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// Reads the results of a project that was opened from disc, one after the other, the one shown first. One
/// that cannot be read is reported, and stays in the list with what it was made from.
class ResultReader : public QObject {
    Q_OBJECT
  public:
    explicit ResultReader(SessionBase& base, QObject* parent = nullptr);

    bool is_settled() const { return !wish_.is_busy(); }
    /// True while the pixels of a result are still to come.
    bool is_to_come(ResultId result) const;

  private:
    void follow(const Changes& changes);
    void next();

    SessionBase& base_;
    std::filesystem::path folder_;
    std::vector<ResultId> unread_;
    std::optional<ResultId> under_way_;
    LatestWish wish_;
};

}  // namespace moorhaze::desktop
