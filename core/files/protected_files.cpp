// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/protected_files.h"

#include <sys/stat.h>

#include <map>
#include <mutex>
#include <optional>

namespace moorhaze {
namespace {

using FileIdentity = std::pair<unsigned long, unsigned long>;  // device and inode

struct Protected {
    std::mutex guard;
    std::map<FileIdentity, int> count;
};

/// Never destroyed: what protects may live to the very end of the program.
Protected& all_protected() {
    static Protected* const own = new Protected;
    return *own;
}

std::optional<FileIdentity> identity_of(const std::filesystem::path& file) {
    struct stat about {};
    if (stat(file.c_str(), &about) != 0) return {};
    return FileIdentity(about.st_dev, about.st_ino);
}

}  // namespace

ProtectedFiles::ProtectedFiles(const std::vector<std::filesystem::path>& files) {
    for (const std::filesystem::path& file : files)
        if (const auto id = identity_of(file)) ids_.push_back(*id);
    const std::lock_guard lock(all_protected().guard);
    for (const FileIdentity& id : ids_) ++all_protected().count[id];
}

ProtectedFiles& ProtectedFiles::operator=(ProtectedFiles&& other) noexcept {
    std::swap(ids_, other.ids_);
    return *this;
}

ProtectedFiles::~ProtectedFiles() {
    const std::lock_guard lock(all_protected().guard);
    for (const FileIdentity& id : ids_)
        if (--all_protected().count[id] <= 0) all_protected().count.erase(id);
}

bool is_protected(const std::filesystem::path& target) {
    const auto id = identity_of(target);
    const std::lock_guard lock(all_protected().guard);
    return id && all_protected().count.contains(*id);
}

}  // namespace moorhaze
