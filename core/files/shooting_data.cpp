#include "core/files/shooting_data.h"

#include <exiv2/exiv2.hpp>
#include <mutex>

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
    data.camera = text(exif, "Exif.Image.Make");
    if (const auto model = text(exif, "Exif.Image.Model"); !model.empty())
        data.camera += (data.camera.empty() ? "" : " ") + model;
    const double orientation = number(exif, "Exif.Image.Orientation").value_or(1);
    data.orientation = orientation >= 1 && orientation <= 8 ? int(orientation) : 1;
    Exiv2::Blob blob;
    Exiv2::ExifThumb(exif).erase();
    Exiv2::ExifParser::encode(blob, Exiv2::littleEndian, exif);
    data.exif.assign(blob.begin(), blob.end());
}

}  // namespace

ShootingData read_shooting_data(const std::filesystem::path& file) {
    prepare_exiv2();
    ShootingData data;
    try {
        auto image = Exiv2::ImageFactory::open(file.string());
        image->readMetadata();
        fill(data, image->exifData());
    } catch (const Exiv2::Error&) {
        // Damaged shooting data: what was read until here stands.
    } catch (const std::exception&) {
        // exiv2 0.27 lets a few standard exceptions escape on damaged values.
    }
    return data;
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
    prepare_exiv2();
    try {
        auto image = Exiv2::ImageFactory::open(file.string());
        image->readMetadata();
        const Exiv2::ExifThumbC thumbnail(image->exifData());
        if (std::string(thumbnail.mimeType()) != "image/jpeg") return {};
        const Exiv2::DataBuf bytes = thumbnail.copy();
        return {bytes.pData_, bytes.pData_ + bytes.size_};
    } catch (const std::exception&) {
        return {};  // damaged shooting data, as above
    }
}

void write_shooting_data(const std::filesystem::path& file, const ShootingData& data,
                         const std::string& made_with) {
    prepare_exiv2();
    try {
        Exiv2::ExifData exif;
        if (!data.exif.empty())
            Exiv2::ExifParser::decode(exif, data.exif.data(), std::uint32_t(data.exif.size()));
        for (const char* stale : {"Exif.Photo.PixelXDimension", "Exif.Photo.PixelYDimension",
                                  "Exif.Image.ImageWidth", "Exif.Image.ImageLength", "Exif.Photo.MakerNote"})
            if (const auto entry = exif.findKey(Exiv2::ExifKey(stale)); entry != exif.end())
                exif.erase(entry);
        exif["Exif.Image.Orientation"] = std::uint16_t(1);
        exif["Exif.Image.Software"] = "Moorhaze";
        if (!made_with.empty()) exif["Exif.Photo.UserComment"] = "charset=Ascii " + made_with;

        auto image = Exiv2::ImageFactory::open(file.string());
        image->readMetadata();
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
    } catch (const Exiv2::Error& error) {
        throw FileError(file.string() + ": the shooting data could not be written (" + error.what() +
                        "). Save in another format, or without shooting data.");
    }
}

}  // namespace moorhaze
