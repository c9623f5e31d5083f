// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QApplication>
#include <exception>
#include <functional>

namespace moorhaze::desktop {

/// The program's application object: an exception that leaves the answer to an event is told, and ends
/// nothing. Qt itself would end the program, with everything that was not saved yet.
class Application : public QApplication {
  public:
    using QApplication::QApplication;
    /// @param tell  gets what the exception says.
    void when_something_escapes(std::function<void(const QString& why)> tell) { tell_ = std::move(tell); }

    bool notify(QObject* receiver, QEvent* event) override {
        try {
            return QApplication::notify(receiver, event);
        } catch (const std::exception& error) {
            if (tell_) tell_(QString::fromUtf8(error.what()));
        }
        return false;
    }

  private:
    std::function<void(const QString& why)> tell_;
};

}  // namespace moorhaze::desktop
