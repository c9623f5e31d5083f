// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <QStringList>
#include <QTimer>
#include <functional>
#include <vector>

namespace moorhaze::desktop {

class MainWindow;

/// Plain commands in a text file, one a line, done as a person would do them: each when the window has
/// settled after the one before. Words are separated by spaces; "..." holds those with spaces, # begins a
/// comment. With `quit` the program ends with 0; without it the window stays as the script left it. When a
/// step fails the reason goes to stderr and the program ends with 1.
class Script : public QObject {
    Q_OBJECT
  public:
    struct Line {
        int number = 0;  ///< from 1
        QStringList words;
    };
    /// @throws BadParameter naming line and word: a command that there is none of, or a wrong number of
    /// words.
    static std::vector<Line> read(const QString& text);
    /// All commands with what follows them, a line each.
    static QString usage();

    Script(MainWindow& window, std::vector<Line> lines);

    /// A step says that it failed: the program ends with 1.
    void fail(const QString& why);

  private:
    void tick();

    MainWindow& window_;
    std::vector<Line> lines_;
    std::size_t next_ = 0;
    int quiet_ = 0;
    bool failed_ = false;
    QTimer timer_;
    QElapsedTimer clock_;
};

}  // namespace moorhaze::desktop
