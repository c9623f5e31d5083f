// SPDX-License-Identifier: GPL-3.0-or-later
#include "desktop/session/work/mailbox.h"

#include <sys/eventfd.h>
#include <unistd.h>

#include <QSocketNotifier>
#include <cerrno>
#include <cstdint>
#include <system_error>

namespace moorhaze::desktop {

struct Mailbox::Slot::Content {
    Content() : wake(eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK | EFD_SEMAPHORE)) {
        if (wake < 0) throw std::system_error(errno, std::generic_category(), "eventfd");
    }
    Content(const Content&) = delete;
    Content& operator=(const Content&) = delete;
    ~Content() { close(wake); }

    const int wake;  ///< counts the steps that wait
    std::mutex guard;
    std::deque<std::function<void()>> steps;
    bool is_open = true;
};

void Mailbox::Slot::post(std::function<void()> step) const {
    const std::lock_guard lock(content_->guard);
    if (!content_->is_open) return;
    content_->steps.push_back(std::move(step));
    const std::uint64_t one = 1;
    // It cannot fail short of 2^64 steps.
    (void)!write(content_->wake, &one, sizeof one);
}

Mailbox::Mailbox(QObject* parent)
    : QObject(parent),
      slot_(std::make_shared<Slot::Content>()),
      notifier_(new QSocketNotifier(slot_.content_->wake, QSocketNotifier::Read, this)) {
    connect(notifier_, &QSocketNotifier::activated, this, &Mailbox::call_next);
}

Mailbox::~Mailbox() {
    std::deque<std::function<void()>> dropped;  // what they hold goes when the lock is free
    const std::lock_guard lock(slot_.content_->guard);
    slot_.content_->is_open = false;
    dropped.swap(slot_.content_->steps);
}

/// One step at a time: a step that opens a dialog does not hold up those behind it.
void Mailbox::call_next() {
    std::uint64_t one = 0;
    if (read(slot_.content_->wake, &one, sizeof one) != sizeof one) return;
    std::function<void()> step;
    {
        const std::lock_guard lock(slot_.content_->guard);
        step = std::move(slot_.content_->steps.front());
        slot_.content_->steps.pop_front();
    }
    step();  // the mailbox may be gone after it
}

}  // namespace moorhaze::desktop
