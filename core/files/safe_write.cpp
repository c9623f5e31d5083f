// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/safe_write.h"

#include <fcntl.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/files/codecs.h"
#include "core/files/protected_files.h"
#include "core/work/errors.h"

namespace moorhaze {
namespace {

constexpr mode_t kMode = 0644;  // the owner writes, everybody reads

class TemporaryFile {
  public:
    explicit TemporaryFile(const std::filesystem::path& target) {
        const auto folder = target.has_parent_path() ? target.parent_path() : std::filesystem::path(".");
        const std::string ending = target.extension().string();
        std::string name = (folder / (".moorhaze-XXXXXX" + ending)).string();
        const int handle = mkstemps(name.data(), int(ending.size()));
        if (handle < 0)
            throw FileError(target.string() + ": the folder cannot be written (" + std::strerror(errno) +
                            "). Choose another folder.");
        // The process's umask cannot be read without being changed for all threads: a known mode instead.
        struct stat existing {};
        const bool replaces = stat(target.c_str(), &existing) == 0;
        fchmod(handle, replaces ? existing.st_mode & 0777 : kMode);
        close(handle);
        name_ = name;
    }
    TemporaryFile(const TemporaryFile&) = delete;
    TemporaryFile& operator=(const TemporaryFile&) = delete;
    ~TemporaryFile() {
        std::error_code ignored;
        if (!name_.empty()) std::filesystem::remove(name_, ignored);
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
    // So that a power cut doesn't take the new name back. A file system that cannot flush a folder has no
    // more to give.
    const auto folder = target.has_parent_path() ? target.parent_path() : std::filesystem::path(".");
    const int handle = open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (handle >= 0) {
        fsync(handle);
        close(handle);
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
