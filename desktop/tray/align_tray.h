// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QCheckBox;
class QComboBox;
class QSpinBox;

namespace moorhaze::desktop {

class Commands;

/// How the frames lie against the reference frame.
class AlignTray : public Tray {
    Q_OBJECT
  public:
    AlignTray(Session& session, Commands& commands, QWidget* parent);
    QWidget* points_control() const;  ///< to bring into view

  private:
    void build_kept();
    void build_compare();
    void build_movements();
    void build_points();
    void refresh();
    void show_kept();
    void show_points();
    void show_drift_range();
    QPushButton* command_button(const char* id, const QString& words, const char* object_name);
    void edit_placing(const QString& what, const std::function<void(Placing&)>& change);
    QComboBox* add_choice(const QString& name, const QString& object_name, const QString& tip,
                          const QStringList& choices);
    Session& session_;
    Commands& commands_;
    QComboBox *kept_ = nullptr, *partner_ = nullptr, *model_ = nullptr, *unplaced_ = nullptr,
              *drift_ = nullptr;
    QSpinBox* partner_number_ = nullptr;
    QCheckBox *level_ = nullptr, *dust_ = nullptr, *as_shot_ = nullptr;
    QLabel *summary_ = nullptr, *reason_ = nullptr, *frame_ = nullptr, *lost_ = nullptr,
           *drift_range_ = nullptr, *points_state_ = nullptr;
    RowList *troubled_ = nullptr, *pairs_ = nullptr;
    QPushButton *set_points_ = nullptr, *drop_pair_ = nullptr;
};

}  // namespace moorhaze::desktop
