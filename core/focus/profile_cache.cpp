// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/focus/profile_cache.h"

#ifndef NDEBUG
#define XXH_NO_INLINE_HINTS 1  // GCC refuses to inline what it was asked to when it hardly optimises
#endif
#define XXH_INLINE_ALL
#include <xxhash.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <fstream>
#include <memory>

#include "core/files/codecs.h"
#include "core/files/safe_write.h"

namespace moorhaze {
namespace {

/// Changes with what a profile holds or how it is measured, and how it is named.
constexpr std::uint32_t kVersion = 2;
constexpr char kMagic[8] = {'m', 'o', 'o', 'r', 'l', 'o', 'o', 'k'};
constexpr int kLargestGrid = 4096;
constexpr int kPreviewQuality = 88;

class Hash {
  public:
    Hash() { XXH3_128bits_reset(state_.get()); }
    void add(const void* bytes, std::size_t count) { XXH3_128bits_update(state_.get(), bytes, count); }
    std::string digits() const {
        const XXH128_hash_t hash = XXH3_128bits_digest(state_.get());
        char text[40];
        std::snprintf(text, sizeof text, "%016llx%016llx", static_cast<unsigned long long>(hash.high64),
                      static_cast<unsigned long long>(hash.low64));
        return text;
    }

  private:
    std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state_{XXH3_createState(), &XXH3_freeState};
};

std::filesystem::path profile_file(const std::filesystem::path& folder, const std::string& key) {
    return folder / (key + ".profile");
}
std::filesystem::path preview_file(const std::filesystem::path& folder, const std::string& key) {
    return folder / (key + ".jpg");
}

template <class Value>
void write_value(std::ostream& out, const Value& value) {
    static_assert(std::is_trivially_copyable_v<Value>);
    out.write(reinterpret_cast<const char*>(&value), sizeof value);
}
template <class Value>
bool read_value(std::istream& in, Value& value) {
    return bool(in.read(reinterpret_cast<char*>(&value), sizeof value));
}

void write_grid(std::ostream& out, const cv::Mat& grid) {
    write_value(out, std::int32_t(grid.rows));
    write_value(out, std::int32_t(grid.cols));
    for (int y = 0; y < grid.rows; ++y)
        out.write(grid.ptr<char>(y), std::streamsize(std::size_t(grid.cols) * grid.elemSize()));
}

template <class Grid>
bool read_grid(std::istream& in, Grid& grid) {
    std::int32_t rows = 0, columns = 0;
    if (!read_value(in, rows) || !read_value(in, columns) || rows < 0 || columns < 0 || rows > kLargestGrid ||
        columns > kLargestGrid)
        return false;
    grid.create(rows, columns);
    for (int y = 0; y < rows; ++y)
        in.read(grid.template ptr<char>(y), std::streamsize(std::size_t(columns) * grid.elemSize()));
    return bool(in);
}

}  // namespace

std::string content_key_of_text(std::string_view bytes) {
    Hash hash;
    hash.add(bytes.data(), bytes.size());
    return hash.digits();
}

std::string content_key_of(const std::filesystem::path& path, const Job& job) {
    const auto file = codecs::open_for_reading(path);
    Hash hash;
    std::vector<char> buffer(std::size_t(1) << 20);
    for (std::size_t count; (count = std::fread(buffer.data(), 1, buffer.size(), file.get())) > 0;) {
        hash.add(buffer.data(), count);
        job.checkpoint();
    }
    if (std::ferror(file.get()))
        throw FileError(path.string() + ": cannot be read to its end. Check the disc.");
    return hash.digits();
}

std::string ProfileCache::key_of(const std::string& content_key, const Development& d) {
    const std::array<double, 7> how{double(d.orientation),  d.red,         d.blue,
                                    d.exposure_ev,          d.black_shift, d.white_shift,
                                    double(int(d.demosaic))};
    Hash hash;
    hash.add(content_key.data(), content_key.size());
    hash.add(how.data(), sizeof how);
    hash.add(&kVersion, sizeof kVersion);
    return hash.digits();
}

std::optional<FrameLook> ProfileCache::find(const std::string& key) const {
    std::ifstream in(profile_file(folder_, key), std::ios::binary);
    char magic[sizeof kMagic];
    std::uint32_t version = 0, name_length = 0;
    if (!in.read(magic, sizeof magic) || std::memcmp(magic, kMagic, sizeof magic) != 0 ||
        !read_value(in, version) || version != kVersion)
        return {};
    FrameLook look;
    FocusProfile& profile = look.profile;
    if (!read_grid(in, profile.sharpness) || !read_grid(in, profile.directed) ||
        !read_grid(in, profile.light) || !read_grid(in, profile.view))
        return {};
    for (double* value :
         {&profile.brightness, &profile.red, &profile.blue, &profile.clipped, &profile.lag_px})
        if (!read_value(in, *value)) return {};
    if (!read_value(in, name_length) || name_length > 1024) return {};
    profile.colours.resize(name_length);
    if (!in.read(profile.colours.data(), std::streamsize(name_length))) return {};
    try {
        look.preview = codecs::decode_jpeg(preview_file(folder_, key), 1).pixels;
    } catch (const FileError&) {
        return {};
    }
    std::error_code ignored;
    std::filesystem::last_write_time(profile_file(folder_, key),
                                     std::filesystem::file_time_type::clock::now(), ignored);
    return look;
}

void ProfileCache::put(const std::string& key, const FrameLook& look) const {
    try {
        std::filesystem::create_directories(folder_);
        write_beside_then_rename(preview_file(folder_, key), true, [&](const std::filesystem::path& file) {
            codecs::encode_jpeg(file, {look.preview, {}, {}}, {kPreviewQuality});
        });
        write_beside_then_rename(profile_file(folder_, key), true, [&](const std::filesystem::path& file) {
            std::ofstream out(file, std::ios::binary);
            const FocusProfile& profile = look.profile;
            out.write(kMagic, sizeof kMagic);
            write_value(out, kVersion);
            for (const cv::Mat& grid : {cv::Mat(profile.sharpness), cv::Mat(profile.directed),
                                        cv::Mat(profile.light), cv::Mat(profile.view)})
                write_grid(out, grid);
            for (const double value :
                 {profile.brightness, profile.red, profile.blue, profile.clipped, profile.lag_px})
                write_value(out, value);
            write_value(out, std::uint32_t(profile.colours.size()));
            out.write(profile.colours.data(), std::streamsize(profile.colours.size()));
            if (!out.flush()) throw FileError(file.string() + ": cannot be written");
        });
    } catch (const FileError&) {
    } catch (const std::filesystem::filesystem_error&) {
    }
}

void ProfileCache::prune(std::uintmax_t most_bytes) const {
    struct Kept {
        std::filesystem::file_time_type used;
        std::string key;
        std::uintmax_t bytes;
        bool operator<(const Kept& other) const {
            return used != other.used ? used < other.used : key < other.key;
        }
    };
    std::vector<Kept> all;
    std::uintmax_t total = 0;
    std::error_code failure;
    for (const auto& entry : std::filesystem::directory_iterator(folder_, failure)) {
        if (entry.path().extension() != ".profile") continue;
        const std::string key = entry.path().stem().string();
        const auto own = entry.file_size(failure),
                   preview = std::filesystem::file_size(preview_file(folder_, key), failure);
        all.push_back({entry.last_write_time(failure), key, own + (failure ? 0 : preview)});
        total += all.back().bytes;
    }
    std::sort(all.begin(), all.end());
    for (const Kept& kept : all) {
        if (total <= most_bytes) break;
        total -= kept.bytes;
        std::filesystem::remove(profile_file(folder_, kept.key), failure);
        std::filesystem::remove(preview_file(folder_, kept.key), failure);
    }
}

}  // namespace moorhaze
