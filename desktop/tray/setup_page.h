// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <functional>
#include <map>

#include "desktop/session/shoot/saved_setups.h"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QGridLayout;
class QLabel;
class QToolButton;
class QVBoxLayout;

namespace moorhaze::desktop {

/// The numbers of a shoot: what the person says, what comes of it, and what cannot be, beside its field.
class SetupPage : public QWidget {
    Q_OBJECT
  public:
    SetupPage(ShootDesk& desk, SavedSetups& setups, QWidget* parent);

  private:
    struct NumberLook {
        QString name, unit, tip;
        int decimals = 1;
        double step = 1;
        double factor = 1;  ///< shown value by stored value
    };
    QDoubleSpinBox* add_number(const char* field, const NumberLook& look, double ShootSetup::*member);
    QDoubleSpinBox* add_count(const char* field, const NumberLook& look, int ShootSetup::*member);
    QDoubleSpinBox* add_row(const char* field, const NumberLook& look);
    void add_widget_row(const QString& name, QWidget* widget);
    QLabel* add_text(const char* role);
    /// What is added next goes under this heading; a folded one opens by a click or when a field of it has a
    /// problem.
    void add_section(const QString& text, bool folded = false);
    void change(const char* field, const std::function<void(ShootSetup&)>& edit);
    void refresh();
    void refresh_saved();

    ShootDesk& desk_;
    SavedSetups& setups_;
    QVBoxLayout *page_, *rows_;
    struct Shown {
        QDoubleSpinBox* field;
        std::function<double(const ShootSetup&)> value;
    };
    std::vector<Shown> numbers_;
    struct Problem {
        QLabel* label;
        QToolButton* section;  ///< null where nothing is folded
    };
    std::map<std::string, Problem> problems_;
    QToolButton* section_ = nullptr;
    QComboBox *sensor_, *sharp_by_, *stepping_, *saved_;
    QDoubleSpinBox *sharp_px_, *sharp_mm_, *sensor_width_, *sensor_height_;
    QCheckBox* flash_;
    QLabel *outcome_, *verdict_, *more_, *stops_;
};

}  // namespace moorhaze::desktop
