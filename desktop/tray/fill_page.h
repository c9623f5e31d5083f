// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

#include "desktop/session/hands/brushwork.h"

class QLabel;
class QPushButton;
class QSpinBox;

namespace moorhaze::desktop {

/// The source is brought to all places of a kind in one step: untrusted ones, a range of depth, what one
/// frame supplied.
class FillPage : public QWidget {
    Q_OBJECT
  public:
    FillPage(SessionBase& base, Brushwork& brushwork, QWidget* parent);
    void refresh();

  private:
    void fill_depths();
    void fill_frame();
    /// The number, from 1, that the merge shown counts a frame by; 0: it was made without it.
    int number_in_merge(int number) const;

    SessionBase& base_;
    Brushwork& brushwork_;
    QLabel* words_;
    QPushButton *untrusted_, *depths_, *frame_;
    QSpinBox *from_, *to_;
};

}  // namespace moorhaze::desktop
