// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QList>
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
