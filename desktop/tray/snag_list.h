// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QTimer>
#include <QWidget>

#include "desktop/session/shown/mended_display.h"
#include "desktop/session/shown/snag_walk.h"
#include "desktop/view/row_list.h"

class QLabel;
class QPushButton;

namespace moorhaze::desktop {

class Commands;

/// Page of Mend: the doubtful places of the result shown, and the way through them.
class SnagList : public QWidget {
    Q_OBJECT
  public:
    SnagList(SessionBase& base, SnagWalk& walk, const MendedDisplay& display, Commands& commands,
             QWidget* parent);
    void refresh();

  private:
    QString in_words() const;
    QPixmap small_picture(const Snag& snag) const;

    SessionBase& base_;
    SnagWalk& walk_;
    const MendedDisplay& display_;
    QLabel* words_;
    RowList* list_;
    QPushButton* again_;
    QTimer later_;  ///< pictures follow the brush when it rests
};

}  // namespace moorhaze::desktop
