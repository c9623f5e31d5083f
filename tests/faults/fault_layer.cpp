// SPDX-License-Identifier: GPL-3.0-or-later
// A library to be loaded before a program (LD_PRELOAD): one call of the system's functions fails, comes short
// or is interrupted, as a disc, a card or a network does.
//
// MOORHAZE_FAULT="KIND N HOW": the N-th call of a kind, from 1; HOW is fails, short or interrupted.
// MOORHAZE_FAULT_COUNTS=FILE: how many calls of each kind there were, a line each.
// MOORHAZE_CLOCK_AHEAD_S=SECONDS: the wall clock is so much ahead, as another machine's may be.
//
// Counted are calls on regular files; allocations from 256 KB on.
#include <dlfcn.h>
#include <fcntl.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/time.h>
#include <sys/uio.h>
#include <time.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>

// The C library's own allocations, which need no looking up.
extern "C" void* __libc_malloc(size_t);
extern "C" void* __libc_calloc(size_t, size_t);
extern "C" void* __libc_realloc(void*, size_t);
extern "C" void* __libc_memalign(size_t, size_t);

namespace {

enum Kind { kWrite, kRead, kClose, kFlush, kRename, kCreate, kLock, kMap, kAllocate, kKinds };
constexpr const char* kNames[kKinds] = {"write",  "read", "close", "flush",   "rename",
                                        "create", "lock", "map",   "allocate"};
constexpr int kErrors[kKinds] = {ENOSPC, EIO, EIO, EIO, EIO, EACCES, ENOLCK, ENOMEM, ENOMEM};
constexpr size_t kLarge = size_t(256) << 10;

std::atomic<long> counts[kKinds];
int faulty_kind = -1;
long faulty_call = 0;
char how = 'f';
long clock_ahead_s = 0;

enum class Fault { none, fails, comes_short };

/// Counts a call and says what becomes of it; errno is set where it fails.
Fault fault_of(Kind kind) {
    const long number = ++counts[kind];
    if (kind != faulty_kind || number != faulty_call) return Fault::none;
    if (how == 's') return Fault::comes_short;
    errno = how == 'i' ? EINTR : kErrors[kind];
    return Fault::fails;
}

bool is_file(int handle) {
    struct stat status {};
    return handle > 2 && fstat(handle, &status) == 0 && S_ISREG(status.st_mode);
}

/// As the C library marks its own streams (_IO_ERR_SEEN).
void mark_failed(FILE* file) {
    file->_flags |= 0x20;
}

template <class Function>
Function* real(Function*, const char* name) {
    return reinterpret_cast<Function*>(dlsym(RTLD_NEXT, name));
}
#define REAL(name) static const auto own = real(&::name, #name)

__attribute__((constructor)) void begin() {
    if (const char* ahead = getenv("MOORHAZE_CLOCK_AHEAD_S")) clock_ahead_s = atol(ahead);
    const char* plan = getenv("MOORHAZE_FAULT");
    char kind[32] = "", what[32] = "fails";
    if (!plan || sscanf(plan, "%31s %ld %31s", kind, &faulty_call, what) < 2) return;
    for (int i = 0; i < kKinds; ++i)
        if (strcmp(kind, kNames[i]) == 0) faulty_kind = i;
    how = what[0];
}

__attribute__((destructor)) void end() {
    const char* file = getenv("MOORHAZE_FAULT_COUNTS");
    if (!file) return;
    const int handle = int(syscall(SYS_openat, AT_FDCWD, file, O_WRONLY | O_CREAT | O_TRUNC, 0644));
    for (int i = 0; i < kKinds; ++i) {
        char line[64];
        const int length = snprintf(line, sizeof line, "%s %ld\n", kNames[i], counts[i].load());
        syscall(SYS_write, handle, line, length);
    }
    syscall(SYS_close, handle);
}

}  // namespace

