// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QDateTime>
#include <QImage>

#include "desktop/session/projects/autosave.h"
#include "desktop/session/work/latest_wish.h"

class QSettings;

namespace moorhaze::desktop {

struct RecentProject {
    std::filesystem::path file;
    QString name;
    QDateTime saved;
    QImage picture;  ///< null where there is none
    bool is_unsaved = false;
    qint64 bytes = 0;  ///< on disc
};

/// Projects that were worked on lately: those that were kept somewhere, and all that nobody kept yet. In the
/// interface's thread.
class RecentProjects : public QObject {
    Q_OBJECT
  public:
    explicit RecentProjects(Autosave& autosave, QObject* parent = nullptr);

    /// Where kept projects are remembered; without it only the unsaved ones are known.
    void remember_in(QSettings* settings);

    /// Looks for them anew, beside the interface; `changed` follows.
    void look();
    /// As they were looked for last: the newest first, those that are there and not open here.
    std::vector<RecentProject> list() const;
    /// Unsaved ones that nobody worked on for so many days.
    std::vector<RecentProject> unsaved_older_than(int days) const;
    bool is_settled() const { return !wish_.is_busy(); }
    /// Removes projects for good, unsaved ones only.
    void remove(const std::vector<RecentProject>& projects);

  signals:
    void changed();

  private:
    void tell_kept();
    void note_open_one();

    Autosave& autosave_;
    QSettings* settings_ = nullptr;
    std::vector<RecentProject> found_;
    LatestWish wish_;
};

}  // namespace moorhaze::desktop
