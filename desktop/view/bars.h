// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QList>
#include <QStringList>
#include <QWidget>

class QLabel;
class QProgressBar;
class QTimer;
class QToolButton;

namespace moorhaze::desktop {

class JobRunner;

/// At the right end of the menus: the series, whether it is not saved, the running job with its progress,
/// time left, and a cross to stop it. Of several lanes the first that works is shown, and the others are
/// counted.
class JobBar : public QWidget {
    Q_OBJECT
  public:
    explicit JobBar(const QList<JobRunner*>& lanes, QWidget* parent = nullptr);
    /// @param where  it is saved, for the tooltip.
    /// @param unsaved  in two or three words, beside the name for as long as it is so; empty: it is saved.
    void set_series_name(const QString& name, const QString& where, const QString& unsaved);

  private:
    void refresh();
    JobRunner* working() const;

    QList<JobRunner*> lanes_;
    QString series_name_;
    QLabel* unsaved_;
    QLabel* text_;
    QProgressBar* progress_;
    QToolButton* stop_;
};

/// A sentence over the upper edge of the picture, which it moves nowhere: what happened and what to do. What
/// went wrong stays until it is closed, and nothing takes its place but what went wrong later: it comes back
/// after that. What needs no answer leaves by itself, but not from under the pointer.
class NoticeBar : public QWidget {
    Q_OBJECT
  public:
    /// @param over  it lies over the upper edge of this one.
    explicit NoticeBar(QWidget* over);
    void show_text(const QString& text, bool is_error);
    QString text() const { return shown_; }
    bool is_error() const { return is_error_; }
    /// What is shown was read; errors before it that nobody closed come back.
    void close_shown();
    /// Nothing of all that holds any more.
    void close_all();

    /// Long enough to be read, by the length of a text.
    static int reading_ms(const QString& text);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void show_now(const QString& text, bool is_error);
    void leave_when_read();
    void lie_over();
    QLabel *icon_, *text_, *more_;
    QString shown_;
    bool is_error_ = false;
    int times_ = 1;
    QStringList unread_;  ///< errors beneath the one shown, the newest last
    QTimer* leaving_;
};

}  // namespace moorhaze::desktop
