// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/safe_write.h"

#include <fcntl.h>
#include <stdlib.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <cstring>
#include <mutex>
#include <set>
#include <vector>

#include "core/files/codecs.h"
#include "core/files/protected_files.h"
#include "core/work/errors.h"

namespace moorhaze {
namespace {

constexpr mode_t kMode = 0644;  // the owner writes, everybody reads

constexpr const char* kTemporary = ".moorhaze-";
constexpr std::size_t kChance = 6;  // letters of chance after it

/// True for the names that temporary files get, and folders beside them (NAME.parts).
bool is_temporary_name(const std::string& name) {
    const std::size_t end = std::strlen(kTemporary) + kChance;
    return name.starts_with(kTemporary) && name.size() >= end && (name.size() == end || name[end] == '.');
}

/// Whoever writes a temporary file holds its lock: one that can be locked, and is no newborn, belongs to
/// nobody any more.
void sweep(const std::filesystem::path& folder) {
    namespace fs = std::filesystem;
    constexpr auto kNewborn = std::chrono::minutes(10);
    std::error_code none;
    for (fs::directory_iterator at(folder, none), end; !none && at != end; at.increment(none)) {
        const fs::path own = at->path();
        std::error_code unknown;
        if (!is_temporary_name(own.filename().string()) ||
            fs::file_time_type::clock::now() - fs::last_write_time(own, unknown) < kNewborn || unknown ||
            at->is_symlink(unknown))
            continue;
        if (at->is_directory(unknown)) {
            if (own.extension() == kPartsEnding && !fs::exists(fs::path(own).replace_extension(), unknown))
                fs::remove_all(own, unknown);
            continue;
        }
        const int handle = open(own.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW);
        if (handle < 0) continue;
        if (flock(handle, LOCK_EX | LOCK_NB) == 0) fs::remove(own, unknown);
        close(handle);
    }
}

/// Once in the life of a program is enough.
void sweep_once(const std::filesystem::path& folder) {
    static std::mutex guard;
    static std::set<std::filesystem::path> swept;
    {
        const std::lock_guard held(guard);
        if (!swept.insert(std::filesystem::absolute(folder).lexically_normal()).second) return;
    }
    sweep(folder);
}

class TemporaryFile {
  public:
    explicit TemporaryFile(const std::filesystem::path& target) {
        const auto folder = target.has_parent_path() ? target.parent_path() : std::filesystem::path(".");
        sweep_once(folder);
        const std::string ending = target.extension().string();
        std::string name = (folder / (kTemporary + std::string(kChance, 'X') + ending)).string();
        const int handle = mkostemps(name.data(), int(ending.size()), O_CLOEXEC);
        if (handle < 0)
            throw FileError(target.string() + ": the folder cannot be written (" + std::strerror(errno) +
                            "). Choose another folder.");
        flock(handle, LOCK_EX | LOCK_NB);  // where there are no locks, nothing is swept
        handle_ = handle;
        // The process's umask cannot be read without being changed for all threads: a known mode instead.
        struct stat existing {};
        const bool replaces = stat(target.c_str(), &existing) == 0;
        fchmod(handle, replaces ? existing.st_mode & 0777 : kMode);
        name_ = name;
    }
    TemporaryFile(const TemporaryFile&) = delete;
    TemporaryFile& operator=(const TemporaryFile&) = delete;
    ~TemporaryFile() {
        std::error_code ignored;
        if (!name_.empty()) std::filesystem::remove(name_, ignored);
        close(handle_);
    }
    const std::filesystem::path& name() const { return name_; }

    /// Before it takes the place of another: after a power cut there is the old file or the new one.
    void flush() const {
        const int handle = open(name_.c_str(), O_RDONLY | O_CLOEXEC);
        const bool flushed = handle >= 0 && fsync(handle) == 0;
        if (handle >= 0) close(handle);
        if (!flushed) throw FileError(name_.string() + ": could not be written to the disc. Is it full?");
    }

    void become(const std::filesystem::path& target, bool overwrite) {
        int result = overwrite
                         ? ::rename(name_.c_str(), target.c_str())
                         : renameat2(AT_FDCWD, name_.c_str(), AT_FDCWD, target.c_str(), RENAME_NOREPLACE);
        // Some network file systems don't know RENAME_NOREPLACE; the check before writing has to do there.
        if (result != 0 && !overwrite && errno == EINVAL && !std::filesystem::exists(target))
            result = ::rename(name_.c_str(), target.c_str());
        if (result != 0)
            throw FileError(target.string() + ": could not be put in place (" + std::strerror(errno) +
                            "). Choose another name.");
        name_.clear();
    }

  private:
    std::filesystem::path name_;
    int handle_ = -1;  ///< holds the lock
};

}  // namespace

void write_beside_then_rename(const std::filesystem::path& target, bool overwrite,
                              const std::function<void(const std::filesystem::path&)>& write) {
    if (is_protected(target))
        throw FileError(
            target.string() +
            ": is one of the frames that are worked on. Originals are never written; choose another name.");
    if (!overwrite && std::filesystem::exists(target))
        throw FileError(target.string() + ": exists already. Choose another name, or allow overwriting.");
    TemporaryFile temporary(target);
    try {
        write(temporary.name());
        temporary.flush();
    } catch (const FileError& error) {
        // The person knows the target's name only.
        std::string message = error.what();
        const std::string own_name = temporary.name().string();
        if (const auto place = message.find(own_name); place != std::string::npos)
            message.replace(place, own_name.size(), target.string());
        throw FileError(message);
    }
    temporary.become(target, overwrite);
    // So that a power cut doesn't take the new name back.
    flush_folder(target.has_parent_path() ? target.parent_path() : std::filesystem::path("."));
}

void flush_folder(const std::filesystem::path& folder) {
    const int handle = open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (handle < 0) return;
    fsync(handle);
    close(handle);
}

void copy_whole_file(const std::filesystem::path& from, const std::filesystem::path& to, const Job& job) {
    constexpr std::size_t kPiece = std::size_t(1) << 20;
    const auto source = codecs::open_for_reading(from);
    std::vector<char> piece(kPiece), again(kPiece);
    try {
        auto target = codecs::open_for_writing(to);
        for (std::size_t count; (count = std::fread(piece.data(), 1, kPiece, source.get())) > 0;) {
            job.checkpoint();
            if (std::fwrite(piece.data(), 1, count, target.get()) != count) break;  // said below
        }
        codecs::finish_writing(std::move(target), to);
        std::rewind(source.get());
        const auto copy = codecs::open_for_reading(to);
        for (std::size_t count = kPiece; count > 0;) {
            job.checkpoint();
            count = std::fread(piece.data(), 1, kPiece, source.get());
            if (std::fread(again.data(), 1, kPiece, copy.get()) != count ||
                std::memcmp(piece.data(), again.data(), count) != 0 || std::ferror(source.get()))
                throw FileError(to.string() + ": does not hold what was copied to it. Check the disc.");
        }
    } catch (...) {
        std::error_code ignored;
        std::filesystem::remove(to, ignored);
        throw;
    }
}

void write_text_file(const std::filesystem::path& target, const std::string& text, bool overwrite) {
    write_beside_then_rename(target, overwrite, [&](const std::filesystem::path& file) {
        auto out = codecs::open_for_writing(file);
        if (std::fwrite(text.data(), 1, text.size(), out.get()) != text.size())
            throw FileError(target.string() + ": could not be written. Is the disc full?");
        codecs::finish_writing(std::move(out), target);
    });
}

}  // namespace moorhaze
