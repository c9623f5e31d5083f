#pragma once
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QComboBox;
class QLineEdit;

namespace moorhaze::desktop {

/// Saving the picture: kind of file, folder, name. An existing file is never replaced without a word.
class FinishTray : public Tray {
    Q_OBJECT
  public:
    FinishTray(Session& session, QWidget* parent);
    QString file() const;

  public slots:
    void save();

  private:
    void refresh();
    void suggest();
    void show_exists(const QString& file);
    void choose_folder();
    const ExportKind& kind() const;
    Session& session_;
    QComboBox* kind_;
    QLineEdit *name_, *folder_;
    ValueRow* quality_;
    QLabel *about_, *outcome_;
    QWidget* exists_;
    QPushButton *replace_, *other_name_, *export_;
};

}  // namespace moorhaze::desktop
