// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QCheckBox;
class QSpinBox;

namespace moorhaze::desktop {

class Commands;

/// Which frames and which depth: suggestions with reasons, the range, the frame shown, the reference frame.
class CullTray : public Tray {
    Q_OBJECT
  public:
    CullTray(Session& session, Commands& commands, QWidget* parent);

  private:
    void refresh();
    Session& session_;
    RowList* list_;
    QLabel *none_, *gaps_, *order_, *mixed_, *range_, *this_frame_, *suggested_, *hint_;
    QPushButton *put_in_order_, *look_again_, *toggle_;
    ValueRow* reach_;
    QSpinBox* reference_;
    QCheckBox* marks_;
};

}  // namespace moorhaze::desktop