extern "C" {

ssize_t write(int handle, const void* bytes, size_t count) {
    REAL(write);
    if (!is_file(handle)) return own(handle, bytes, count);
    const Fault fault = fault_of(kWrite);
    if (fault == Fault::fails) return -1;
    return own(handle, bytes, fault == Fault::comes_short ? (count + 1) / 2 : count);
}

ssize_t writev(int handle, const iovec* parts, int count) {
    REAL(writev);
    if (!is_file(handle)) return own(handle, parts, count);
    const Fault fault = fault_of(kWrite);
    if (fault == Fault::fails) return -1;
    return own(handle, parts, fault == Fault::comes_short ? 1 : count);
}

ssize_t pwrite(int handle, const void* bytes, size_t count, off_t at) {
    REAL(pwrite);
    const Fault fault = fault_of(kWrite);
    if (fault == Fault::fails) return -1;
    return own(handle, bytes, fault == Fault::comes_short ? (count + 1) / 2 : count, at);
}
ssize_t pwrite64(int handle, const void* bytes, size_t count, off64_t at) {
    return pwrite(handle, bytes, count, at);
}

// The C library's streams go round write(). One that comes short has failed; the disc is full, say.
size_t fwrite(const void* bytes, size_t size, size_t count, FILE* file) {
    REAL(fwrite);
    if (!is_file(fileno(file)) || fault_of(kWrite) == Fault::none) return own(bytes, size, count, file);
    const size_t put = own(bytes, size, count / 2, file);
    mark_failed(file);
    return put;
}

ssize_t read(int handle, void* bytes, size_t count) {
    REAL(read);
    if (!is_file(handle)) return own(handle, bytes, count);
    const Fault fault = fault_of(kRead);
    if (fault == Fault::fails) return -1;
    return own(handle, bytes, fault == Fault::comes_short ? (count + 1) / 2 : count);
}

ssize_t pread(int handle, void* bytes, size_t count, off_t at) {
    REAL(pread);
    const Fault fault = fault_of(kRead);
    if (fault == Fault::fails) return -1;
    return own(handle, bytes, fault == Fault::comes_short ? (count + 1) / 2 : count, at);
}

size_t fread(void* bytes, size_t size, size_t count, FILE* file) {
    REAL(fread);
    if (!is_file(fileno(file)) || fault_of(kRead) == Fault::none) return own(bytes, size, count, file);
    const size_t got = own(bytes, size, count / 2, file);
    mark_failed(file);
    return got;
}

int close(int handle) {
    REAL(close);
    if (!is_file(handle)) return own(handle);
    const Fault fault = fault_of(kClose);
    const int error = errno;
    const int closed = own(handle);  // it is closed whatever it says (close(2))
    if (fault == Fault::none) return closed;
    errno = error;
    return -1;
}

int fclose(FILE* file) {
    REAL(fclose);
    const bool counts_here = is_file(fileno(file));
    const Fault fault = counts_here ? fault_of(kClose) : Fault::none;
    const int error = errno;
    const int closed = own(file);
    if (fault == Fault::none) return closed;
    errno = error;
    return EOF;
}

int fflush(FILE* file) {
    REAL(fflush);
    if (!file || !is_file(fileno(file)) || fault_of(kFlush) == Fault::none) return own(file);
    return EOF;
}

int fsync(int handle) {
    REAL(fsync);
    return fault_of(kFlush) == Fault::none ? own(handle) : -1;
}
int fdatasync(int handle) {
    REAL(fdatasync);
    return fault_of(kFlush) == Fault::none ? own(handle) : -1;
}

int rename(const char* from, const char* to) {
    REAL(rename);
    return fault_of(kRename) == Fault::none ? own(from, to) : -1;
}
int renameat2(int from_folder, const char* from, int to_folder, const char* to, unsigned flags) {
    REAL(renameat2);
    return fault_of(kRename) == Fault::none ? own(from_folder, from, to_folder, to, flags) : -1;
}

int mkostemps(char* name, int ending, int flags) {
    REAL(mkostemps);
    return fault_of(kCreate) == Fault::none ? own(name, ending, flags) : -1;
}
int mkdir(const char* name, mode_t mode) {
    REAL(mkdir);
    return fault_of(kCreate) == Fault::none ? own(name, mode) : -1;
}
int open(const char* name, int flags, ...) {
    va_list more;
    va_start(more, flags);
    const mode_t mode = flags & (O_CREAT | O_TMPFILE) ? va_arg(more, mode_t) : 0;
    va_end(more);
    if (flags & O_CREAT && fault_of(kCreate) != Fault::none) return -1;
    return int(syscall(SYS_openat, AT_FDCWD, name, flags, mode));
}
int open64(const char* name, int flags, ...) {
    va_list more;
    va_start(more, flags);
    const mode_t mode = flags & (O_CREAT | O_TMPFILE) ? va_arg(more, mode_t) : 0;
    va_end(more);
    return open(name, flags, mode);
}

int flock(int handle, int operation) {
    REAL(flock);
    return fault_of(kLock) == Fault::none ? own(handle, operation) : -1;
}

void* mmap(void* at, size_t size, int protection, int flags, int handle, off_t offset) {
    if (handle > 2 && fault_of(kMap) != Fault::none) return MAP_FAILED;
    return reinterpret_cast<void*>(syscall(SYS_mmap, at, size, protection, flags, handle, offset));
}
void* mmap64(void* at, size_t size, int protection, int flags, int handle, off64_t offset) {
    return mmap(at, size, protection, flags, handle, offset);
}

void* malloc(size_t size) {
    return size >= kLarge && fault_of(kAllocate) != Fault::none ? nullptr : __libc_malloc(size);
}
void* calloc(size_t count, size_t size) {
    return count * size >= kLarge && fault_of(kAllocate) != Fault::none ? nullptr
                                                                        : __libc_calloc(count, size);
}
void* realloc(void* old, size_t size) {
    return size >= kLarge && fault_of(kAllocate) != Fault::none ? nullptr : __libc_realloc(old, size);
}
void* aligned_alloc(size_t alignment, size_t size) {
    return size >= kLarge && fault_of(kAllocate) != Fault::none ? nullptr : __libc_memalign(alignment, size);
}
int posix_memalign(void** made, size_t alignment, size_t size) {
    if (size >= kLarge && fault_of(kAllocate) != Fault::none) return ENOMEM;
    *made = __libc_memalign(alignment, size);
    return *made ? 0 : ENOMEM;
}

}  // extern "C"

extern "C" int clock_gettime(clockid_t clock, timespec* now) noexcept {
    REAL(clock_gettime);
    const int code = own(clock, now);
    if (code == 0 && clock == CLOCK_REALTIME) now->tv_sec += clock_ahead_s;
    return code;
}

extern "C" time_t time(time_t* now) noexcept {
    timespec own{};
    clock_gettime(CLOCK_REALTIME, &own);
    if (now) *now = own.tv_sec;
    return own.tv_sec;
}
