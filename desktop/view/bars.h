// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

class QLabel;
class QProgressBar;
class QTimer;
class QToolButton;

namespace moorhaze::desktop {

class JobRunner;

/// At the right end of the menus: the series, the running job with its progress, time left, and a cross to
/// stop it.
class JobBar : public QWidget {
    Q_OBJECT
  public:
    explicit JobBar(JobRunner& jobs, QWidget* parent = nullptr);
    /// @param where  it is saved, for the tooltip.
    void set_series_name(const QString& name, const QString& where);

  private:
    void refresh();

    JobRunner& jobs_;
    QString series_name_;
    QLabel* text_;
    QProgressBar* progress_;
    QToolButton* stop_;
};

/// A sentence above the picture: what happened and what to do. What went wrong stays until it is closed or
/// replaced; what needs no answer leaves by itself, but not from under the pointer.
class NoticeBar : public QWidget {
    Q_OBJECT
  public:
    explicit NoticeBar(QWidget* parent = nullptr);
    void show_text(const QString& text, bool is_error);
    QString text() const;
    bool is_error() const { return is_error_; }

    /// Long enough to be read, by the length of a text.
    static int reading_ms(const QString& text);

  private:
    void leave_when_read();
    QLabel *icon_, *text_;
    bool is_error_ = false;
    QTimer* leaving_;
};

}  // namespace moorhaze::desktop
