#pragma once
#include <QImage>
#include <QObject>
#include <QPixmap>
#include <QThreadPool>
#include <stop_token>
#include <vector>

#include "core/series/card.h"

namespace moorhaze::desktop {

/// A small picture of each series on a card, of its middle frame; they come one after the other, made beside
/// the interface.
class SeriesThumbs : public QObject {
    Q_OBJECT
  public:
    explicit SeriesThumbs(QObject* parent = nullptr);
    ~SeriesThumbs() override;

    /// Of these series; what was wanted before is given up.
    void want(const std::vector<FoundSeries>& card);
    QPixmap find(int place) const;

  signals:
    void ready(int place);

  private:
    QThreadPool pool_;
    std::vector<QImage> pictures_;
    std::stop_source stop_;
    int generation_ = 0;
};

}  // namespace moorhaze::desktop
