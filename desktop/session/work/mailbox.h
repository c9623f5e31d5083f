// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>

class QSocketNotifier;

namespace moorhaze::desktop {

/// Steps that other threads send to the thread it was made in, which runs an event loop. They are called
/// there one by one, in the order they were posted, within loops of dialogs, too; what has not been called
/// when the mailbox goes is dropped. No object of Qt's passes between the threads: ThreadSanitizer sees every
/// lock that orders them.
class Mailbox : public QObject {
  public:
    /// Where steps are posted; it may outlive the mailbox. Thread-safe.
    class Slot {
      public:
        void post(std::function<void()> step) const;

      private:
        friend class Mailbox;
        struct Content;
        explicit Slot(std::shared_ptr<Content> content) : content_(std::move(content)) {}
        std::shared_ptr<Content> content_;
    };

    explicit Mailbox(QObject* parent = nullptr);
    ~Mailbox() override;

    Slot slot() const { return slot_; }

  private:
    void call_next();

    Slot slot_;
    QSocketNotifier* notifier_;
};

}  // namespace moorhaze::desktop
