// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <functional>

#include "desktop/session/session.h"
#include "desktop/view/row_list.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace moorhaze::desktop {

/// Devices, marks, the run, and what went wrong in it.
class ShootPage : public QWidget {
    Q_OBJECT
  public:
    ShootPage(Session& session, QWidget* parent);
    /// The usual next step: connect, start, pause or go on.
    void next_step();
    QString next_step_text() const;
    bool can_step() const;
    /// Asked before a run or watching replaces the series there is.
    void set_may_begin(const std::function<bool()>& may_begin) { may_begin_ = may_begin; }

  signals:
    void changed();
    void frame_chosen(int frame);

  private:
    void refresh();
    void show_again();

    Session& session_;
    ShootDesk& desk_;
    FolderWatch& watch_;
    std::function<bool()> may_begin_ = [] { return true; };
    QComboBox* source_;
    QCheckBox *quick_, *faults_;
    QLabel *position_, *depth_, *progress_, *why_, *watching_;
    QLineEdit* folder_;
    QWidget *marks_room_, *run_room_;
    QPushButton *connect_, *near_, *far_, *to_near_, *to_far_, *stop_, *again_, *live_;
    RowList* troubles_;
    bool folder_typed_ = false;
};

}  // namespace moorhaze::desktop
