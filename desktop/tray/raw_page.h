// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

#include "desktop/session/projects/opening.h"

class QComboBox;
class QPushButton;

namespace moorhaze::desktop {

class ValueRow;

/// How the raw files of the series are developed, all alike; shown where there are any. Nothing happens
/// before Develop is pressed.
class RawPage : public QWidget {
    Q_OBJECT
  public:
    RawPage(SessionBase& base, QWidget* parent);

  signals:
    void develop_asked(moorhaze::Development development);

  private:
    void refresh();
    Development wanted() const;
    SessionBase& base_;
    ValueRow *red_, *blue_, *exposure_, *black_, *white_;
    QComboBox* demosaic_;
    QPushButton *from_frame_, *develop_;
};

}  // namespace moorhaze::desktop
