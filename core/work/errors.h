// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <stdexcept>
#include <string>
#include <tl/expected.hpp>

namespace moorhaze {

/// Everything that ends a job is one of this family. The text is one sentence for a person:
/// the file (if any), what is wrong with it, and what to do.
/// What it quotes of a file may hold a zero byte, which would end the sentence.
struct Error : std::runtime_error {
    explicit Error(std::string what) : std::runtime_error(whole(std::move(what))) {}

  private:
    static std::string whole(std::string text) {
        for (char& letter : text)
            if (letter == '\0') letter = '?';
        return text;
    }
};

/// A setting outside its range: the caller's mistake.
struct BadParameter : Error {
    using Error::Error;
};

/// A file that cannot be read or written.
struct FileError : Error {
    using Error::Error;
};

/// A file that a newer Moorhaze has written, or that says what this one does not know: it is whole, and has
/// to be left alone.
struct NewerFile : FileError {
    using FileError::FileError;
};

/// The person stopped the job.
struct Cancelled : Error {
    Cancelled() : Error("stopped") {}
};

/// One frame fails, the series goes on. `frame_index` counts from 0 in the series' own order;
/// -1: of no single frame.
struct FrameProblem {
    int frame_index = 0;
    std::string what;
    bool operator==(const FrameProblem&) const = default;
};

template <class T>
using Outcome = tl::expected<T, FrameProblem>;

}  // namespace moorhaze
