// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QTimer>
#include <memory>

#include "core/series/watched_folder.h"
#include "desktop/session/projects/opening.h"
#include "desktop/session/work/latest_wish.h"

namespace moorhaze::desktop {

/// A folder into which a real camera's tether writes: its pictures join the document as soon as they are
/// completely written.
class FolderWatch : public QObject {
    Q_OBJECT
  public:
    FolderWatch(SessionBase& base, Opening& opening, QObject* parent = nullptr);

    /// Begins a series of what is in the folder and comes into it.
    void start(const QString& folder);
    /// Waits for nothing: what is being looked at is forgotten.
    void stop();
    bool is_on() const { return watched_ != nullptr; }
    const QString& folder() const { return folder_; }

  signals:
    void changed();  ///< on, off, or another frame

  private:
    void look();

    SessionBase& base_;
    Opening& opening_;
    LatestWish wish_;
    QTimer timer_;
    QString folder_, problem_;
    std::shared_ptr<WatchedFolder> watched_;  ///< only the look under way touches it
    std::vector<FocusProfile> profiles_;      ///< of the frames that joined
};

}  // namespace moorhaze::desktop
