// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <optional>

#include "desktop/session/shoot/shoot_desk.h"

namespace moorhaze::desktop {

/// The depth line of the Plan stage: the subject's depth to scale, far at the top, with the sharp zone of
/// each planned frame on it, left and right in turn so that overlaps and gaps can be seen; frames that were
/// shot are filled, their length says how much of the picture is sharpest there. An arrow shows where the
/// plane of focus stands; two handles are the near and the far mark.
class PlanLine : public QWidget {
    Q_OBJECT
  public:
    PlanLine(SessionBase& base, ShootDesk& desk, QWidget* parent = nullptr);

    double y_of(double depth_mm) const;  ///< depth from the near mark, or from the subject's nearest point
    double depth_at(double y) const;
    int frame_at(QPointF place) const;  ///< -1 for none
    QSize sizeHint() const override { return {104, 600}; }

  signals:
    void frame_chosen(int frame);          ///< one that has been shot
    void drive_asked(double position_mm);  ///< of the plane of focus

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    bool event(QEvent* event) override;

  private:
    double origin_mm() const;  ///< the desk's position of depth 0
    std::pair<double, double> shown_range() const;
    QRectF zone_rect(int frame) const;
    QString describe(int frame) const;

    const std::vector<double>& shares() const;  ///< of the frames that were shot, as far as they are shown
    SessionBase& base_;
    ShootDesk& desk_;
};

}  // namespace moorhaze::desktop
