// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/shooting_data.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cmath>
#include <cstring>
#include <exiv2/exiv2.hpp>
#include <mutex>
#include <set>

#include "core/files/codecs.h"
#include "core/files/safe_write.h"
#include "core/work/errors.h"

namespace moorhaze {
namespace {

/// exiv2 asks for one initialisation before threads, with a lock for its XMP part; its messages are ours to
/// give.
void prepare_exiv2() {
    static std::once_flag once;
    std::call_once(once, [] {
        static std::mutex xmp_guard;
        Exiv2::LogMsg::setLevel(Exiv2::LogMsg::mute);
        Exiv2::XmpParser::initialize(
            [](void* guard, bool lock) {
                auto* mutex = static_cast<std::mutex*>(guard);
                if (lock)
                    mutex->lock();
                else
                    mutex->unlock();
            },
            &xmp_guard);
    });
}

std::optional<double> number(const Exiv2::ExifData& exif, const char* key) {
    const auto entry = exif.findKey(Exiv2::ExifKey(key));
    if (entry == exif.end() || entry->count() == 0) return {};
    const auto [above, below] = entry->toRational();
    if (entry->typeId() == Exiv2::unsignedRational || entry->typeId() == Exiv2::signedRational) {
        if (below == 0) return {};
        return double(above) / double(below);
    }
    return double(entry->toLong());
}

std::string text(const Exiv2::ExifData& exif, const char* key) {
    const auto entry = exif.findKey(Exiv2::ExifKey(key));
    if (entry == exif.end()) return {};
    std::string value = entry->toString();
    while (!value.empty() && (value.back() == ' ' || value.back() == '\0')) value.pop_back();
    return value;
}

/// EXIF writes "2026:11:24 07:31:05".
std::optional<std::string> moment(std::string exif_time) {
    if (exif_time.size() < 19) return {};
    exif_time.resize(19);
    exif_time[4] = exif_time[7] = '-';
    return exif_time;
}

/// FocalPlaneResolutionUnit of EXIF 2.32: 2 inch, 3 centimetre.
std::optional<double> sensor_width(const Exiv2::ExifData& exif) {
    const auto resolution = number(exif, "Exif.Photo.FocalPlaneXResolution");
    const auto columns = number(exif, "Exif.Photo.PixelXDimension");
    if (!resolution || !columns || *resolution <= 0) return {};
    const double unit_mm = number(exif, "Exif.Photo.FocalPlaneResolutionUnit").value_or(2) == 3 ? 10.0 : 25.4;
    return *columns / *resolution * unit_mm;
}

void fill(ShootingData& data, Exiv2::ExifData& exif) {
    if (exif.empty()) return;
    data.f_number = number(exif, "Exif.Photo.FNumber");
    data.exposure_s = number(exif, "Exif.Photo.ExposureTime");
    data.iso = number(exif, "Exif.Photo.ISOSpeedRatings");
    data.focal_length_mm = number(exif, "Exif.Photo.FocalLength");
    data.focus_distance_m = number(exif, "Exif.Photo.SubjectDistance");
    if (data.focus_distance_m && *data.focus_distance_m <= 0) data.focus_distance_m.reset();
    data.sensor_width_mm = sensor_width(exif);
    data.taken = moment(text(exif, "Exif.Photo.DateTimeOriginal"));
    data.camera_maker = text(exif, "Exif.Image.Make");
    data.camera_model = text(exif, "Exif.Image.Model");
    data.camera = data.camera_maker;
    if (!data.camera_model.empty()) data.camera += (data.camera.empty() ? "" : " ") + data.camera_model;
    data.lens = text(exif, "Exif.Photo.LensModel");
    if (data.lens.empty())
        if (const auto named = Exiv2::lensName(exif); named != exif.end()) data.lens = named->print(&exif);
    const double orientation = number(exif, "Exif.Image.Orientation").value_or(1);
    data.orientation = orientation >= 1 && orientation <= 8 ? int(orientation) : 1;
    Exiv2::Blob blob;
    Exiv2::ExifThumb(exif).erase();
    Exiv2::ExifParser::encode(blob, Exiv2::littleEndian, exif);
    data.exif = std::vector<std::uint8_t>(blob.begin(), blob.end());
}

/// Source: IPTC Photo Metadata Standard 2022, which puts these into the Dublin Core schema.
void describe(Exiv2::XmpData& xmp, const AboutPicture& about) {
    auto in_a_language = [&](const char* key, const std::string& text) {
        if (!text.empty()) xmp[key] = "lang=\"x-default\" " + text;
    };
    in_a_language("Xmp.dc.title", about.title);
    in_a_language("Xmp.dc.description", about.description);
    in_a_language("Xmp.dc.rights", about.rights);
    auto add_each = [&](const char* key, const std::vector<std::string>& texts, Exiv2::TypeId type) {
        if (texts.empty()) return;
        const auto value = Exiv2::Value::create(type);
        for (const std::string& text : texts) value->read(text);
        xmp.add(Exiv2::XmpKey(key), value.get());
    };
    if (!about.creator.empty()) add_each("Xmp.dc.creator", {about.creator}, Exiv2::xmpSeq);
    add_each("Xmp.dc.subject", about.keywords, Exiv2::xmpBag);
}

/// How a frame was shot goes along; how the values of its own file are to be read (a raw file's levels and
/// matrices, a TIFF's strips, another colour space, previews) would be said of other values.
bool goes_along(const Exiv2::Exifdatum& entry, bool with_private) {
    const std::string key = entry.key();
    // EXIF 2.32: whose camera it is, and its and the lens's numbers.
    static const std::set<std::string> private_keys = {
        "Exif.Photo.CameraOwnerName", "Exif.Photo.BodySerialNumber", "Exif.Photo.LensSerialNumber",
        "Exif.Photo.ImageUniqueID"};
    if (!with_private && (key.starts_with("Exif.GPSInfo.") || private_keys.contains(key))) return false;
    static const std::set<std::string> of_image = {"Exif.Image.Make",      "Exif.Image.Model",
                                                   "Exif.Image.DateTime",  "Exif.Image.Artist",
                                                   "Exif.Image.Copyright", "Exif.Image.ImageDescription"};
    static const std::set<std::string> of_other_values = {
        "Exif.Photo.PixelXDimension",         "Exif.Photo.PixelYDimension", "Exif.Photo.MakerNote",
        "Exif.Photo.ComponentsConfiguration", "Exif.Photo.CFAPattern",      "Exif.Photo.InteroperabilityTag"};
    if (key.starts_with("Exif.Image.")) return of_image.contains(key);
    return key.starts_with("Exif.GPSInfo.") ||
           (key.starts_with("Exif.Photo.") && !of_other_values.contains(key));
}

/// What goes into a finished picture: the shooting data without what belongs to the frame's own file.
Exiv2::ExifData exif_for(const SaidInFile& said) {
    const std::vector<std::uint8_t>& of_frame = said.shooting.exif.bytes();
    const AboutPicture& about = said.about;
    Exiv2::ExifData exif;
    if (!of_frame.empty()) Exiv2::ExifParser::decode(exif, of_frame.data(), std::uint32_t(of_frame.size()));
    for (auto entry = exif.begin(); entry != exif.end();)
        entry = goes_along(*entry, said.with_private) ? std::next(entry) : exif.erase(entry);
    // Readers go by it where they look at no profile.
    exif["Exif.Photo.ColorSpace"] = std::uint16_t(said.in_srgb ? 1 : 65535);
    exif["Exif.Image.Orientation"] = std::uint16_t(1);
    exif["Exif.Image.Software"] = "Moorhaze";
    if (!said.made_with.empty()) exif["Exif.Photo.UserComment"] = "charset=Ascii " + said.made_with;

    if (!about.description.empty()) exif["Exif.Image.ImageDescription"] = about.description;
    if (!about.creator.empty()) exif["Exif.Image.Artist"] = about.creator;
    if (!about.rights.empty()) exif["Exif.Image.Copyright"] = about.rights;
    if (said.dots_per_inch > 0) {
        const Exiv2::URational resolution(std::uint32_t(std::lround(said.dots_per_inch * 100)), 100);
        exif["Exif.Image.XResolution"] = resolution;
        exif["Exif.Image.YResolution"] = resolution;
        exif["Exif.Image.ResolutionUnit"] = std::uint16_t(2);  // inches
    }
    return exif;
}

/// By a file object of ours: given a name, the library would look up hosts for names that begin like
/// addresses.
/// @throws Exiv2::Error, also for what the library knows no metadata of.
Exiv2::Image::AutoPtr opened(Exiv2::BasicIo::AutoPtr bytes) {
    const std::string name = bytes->path();
    auto image = Exiv2::ImageFactory::open(bytes);
    if (!image.get()) throw Exiv2::Error(Exiv2::kerFileContainsUnknownImageType, name);
    return image;
}

/// A file that notes when it could not be read: the library takes that for the end of the data.
class NotedFile : public Exiv2::FileIo {
  public:
    NotedFile(const std::filesystem::path& file, std::shared_ptr<bool> failed)
        : FileIo(file.string()), failed_(std::move(failed)) {}
    int close() override {
        note();
        return FileIo::close();
    }
    Exiv2::DataBuf read(long count) override {
        Exiv2::DataBuf bytes = FileIo::read(count);
        note();
        return bytes;
    }
    long read(Exiv2::byte* bytes, long count) override {
        const long got = FileIo::read(bytes, count);
        note();
        return got;
    }
    int getb() override {
        const int byte = FileIo::getb();
        note();
        return byte;
    }

