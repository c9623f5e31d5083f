// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/tray/finish_pages.h"
#include "desktop/tray/hand_over_page.h"
#include "desktop/tray/views_page.h"

class QButtonGroup;

namespace moorhaze::desktop {

/// Finish's tray: a page a task, what was done in one line each, and handing over.
class FinishTray : public Tray {
    Q_OBJECT
  public:
    FinishTray(Session& session, Commands& commands, QWidget* parent);

  public slots:
    void hand_over();

  private:
    void refresh();
    void show_page();
    std::vector<FinishPart> done_parts() const;
    void show_done();
    Session& session_;
    QButtonGroup* switch_;
    std::vector<QWidget*> pages_;
    std::vector<FinishRows*> rows_;
    HandOverPage* hand_over_page_;
    QWidget* done_box_;
    RowList* done_;
    QPushButton *reset_, *next_, *finish_views_;
    QLabel* words_;
};

}  // namespace moorhaze::desktop
