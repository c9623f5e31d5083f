#pragma once
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

namespace moorhaze::desktop {

/// Bringing in a series, and what its files say of how it was shot.
class PlanTray : public Tray {
    Q_OBJECT
  public:
    PlanTray(Session& session, QWidget* parent);

  signals:
    void open_folder_asked();
    void open_files_asked();
    void open_demo_asked();
    void next_asked();

  private:
    void refresh();
    Session& session_;
    QLabel *facts_, *problems_;
    QPushButton* next_;
};

}  // namespace moorhaze::desktop
