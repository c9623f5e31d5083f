#pragma once
#include <QWidget>

#include "desktop/session/snag_walk.h"

class QLabel;
class QListWidget;
class QPushButton;

namespace moorhaze::desktop {

class Commands;

/// Page of Mend: the doubtful places of the result shown, and the way through them.
class SnagList : public QWidget {
    Q_OBJECT
  public:
    SnagList(SessionBase& base, SnagWalk& walk, Commands& commands, QWidget* parent);
    void refresh();

  private:
    QString in_words() const;

    SessionBase& base_;
    SnagWalk& walk_;
    QLabel* words_;
    QListWidget* list_;
    QPushButton* again_;
};

}  // namespace moorhaze::desktop
