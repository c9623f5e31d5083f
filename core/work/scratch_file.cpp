// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/scratch_file.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstdlib>
#include <cstring>

#include "core/work/errors.h"

namespace moorhaze {
namespace {

constexpr std::size_t kAligned = 4096;  // a page: each plane begins at one

std::atomic<std::size_t> in_use{0};

std::size_t aligned(std::size_t bytes) {
    return (bytes + kAligned - 1) / kAligned * kAligned;
}

std::size_t bytes_of(const cv::Mat& plane) {
    return plane.total() * plane.elemSize();
}

[[noreturn]] void fail(const std::filesystem::path& folder, const char* what) {
    throw FileError(folder.string() + ": " + what + " (" + std::strerror(errno) +
                    "). Free some room there, or choose another folder for scratch files.");
}

/// A file without a name in the folder.
int open_nameless(const std::filesystem::path& folder) {
    int handle = open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0600);
    if (handle >= 0) return handle;
    // Not every file system knows files without a name: one that loses its name at once does the same.
    std::string name = (folder / ".moorhaze-scratch-XXXXXX").string();
    handle = mkostemp(name.data(), O_CLOEXEC);
    if (handle < 0) fail(folder, "scratch files cannot be made here");
    unlink(name.c_str());
    return handle;
}

void write_all(int handle, const uchar* from, std::size_t bytes, off_t at,
               const std::filesystem::path& folder) {
    while (bytes > 0) {
        const ssize_t written = pwrite(handle, from, bytes, at);
        if (written < 0 && errno == EINTR) continue;
        if (written <= 0) fail(folder, "a scratch file could not be written");
        from += written, at += written, bytes -= std::size_t(written);
    }
}

}  // namespace

/// The file's bytes in memory, for as long as it or any picture over them lives.
class ScratchFile::Mapping {
  public:
    Mapping(int handle, std::size_t bytes, const std::filesystem::path& folder) : bytes_(bytes) {
        if (bytes_ == 0) return;
        if (ftruncate(handle, off_t(bytes_)) != 0) fail(folder, "a scratch file could not be written");
        data_ = mmap(nullptr, bytes_, PROT_READ, MAP_SHARED, handle, 0);
        if (data_ == MAP_FAILED) fail(folder, "a scratch file cannot be mapped");
        in_use += bytes_;
    }
    Mapping(const Mapping&) = delete;
    Mapping& operator=(const Mapping&) = delete;
    ~Mapping() {
        if (bytes_ == 0) return;
        munmap(data_, bytes_);
        in_use -= bytes_;
    }
    uchar* at(std::size_t begin) const { return static_cast<uchar*>(data_) + begin; }
    void rest() const {
        if (bytes_ > 0) madvise(data_, bytes_, MADV_DONTNEED);
    }

  private:
    void* data_ = nullptr;
    std::size_t bytes_;
};

namespace {

/// Lets go of what holds a picture's memory when the last header of the picture goes.
class HeldElsewhere : public cv::MatAllocator {
  public:
    using Holder = std::shared_ptr<const void>;

    static cv::Mat picture(Holder holder, uchar* data, cv::Size size, int type) {
        // Never destroyed: pictures with static lifetime may outlive everything else.
        static const HeldElsewhere* const allocator = new HeldElsewhere;
        cv::Mat made(size, type, data);
        made.u = new cv::UMatData(allocator);
        made.u->data = made.u->origdata = data;
        made.u->size = made.total() * made.elemSize();
        made.u->userdata = new Holder(std::move(holder));
        made.u->refcount = 1;
        return made;
    }

    cv::UMatData* allocate(int, const int*, int, void*, std::size_t*, cv::AccessFlag,
                           cv::UMatUsageFlags) const override {
        CV_Error(cv::Error::StsNotImplemented, "pictures over a file ask for no memory");
    }
    bool allocate(cv::UMatData* data, cv::AccessFlag, cv::UMatUsageFlags) const override {
        return data != nullptr;
    }
    void deallocate(cv::UMatData* data) const override {
        if (!data) return;
        delete static_cast<Holder*>(data->userdata);
        delete data;
    }
};

}  // namespace

ScratchFile::ScratchFile(const std::vector<cv::Mat>& planes, const std::filesystem::path& folder) {
    const int handle = open_nameless(folder);
    struct Closed {
        int handle;
        ~Closed() { close(handle); }
    } const closed{handle};
    std::vector<std::size_t> begins;
    for (const cv::Mat& plane : planes) {
        begins.push_back(bytes_);
        for (int y = 0; y < plane.rows; ++y) {
            const std::size_t row = std::size_t(plane.cols) * plane.elemSize();
            write_all(handle, plane.ptr(y), row, off_t(bytes_ + std::size_t(y) * row), folder);
        }
        bytes_ += aligned(bytes_of(plane));
    }
    mapping_ = std::make_shared<const Mapping>(handle, bytes_, folder);
    for (std::size_t i = 0; i < planes.size(); ++i)
        planes_.push_back(planes[i].empty() ? cv::Mat()
                                            : HeldElsewhere::picture(mapping_, mapping_->at(begins[i]),
                                                                     planes[i].size(), planes[i].type()));
}

std::size_t scratch_bytes_in_use() {
    return in_use;
}

std::filesystem::path scratch_folder() {
    if (const char* typed = std::getenv("TMPDIR"); typed && *typed) return typed;
    std::error_code ignored;
    const std::filesystem::path usual = "/var/tmp";
    return std::filesystem::is_directory(usual, ignored) ? usual : std::filesystem::temp_directory_path();
}

void ScratchFile::rest() const {
    mapping_->rest();
}

}  // namespace moorhaze
