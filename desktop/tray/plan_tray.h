#pragma once
#include <array>

#include "desktop/session/series_thumbs.h"
#include "desktop/session/shoot_desk.h"
#include "desktop/tray/tray_parts.h"

class QButtonGroup;
class QListWidget;

namespace moorhaze::desktop {

class RawPage;
class ShootPage;

/// Three pages: the numbers of a shoot, the shoot itself, or bringing in a series that exists already.
class PlanTray : public Tray {
    Q_OBJECT
  public:
    enum Page { numbers, shoot, bring_in };
    PlanTray(Session& session, ShootDesk& desk, QWidget* parent);
    void show_page(Page page);
    Page page() const;
    /// What the violet button does.
    void next_step();

  signals:
    void open_folder_asked();
    void open_files_asked();
    void open_demo_asked();
    void next_asked();
    void frame_chosen(int frame);
    void page_changed();
    void series_chosen(int place);
    void cut_asked();
    void join_asked();
    void develop_asked(moorhaze::Development development);

  private:
    QWidget* make_bring_in();
    void refresh();
    void show_card();
    Session& session_;
    SeriesThumbs thumbs_;
    ShootDesk& desk_;
    QButtonGroup* switch_;
    std::array<QWidget*, 3> pages_{};
    ShootPage* shoot_page_;
    QLabel *facts_ = nullptr, *problems_ = nullptr;
    QWidget* series_box_ = nullptr;
    RawPage* raw_ = nullptr;
    std::vector<QWidget*> before_series_;
    QListWidget* series_ = nullptr;
    QPushButton *cut_ = nullptr, *join_ = nullptr;
    QPushButton* next_;
};

}  // namespace moorhaze::desktop
