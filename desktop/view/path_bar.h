// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <array>

#include "desktop/session/document/standpoint.h"

namespace moorhaze::desktop {

/// The six stages as waymarks on a path, each with its state in a word or figure.
class PathBar : public QWidget {
    Q_OBJECT
  public:
    explicit PathBar(QWidget* parent = nullptr);

    struct Waymark {
        QString state;  ///< a word or figure; empty: not yet
        bool done = false;
        bool warning = false;
    };
    void set_here(Stage stage);
    void set_waymark(Stage stage, const Waymark& waymark);
    static QString name(Stage stage);
    QSize sizeHint() const override { return {1280, 44}; }

  signals:
    void stage_chosen(Stage stage);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    QRectF slot(int index) const;
    int index_at(double x) const;

    std::array<Waymark, kStageCount> waymarks_;
    Stage here_ = Stage::plan;
    int hovered_ = -1;
};

}  // namespace moorhaze::desktop