  private:
    void note() {
        if (isopen() && error()) *failed_ = true;
    }
    std::shared_ptr<bool> failed_;
};

/// What a file says beside its pixels; of damaged metadata what was read until then, null where nothing was.
/// @throws FileError where the disc or the card could not be read: that it says nothing is not known then.
Exiv2::Image::AutoPtr read_from(const std::filesystem::path& file) {
    prepare_exiv2();
    const auto failed = std::make_shared<bool>(false);
    Exiv2::Image::AutoPtr image;
    try {
        image = opened(Exiv2::BasicIo::AutoPtr(new NotedFile(file, failed)));
        image->readMetadata();
    } catch (const std::exception&) {
        // Damaged; exiv2 0.27 lets a few standard exceptions escape on damaged values, too.
    }
    if (*failed)
        throw FileError(file.string() +
                        ": its shooting data cannot be read. Check the card or the disc, and try again.");
    return image;
}

/// A file's bytes, read as they are asked for. They may be written, as exiv2 does in place: the file stays as
/// it is.
class MappedFile {
  public:
    /// @throws FileError.
    explicit MappedFile(const std::filesystem::path& file) {
        const int handle = open(file.c_str(), O_RDONLY | O_CLOEXEC);
        struct stat about {};
        if (handle >= 0 && fstat(handle, &about) == 0 && about.st_size > 0)
            bytes_ =
                mmap(nullptr, std::size_t(about.st_size), PROT_READ | PROT_WRITE, MAP_PRIVATE, handle, 0);
        if (handle >= 0) close(handle);
        if (bytes_ == MAP_FAILED)
            throw FileError(file.string() + ": cannot be read (" + std::strerror(errno) +
                            "). Check the disc.");
        size_ = std::size_t(about.st_size);
    }
    MappedFile(const MappedFile&) = delete;
    MappedFile& operator=(const MappedFile&) = delete;
    ~MappedFile() { munmap(bytes_, size_); }
    const Exiv2::byte* bytes() const { return static_cast<const Exiv2::byte*>(bytes_); }
    std::size_t size() const { return size_; }

