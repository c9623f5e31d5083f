// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/finish/open_raster.h"

#include <zip.h>

#include <memory>
#include <sstream>

#include "core/files/picture_file.h"
#include "core/files/safe_write.h"
#include "core/picture/converted.h"
#include "core/picture/resized.h"
#include "core/work/errors.h"

namespace moorhaze {
namespace {

namespace fs = std::filesystem;

constexpr int kThumbnailSide = 256;

/// A folder beside the target for the PNGs; removed at the end.
class PartsFolder {
  public:
    explicit PartsFolder(const fs::path& target) : folder_(target.string() + kPartsEnding) {
        std::error_code failed;
        fs::create_directories(folder_, failed);
        if (failed)
            throw FileError(target.string() + ": cannot be written (" + failed.message() +
                            "). Choose another folder.");
    }
    ~PartsFolder() {
        std::error_code failed;
        fs::remove_all(folder_, failed);
    }
    PartsFolder(const PartsFolder&) = delete;
    PartsFolder& operator=(const PartsFolder&) = delete;
    fs::path operator/(const std::string& name) const { return folder_ / name; }

  private:
    fs::path folder_;
};

struct ZipCloser {
    void operator()(zip_t* zip) const noexcept { zip_discard(zip); }
};

class ZipFile {
  public:
    explicit ZipFile(const fs::path& file) : file_(file) {
        int error = 0;
        zip_.reset(zip_open(file.c_str(), ZIP_CREATE | ZIP_TRUNCATE, &error));
        if (!zip_) throw FileError(file.string() + ": cannot be written. Choose another folder.");
    }
    /// PNGs are compressed already: nothing is packed again.
    void add(const std::string& name, zip_source_t* source) {
        const zip_int64_t place =
            source ? zip_file_add(zip_.get(), name.c_str(), source, ZIP_FL_ENC_UTF_8) : -1;
        if (place < 0) {
            if (source) zip_source_free(source);
            fail();
        }
        if (zip_set_file_compression(zip_.get(), zip_uint64_t(place), ZIP_CM_STORE, 0) != 0) fail();
        // Written the same on every day.
        zip_file_set_mtime(zip_.get(), zip_uint64_t(place), 1577836800, 0);
    }
    /// @param text  has to live until close().
    void add_text(const std::string& name, const std::string& text) {
        add(name, zip_source_buffer(zip_.get(), text.data(), text.size(), 0));
    }
    void add_file(const std::string& name, const fs::path& part) {
        add(name, zip_source_file(zip_.get(), part.c_str(), 0, -1));
    }
    void close() {
        if (zip_close(zip_.get()) != 0) fail();
        (void)zip_.release();
    }

  private:
    [[noreturn]] void fail() {
        throw FileError(file_.string() + ": could not be written (" + zip_strerror(zip_.get()) +
                        "). Is the disc full?");
    }
    fs::path file_;
    std::unique_ptr<zip_t, ZipCloser> zip_;
};

std::string escaped(const std::string& text) {
    std::string made;
    for (const char letter : text)
        made += letter == '&'   ? "&amp;"
                : letter == '<' ? "&lt;"
                : letter == '>' ? "&gt;"
                : letter == '"' ? "&quot;"
                                : std::string(1, letter);
    return made;
}

/// What stack.xml says of one layer.
std::string entry_of(const RasterLayer& layer, const std::string& file) {
    std::ostringstream xml;
    xml << "  <layer name=\"" << escaped(layer.name) << "\" src=\"" << file << "\" x=\"" << layer.corner.x
        << "\" y=\"" << layer.corner.y << "\" opacity=\"1.0\" visibility=\""
        << (layer.is_visible ? "visible" : "hidden") << "\" composite-op=\"svg:src-over\"/>\n";
    return xml.str();
}

std::string stack_of(cv::Size size, const std::string& entries) {
    std::ostringstream xml;
    xml << "<?xml version='1.0' encoding='UTF-8'?>\n<image version=\"0.0.3\" w=\"" << size.width << "\" h=\""
        << size.height << "\">\n <stack>\n"
        << entries << " </stack>\n</image>\n";
    return xml.str();
}

Picture thumbnail_of(const Picture& merged) {
    const double scale = std::min(1.0, double(kThumbnailSide) / std::max(merged.width(), merged.height()));
    const cv::Size size(std::max(1, int(merged.width() * scale)), std::max(1, int(merged.height() * scale)));
    return converted(resized(merged, size, {}), {}, {});
}

}  // namespace

void write_open_raster(const fs::path& file, const Picture& merged, const LayerSource& layers, int bits,
                       bool overwrite, const Job& job) {
    write_beside_then_rename(file, overwrite, [&](const fs::path& temporary) {
        const PartsFolder parts(temporary);
        WriteSettings png{.format = FileFormat::png, .bits = bits, .overwrite = true, .made_with = {}};
        const std::string type = "image/openraster";
        ZipFile zip(temporary);
        zip.add_text("mimetype", type);  // the first entry, and not packed
        std::string entries;
        int count = 0;
        layers(
            [&](const RasterLayer& layer) {
                const std::string name = "layer" + std::to_string(count++) + ".png";
                write_picture(parts / name, layer.picture, {}, png, {});
                zip.add_file("data/" + name, parts / name);
                entries = entry_of(layer, "data/" + name) + entries;  // the highest stands first
            },
            job.part(0, 0.8));
        if (count == 0) throw BadParameter(file.string() + ": a layered picture needs a layer");
        const std::string stack = stack_of(merged.pixels.size(), entries);
        zip.add_text("stack.xml", stack);
        write_picture(parts / "mergedimage.png", merged, {}, png, {});
        zip.add_file("mergedimage.png", parts / "mergedimage.png");
        png.bits = 8;
        write_picture(parts / "thumbnail.png", thumbnail_of(merged), {}, png, {});
        zip.add_file("Thumbnails/thumbnail.png", parts / "thumbnail.png");
        job.checkpoint(0.95);
        zip.close();
    });
}

}  // namespace moorhaze
