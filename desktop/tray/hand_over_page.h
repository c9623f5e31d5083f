// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QWidget>

#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QCheckBox;
class QComboBox;
class QLineEdit;
class QToolButton;

namespace moorhaze::desktop {

/// The files that the picture leaves as: a list of outputs, the chosen one's settings, the folder, and what
/// is said about the picture.
class HandOverPage : public QWidget {
    Q_OBJECT
  public:
    HandOverPage(Session& session, QWidget* parent);
    void refresh();
    /// Hands all over; what stands in the way is said, and the field gets the focus.
    void hand_over();

  private:
    void build_output();
    void build_about();
    void build_outcome();
    void show_list();
    void show_output();
    void show_about();
    void show_name();
    void suggest_folder();
    void choose_folder();
    const HandOver& own() const { return choice_.own(); }
    int chosen() const;
    void change_output(const QString& what, const std::function<void(Output&)>& change,
                       const QString& join = {});
    void show_outcomes(const std::vector<ExportOutcome>& outcomes);
    void show_existing(const QStringList& files);

    Session& session_;
    HandOverChoice& choice_;
    RowList* list_;
    QPushButton *add_, *remove_;
    QComboBox *kind_, *size_, *profile_, *intent_;
    QDoubleSpinBox* size_value_;
    ValueRow* quality_;
    QLineEdit *name_, *article_, *folder_;
    QWidget* article_row_;
    QLabel *name_outcome_, *about_words_, *outcome_;
    QToolButton* about_toggle_;
    QCheckBox* with_private_;
    QWidget *about_box_, *exists_;
    QList<QLineEdit*> about_;
    QPushButton *replace_, *other_name_;
    int place_ = 0;
};

}  // namespace moorhaze::desktop
