// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/tray/finish_rows.h"
#include "desktop/view/commands.h"

class QButtonGroup;
class QCheckBox;

namespace moorhaze::desktop {

/// All views of a turntable: over each other or one by one, the crop for all, what is made alike, and the
/// spin page.
class ViewsPage : public FinishRows {
    Q_OBJECT
  public:
    ViewsPage(Session& session, Commands& commands, QWidget* parent);
    void refresh() override;

  private:
    QCheckBox* add_tick(const char* object_name, const QString& tip, bool TurntableRule::*member);
    QString state_in_words() const;

    QButtonGroup* shown_;
    ValueRow *view_, *margin_;
    QLabel *words_, *remarks_, *spin_words_;
    QCheckBox *level_, *even_light_, *white_ground_, *deep_zoom_;
    QPushButton* open_;
};

}  // namespace moorhaze::desktop
