// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QTimer>
#include <QWidget>

#include "desktop/session/hands/brushwork.h"
#include "desktop/session/shown/snag_walk.h"

class QLabel;
class QListWidget;
class QPushButton;

namespace moorhaze::desktop {

class Commands;

/// Page of Mend: the doubtful places of the result shown, and the way through them.
class SnagList : public QWidget {
    Q_OBJECT
  public:
    SnagList(SessionBase& base, SnagWalk& walk, const Brushwork& brushwork, Commands& commands,
             QWidget* parent);
    void refresh();

  private:
    QString in_words() const;
    void refresh_pictures();

    SessionBase& base_;
    SnagWalk& walk_;
    const Brushwork& brushwork_;
    QLabel* words_;
    QListWidget* list_;
    QPushButton* again_;
    QTimer later_;  ///< pictures follow the brush when it rests
};

}  // namespace moorhaze::desktop
