// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

class QLabel;
class QPushButton;

namespace moorhaze::desktop {

class Commands;
class RecentProjects;
class RowList;

/// What the empty window shows: how to begin, and what was worked on lately.
class StartPage : public QWidget {
    Q_OBJECT
  public:
    StartPage(Commands& commands, RecentProjects& recent, QWidget* parent);

  signals:
    void project_chosen(QString file);

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    QWidget* make_beginning(Commands& commands);
    QWidget* make_recent();
    void refresh();
    void ask_to_remove();

    RecentProjects& recent_;
    QWidget* recent_part_ = nullptr;
    RowList* list_ = nullptr;
    QLabel* old_text_ = nullptr;
    QPushButton* remove_ = nullptr;
};

}  // namespace moorhaze::desktop
