// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QImage>
#include <QObject>
#include <QPixmap>
#include <vector>

#include "core/series/series.h"
#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// A small picture of each series on a card, of its middle frame; they come one after the other, made beside
/// the interface.
class SeriesThumbs : public QObject {
    Q_OBJECT
  public:
    explicit SeriesThumbs(QObject* parent = nullptr) : QObject(parent) {}

    /// Of these frames, one a series; what was wanted before is given up.
    void want(const std::vector<Frame>& frames);
    QPixmap find(int place) const;

  signals:
    void ready(int place);

  private:
    void next(std::size_t place);

    LatestWish wish_;
    std::vector<Frame> frames_;
    std::vector<QImage> pictures_;
};

}  // namespace moorhaze::desktop
