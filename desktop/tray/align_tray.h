#pragma once
#include "desktop/session/match_points.h"
#include "desktop/session/session.h"
#include "desktop/tray/tray_parts.h"

class QCheckBox;
class QComboBox;
class QListWidget;
class QSpinBox;

namespace moorhaze::desktop {

/// What is drawn along the depth line.
enum class Drift { none, scale, shift, rotation, brightness };

/// Ways to look at two frames, each on or off.
struct Comparing {
    bool curtain = false, blink = false, twin = false, edges = false, as_shot = false, points = false;
};

/// How the frames lie against the reference frame.
class AlignTray : public Tray {
    Q_OBJECT
  public:
    AlignTray(Session& session, MatchPoints& points, QWidget* parent);
    Drift drift() const;
    /// The frame that the one shown is compared with.
    int partner() const;
    void show_comparing(const Comparing& comparing);
    QWidget* points_control() const;  ///< to bring into view

  signals:
    void align_asked();
    void merge_asked();
    void curtain_asked(bool on);
    void blink_asked(bool on);
    void twin_asked(bool on);
    void edges_asked(bool on);
    void as_shot_asked(bool on);
    void points_asked(bool on);
    void partner_changed();
    void drift_chosen();
    void frame_chosen(int frame);

  private:
    enum Partner { reference, nearer, farther, numbered };
    void build_kept();
    void build_compare();
    void build_movements();
    void build_points();
    void refresh();
    void show_kept();
    void show_points();
    void show_drift_range();
    QPushButton* checkable(QPushButton* button, const char* name);
    QComboBox* add_choice(const QString& name, const QString& object_name, const QString& tip,
                          const QStringList& choices);
    Session& session_;
    MatchPoints& points_;
    QComboBox *kept_ = nullptr, *partner_ = nullptr, *model_ = nullptr, *unplaced_ = nullptr,
              *drift_ = nullptr;
    QSpinBox* partner_number_ = nullptr;
    QCheckBox *level_ = nullptr, *as_shot_ = nullptr;
    QLabel *summary_ = nullptr, *reason_ = nullptr, *frame_ = nullptr, *lost_ = nullptr,
           *drift_range_ = nullptr, *points_state_ = nullptr;
    QListWidget *troubled_ = nullptr, *pairs_ = nullptr;
    QPushButton *align_ = nullptr, *curtain_ = nullptr, *blink_ = nullptr, *twin_ = nullptr,
                *edges_ = nullptr, *set_points_ = nullptr, *drop_pair_ = nullptr, *merge_ = nullptr;
};

}  // namespace moorhaze::desktop
