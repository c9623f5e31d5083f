#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <functional>
#include <vector>

namespace moorhaze::desktop {

class MainWindow;

/// Steps that a person would take, one after the other, each when the window has settled; then the program
/// ends: with 0, or with 1 and the reason on stderr when a step failed.
class Script : public QObject {
    Q_OBJECT
  public:
    using Steps = std::vector<std::function<void()>>;
    Script(MainWindow& window, Steps steps);

    /// A step says that it failed: the program ends with 1.
    void fail(const QString& why);

  private:
    void tick();

    MainWindow& window_;
    Steps steps_;
    std::size_t next_ = 0;
    int quiet_ = 0;
    bool failed_ = false;
    QTimer timer_;
    QElapsedTimer clock_;
};

}  // namespace moorhaze::desktop
