// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>
#include <optional>

#include "core/finish/finished.h"

namespace moorhaze::desktop {

/// The upright line at the left in Finish: light instead of depth, dark below, light above. The histogram's
/// bars are its ticks; black and white point, the middle tone and the points of the curve are handles on it;
/// an arrow shows the tone under the pointer. Across, from left to right, stands what a tone becomes.
class ToneLine : public QWidget {
    Q_OBJECT
  public:
    explicit ToneLine(QWidget* parent = nullptr);

    void set_tones(const Tones& tones);
    const Tones& tones() const { return tones_; }
    void set_histogram(const std::optional<ToneHistogram>& histogram);
    /// What the finished picture has under the pointer; none: the pointer is elsewhere.
    void set_pointed(std::optional<double> tone);

    /// What can be taken hold of.
    struct Handle {
        enum Kind { black, middle, white, point } kind = black;
        int place = 0;  ///< of a point, in the curve
        bool operator==(const Handle&) const = default;
    };
    QPointF place_of(Handle handle) const;
    std::optional<Handle> handle_at(QPointF at) const;
    Handle chosen() const { return chosen_; }
    double y_of(double tone) const;
    double tone_at(double y) const;
    /// In words, for tips and readers.
    QString describe() const;
    QSize sizeHint() const override { return {104, 600}; }

  signals:
    /// While a handle moves, and by key.   @param join  the same for one movement.
    void tones_changed(const moorhaze::Tones& tones, const QString& what, const QString& join);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    double x_of(double becomes) const;
    double becomes_at(double x) const;
    std::vector<Handle> handles() const;  ///< from dark to light
    void add_point(double tone);
    void remove_point(int place);
    void move_handle(double tone, std::optional<double> becomes, const QString& join);
    QString words_of(Handle handle) const;

    Tones tones_;
    std::optional<ToneHistogram> histogram_;
    std::optional<double> pointed_;
    Handle chosen_;
    bool held_ = false;
    int moves_ = 0;
};

}  // namespace moorhaze::desktop
