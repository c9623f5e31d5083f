// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <functional>

#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QButtonGroup;

namespace moorhaze::desktop {

class Commands;
class RawPage;
class SetsPage;
class ShootPage;

/// The pages: the numbers of a shoot, the shoot itself, bringing in a series that exists already, and the
/// same recipe for many series.
class PlanTray : public Tray {
    Q_OBJECT
  public:
    enum Page { numbers, shoot, bring_in, sets };
    PlanTray(Session& session, Commands& commands, QWidget* parent);
    /// Asked before a series begins that replaces the one there is.
    void set_may_begin(const std::function<bool()>& may_begin);
    void show_page(Page page);
    Page page() const;
    /// A shoot is planned or made, of frames that are not there yet.
    bool is_planning() const { return page() == numbers || page() == shoot; }
    /// What the violet button does.
    void next_step();

  signals:
    void page_changed();
    void series_chosen(int place);
    void paths_chosen(const QStringList& paths);

  private:
    QWidget* make_bring_in();
    void refresh();
    void show_card();
    Session& session_;
    Commands& commands_;
    ShootDesk& desk_;
    QButtonGroup* switch_;
    std::array<QWidget*, 4> pages_{};
    ShootPage* shoot_page_;
    SetsPage* sets_page_;
    QLabel *facts_ = nullptr, *problems_ = nullptr;
    QWidget* series_box_ = nullptr;
    RawPage* raw_ = nullptr;
    std::vector<QWidget*> before_series_;
    RowList* series_ = nullptr;
    QPushButton* next_;
};

}  // namespace moorhaze::desktop
