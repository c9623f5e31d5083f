// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <functional>
#include <vector>

#include "desktop/view/row_list.h"

class QButtonGroup;
class QHBoxLayout;
class QLabel;
class QPushButton;
class QScrollArea;
class QSlider;
class QDoubleSpinBox;
class QVBoxLayout;

namespace moorhaze::desktop {

/// The frame of a stage's tray: title, a quiet word beside it, room for controls that scrolls where it is
/// short, and one button for the usual next step pinned at the bottom, always in sight.
class Tray : public QWidget {
    Q_OBJECT
  public:
    Tray(const QString& title, QWidget* parent);
    void set_state(const QString& text);
    void bring_into_view(QWidget* widget);
    void scroll_to_top();

  protected:
    void add_section(const QString& text);
    void add_hairline();
    QLabel* add_quiet(const QString& text);
    QLabel* add_line(const QString& text);
    QPushButton* add_button(const QString& text, const QString& key, const QString& tip);
    /// Two buttons side by side.
    std::pair<QPushButton*, QPushButton*> add_buttons(const QString& left, const QString& left_key,
                                                      const QString& left_tip, const QString& right,
                                                      const QString& right_key, const QString& right_tip);
    void add_row(QPushButton* left, QPushButton* right);
    /// A list in the body takes the height that is left over. Called when everything else was added.
    void let_grow(QWidget* list);
    /// The violet button at the bottom.
    QPushButton* set_next(QPushButton* button);
    /// What brings the tray up to date; called when it is wanted and the tray is seen, otherwise as soon as
    /// it is shown.
    void refresh_when_visible(const std::function<void()>& refresh);
    void want_refresh();
    void showEvent(QShowEvent* event) override;
    QVBoxLayout* body() { return body_; }

  private:
    QVBoxLayout *body_, *outer_;
    QScrollArea* room_;
    QLabel* state_;
    std::function<void()> refresh_;
    bool is_stale_ = true;
};

/// A button that shows its key at the right.
QPushButton* make_button(const QString& text, const QString& key, const QString& tip, QWidget* parent);

QHBoxLayout* side_by_side(QPushButton* left, QPushButton* right);
/// Buttons in a row of which one is on: the pages of a tray. Their places are their ids.
/// @param names  each with its tip.
QHBoxLayout* make_switch(QButtonGroup* group, const QString& object_name,
                         const std::vector<std::pair<QString, QString>>& names, QWidget* parent);
/// A list of which about three entries are seen, so that what stands below it stays in sight at 1280x800.
RowList* make_short_list(const QString& object_name, const QString& accessible_name, QWidget* parent,
                         QSize picture = {});

/// Name, number that can be typed, slider; one value. `valueChanged` comes while it is moved.
class ValueRow : public QWidget {
    Q_OBJECT
  public:
    struct Look {
        QString name, unit, tip, word;  ///< `word`: when to move it, in a few words; may be empty
        double least = 0, most = 1, step = 1;
        int decimals = 0;
        bool logarithmic = false;
        bool one_line = false;  ///< the slider stands between name and number
    };
    ValueRow(const Look& look, QWidget* parent);
    double value() const;
    void set_value(double value);
    void set_most(double most);
    QDoubleSpinBox* field() { return field_; }
    QSlider* slider() { return slider_; }

  signals:
    void value_changed(double value);

  private:
    int to_slider(double value) const;
    double from_slider(int place) const;
    Look look_;
    QDoubleSpinBox* field_;
    QSlider* slider_;
};

}  // namespace moorhaze::desktop