  private:
    void* bytes_ = MAP_FAILED;
    std::size_t size_ = 0;
};

}  // namespace

ShootingData read_shooting_data(const std::filesystem::path& file) {
    const auto image = read_from(file);
    ShootingData data;
    try {
        if (image.get()) fill(data, image->exifData());
    } catch (const std::exception&) {
        // Damaged shooting data: what was read until here stands.
    }
    return data;
}

bool says_op_rgb(const std::filesystem::path& file) {
    const auto image = read_from(file);
    try {
        return image.get() && number(image->exifData(), "Exif.Photo.ColorSpace") == 65535.0 &&
               text(image->exifData(), "Exif.Iop.InteroperabilityIndex").starts_with("R03");
    } catch (const std::exception&) {
        return false;  // damaged shooting data, as above
    }
}

ShootingData shooting_data_of(const std::vector<std::uint8_t>& block) {
    prepare_exiv2();
    ShootingData data;
    if (block.empty()) return data;
    try {
        Exiv2::ExifData exif;
        Exiv2::ExifParser::decode(exif, block.data(), std::uint32_t(block.size()));
        fill(data, exif);
    } catch (const std::exception&) {
        // As above.
    }
    return data;
}

std::vector<std::uint8_t> read_exif_thumbnail(const std::filesystem::path& file) {
    try {
        const auto image = read_from(file);
        if (!image.get()) return {};
        const Exiv2::ExifThumbC thumbnail(image->exifData());
        if (std::string(thumbnail.mimeType()) != "image/jpeg") return {};
        const Exiv2::DataBuf bytes = thumbnail.copy();
        return {bytes.pData_, bytes.pData_ + bytes.size_};
    } catch (const std::exception&) {
        return {};  // damaged shooting data, as above
    }
}

MetadataBlocks metadata_blocks(const SaidInFile& said) {
    prepare_exiv2();
    MetadataBlocks blocks;
    try {
        const Exiv2::ExifData exif = exif_for(said);
        Exiv2::Blob bytes;
        Exiv2::ExifParser::encode(bytes, Exiv2::littleEndian, exif);
        blocks.exif.assign(bytes.begin(), bytes.end());
        Exiv2::XmpData xmp;
        describe(xmp, said.about);
        if (!xmp.empty()) Exiv2::XmpParser::encode(blocks.xmp, xmp);
    } catch (const std::exception& error) {
        throw FileError(std::string("the shooting data could not be made ready (") + error.what() + ").");
    }
    return blocks;
}

AboutPicture read_about(const std::filesystem::path& file) {
    AboutPicture about;
    try {
        const auto image = read_from(file);
        if (!image.get()) return about;
        const Exiv2::XmpData& xmp = image->xmpData();
        auto text = [&](const char* key) {
            const auto entry = xmp.findKey(Exiv2::XmpKey(key));
            if (entry == xmp.end() || entry->count() == 0) return std::string();
            std::string value = entry->toString(0);
            // A text in several languages names the one it is in.
            if (value.rfind("lang=", 0) == 0)
                value = value.find(' ') == std::string::npos ? "" : value.substr(value.find(' ') + 1);
            return value;
        };
        about = {text("Xmp.dc.title"),
                 text("Xmp.dc.description"),
                 text("Xmp.dc.creator"),
                 text("Xmp.dc.rights"),
                 {}};
        if (const auto words = xmp.findKey(Exiv2::XmpKey("Xmp.dc.subject")); words != xmp.end())
            for (long i = 0; i < long(words->count()); ++i) about.keywords.push_back(words->toString(i));
    } catch (const std::exception&) {
        // As above: what is said about a picture never stops a series.
    }
    return about;
}

void write_said(const std::filesystem::path& file, const SaidInFile& said) {
    prepare_exiv2();
    try {
        Exiv2::ExifData exif = exif_for(said);
        // In memory: what the library writes to a disc that is full goes missing without a word.
        const MappedFile before(file);
        auto image = opened(Exiv2::BasicIo::AutoPtr(new Exiv2::MemIo(before.bytes(), long(before.size()))));
        image->readMetadata();
        describe(image->xmpData(), said.about);
        exif["Exif.Photo.PixelXDimension"] = std::uint32_t(image->pixelWidth());
        exif["Exif.Photo.PixelYDimension"] = std::uint32_t(image->pixelHeight());
        if (image->mimeType() == "image/tiff") {
            // In a TIFF the picture's structure lives among the same tags: add, never replace the set.
            for (const auto& entry : exif) {
                const std::string key = entry.key();
                if (key.rfind("Exif.Photo.", 0) == 0 || key.rfind("Exif.GPSInfo.", 0) == 0 ||
                    key == "Exif.Image.Make" || key == "Exif.Image.Model" || key == "Exif.Image.Software" ||
                    key == "Exif.Image.Orientation" || key == "Exif.Image.DateTime" ||
                    key == "Exif.Image.Artist" || key == "Exif.Image.Copyright" ||
                    key == "Exif.Image.ImageDescription")
                    image->exifData()[key].setValue(&entry.value());
            }
        } else {
            image->setExifData(exif);
        }
        image->writeMetadata();
        Exiv2::BasicIo& after = image->io();
        after.open();
        const Exiv2::byte* bytes = after.mmap();
        write_beside_then_rename(file, true, [&](const std::filesystem::path& beside) {
            auto out = codecs::open_for_writing(beside);
            if (std::fwrite(bytes, 1, after.size(), out.get()) != after.size())
                throw FileError(beside.string() + ": could not be written. Is the disc full?");
            codecs::finish_writing(std::move(out), beside);
        });
        after.close();
    } catch (const Error&) {
        throw;
    } catch (const std::exception& error) {
        throw FileError(file.string() + ": the shooting data could not be written (" + error.what() + ").");
    }
}

}  // namespace moorhaze
