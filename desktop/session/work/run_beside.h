// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <exception>
#include <memory>
#include <optional>
#include <tl/expected.hpp>
#include <type_traits>

#include "desktop/session/work/mailbox.h"
#include "desktop/session/work/worker.h"

namespace moorhaze::desktop {

/// Runs `work` in the worker, then in the thread of the mailbox either `done(value)` or `failed(exception)`;
/// neither when the mailbox is gone. Nothing of what is thrown is lost: it travels as it is.
template <class Work, class Done, class Failed>
void run_beside(Worker& worker, const Mailbox& mailbox, Work work, Done done, Failed failed) {
    using Value = std::invoke_result_t<Work>;
    struct Call {
        std::optional<Work> work;
        Done done;
        Failed failed;
        std::optional<tl::expected<Value, std::exception_ptr>> ended;
    };
    auto call = std::make_shared<Call>(Call{std::move(work), std::move(done), std::move(failed), {}});
    worker.run([call = std::move(call), slot = mailbox.slot()]() mutable {
        try {
            call->ended.emplace((*call->work)());
        } catch (...) {
            call->ended.emplace(tl::unexpected(std::current_exception()));
        }
        call->work.reset();
        slot.post([call = std::move(call)] {
            try {
                if (!*call->ended) std::rethrow_exception(call->ended->error());
                call->done(**call->ended);
            } catch (const std::exception& error) {
                call->failed(error);
            }
        });
    });
}

}  // namespace moorhaze::desktop
