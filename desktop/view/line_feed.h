// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "desktop/session/session.h"

namespace moorhaze::desktop {

class DepthLine;
class PathBar;
class SoundingPanel;

/// Keeps the depth line as the session says, and the path with each stage's state.
class LineFeed : public QObject {
    Q_OBJECT
  public:
    LineFeed(Session& session, DepthLine& line, PathBar& path, SoundingPanel& panel, QObject* parent);

  private:
    void show_line();
    void show_drift();  ///< curves along the depth line, in Align
    void show_path();
    void show_threads();

    Session& session_;
    DepthLine& line_;
    PathBar& path_;
    SoundingPanel& panel_;
};

}  // namespace moorhaze::desktop
