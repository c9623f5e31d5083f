// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QString>
#include <QTime>
#include <deque>

namespace moorhaze::desktop {

/// What the person is notified of, in one sentence each: what happened, to which file, and what to do. The
/// last of them can be read again; the same said twice in a row is one.
class Notices : public QObject {
    Q_OBJECT
  public:
    struct Said {
        QTime at;
        QString text;
        bool is_error = false;
        int times = 1;
    };
    static constexpr std::size_t kMostKept = 200;

    explicit Notices(QObject* parent = nullptr) : QObject(parent) {}
    void notify(const QString& text) { say(text, false); }
    void notify_error(const QString& text) { say(text, true); }
    /// The newest first.
    const std::deque<Said>& said() const { return said_; }

  signals:
    void notified(QString text, bool is_error);

  private:
    void say(const QString& text, bool is_error) {
        if (!said_.empty() && said_.front().text == text && said_.front().is_error == is_error)
            ++said_.front().times, said_.front().at = QTime::currentTime();
        else
            said_.push_front({QTime::currentTime(), text, is_error});
        if (said_.size() > kMostKept) said_.pop_back();
        emit notified(text, is_error);
    }

    std::deque<Said> said_;
};

}  // namespace moorhaze::desktop
