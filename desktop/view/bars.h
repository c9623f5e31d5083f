#pragma once
#include <QWidget>

class QLabel;
class QProgressBar;
class QToolButton;

namespace moorhaze::desktop {

class JobRunner;

/// At the right end of the menus: the series, the running job with its progress, time left, and a cross to
/// stop it.
class JobBar : public QWidget {
    Q_OBJECT
  public:
    explicit JobBar(JobRunner& jobs, QWidget* parent = nullptr);
    void set_series_name(const QString& name);

  private:
    void refresh();

    JobRunner& jobs_;
    QString series_name_;
    QLabel* text_;
    QProgressBar* progress_;
    QToolButton* stop_;
};

/// A sentence above the picture: what happened and what to do. Stays until it is closed or replaced.
class NoticeBar : public QWidget {
    Q_OBJECT
  public:
    explicit NoticeBar(QWidget* parent = nullptr);
    void show_text(const QString& text, bool is_error);
    QString text() const;
    bool is_error() const { return is_error_; }

  private:
    QLabel *icon_, *text_;
    bool is_error_ = false;
};

}  // namespace moorhaze::desktop
