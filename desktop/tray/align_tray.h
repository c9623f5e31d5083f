#pragma once
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QCheckBox;
class QComboBox;
class QListWidget;

namespace moorhaze::desktop {

/// What is drawn along the depth line.
enum class Drift { none, scale, shift, rotation, brightness };

/// How the frames lie against the reference frame.
class AlignTray : public Tray {
    Q_OBJECT
  public:
    AlignTray(Session& session, QWidget* parent);
    Drift drift() const;

  signals:
    void align_asked();
    void merge_asked();
    void curtain_asked();
    void drift_chosen();
    void frame_chosen(int frame);

  private:
    void refresh();
    void show_drift_range();
    QComboBox* add_choice(const QString& name, const QString& object_name, const QString& tip,
                          const QStringList& choices);
    Session& session_;
    QComboBox *model_, *unplaced_, *drift_;
    QCheckBox* level_;
    QLabel* drift_range_;
    QLabel *summary_, *frame_, *crop_;
    QListWidget* troubled_;
    QPushButton *align_, *curtain_, *merge_;
};

}  // namespace moorhaze::desktop
