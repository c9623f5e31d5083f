// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/tray/finish_rows.h"
#include "desktop/view/commands.h"

class QComboBox;
class QPushButton;
class QSpinBox;

namespace moorhaze::desktop {

/// What is kept of the picture, and how it is turned.
class FramePage : public FinishRows {
    Q_OBJECT
  public:
    FramePage(Session& session, Commands& commands, QWidget* parent);
    void refresh() override;

  private:
    void set_size();
    QComboBox *shape_, *corners_;
    QSpinBox *width_, *height_;
    ValueRow* turn_;
    QLabel* words_;
};

/// Exposure and the light of large areas; black, white and the curve stand on the tone line.
class LightPage : public FinishRows {
    Q_OBJECT
  public:
    LightPage(Session& session, Commands& commands, QWidget* parent);
};

/// White balance, saturation, and single colours that are dragged in the picture.
class ColourPage : public FinishRows {
    Q_OBJECT
  public:
    ColourPage(Session& session, Commands& commands, QWidget* parent);
    void refresh() override;

  private:
    RowList* ones_;
    QLabel* heading_;
};

class DetailPage : public FinishRows {
    Q_OBJECT
  public:
    DetailPage(Session& session, Commands& commands, QWidget* parent);
};

/// The backdrop of a product picture.
class GroundPage : public FinishRows {
    Q_OBJECT
  public:
    GroundPage(Session& session, Commands& commands, QWidget* parent);
    void refresh() override;

  private:
    QLabel* words_;
    QPushButton *remove_, *colour_;
};

}  // namespace moorhaze::desktop
