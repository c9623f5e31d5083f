// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QPixmap>
#include <deque>
#include <map>

#include "desktop/session/document/session_base.h"
#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// What a series looks like small: the picture that was made of it, or else one of its frames.
struct ThumbSource {
    Frame frame;
    QString made = {};         ///< a small picture's file; empty: there is none
    std::string made_of = {};  ///< which state of it
};

/// Small pictures of series, made beside the interface one after the other as they are asked for.
class SeriesThumbs : public QObject {
    Q_OBJECT
  public:
    explicit SeriesThumbs(SessionBase& base, QObject* parent = nullptr);

    /// Null while it is not there yet: `ready` comes, and asking again gives it.
    QPixmap find(const ThumbSource& source);

  signals:
    void ready();

  private:
    struct Wanted {
        QString key;
        ThumbSource source;
    };
    void make_next();

    std::map<QString, QPixmap> pictures_;  ///< null: waited for, or nothing can be shown
    std::deque<Wanted> waiting_;
    LatestWish wish_;
};

}  // namespace moorhaze::desktop
