// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace moorhaze {

/// Bytes that never change and that many values share: those of a camera's notes may be 100 kB a frame.
class SharedBytes {
  public:
    SharedBytes() = default;
    SharedBytes(std::vector<std::uint8_t> bytes)
        : bytes_(std::make_shared<const std::vector<std::uint8_t>>(std::move(bytes))) {}
    bool empty() const { return !bytes_ || bytes_->empty(); }
    const std::vector<std::uint8_t>& bytes() const {
        static const std::vector<std::uint8_t> none;
        return bytes_ ? *bytes_ : none;
    }
    bool operator==(const SharedBytes& other) const {
        return bytes_ == other.bytes_ || bytes() == other.bytes();
    }

  private:
    std::shared_ptr<const std::vector<std::uint8_t>> bytes_;
};

/// What the camera wrote beside the pixels (EXIF 2.32 tags). A value the file does not give is empty.
struct ShootingData {
    std::optional<std::string> taken;  ///< "2026-11-24 07:31:05", camera's own clock
    std::optional<double> f_number;
    std::optional<double> exposure_s;
    std::optional<double> iso;
    std::optional<double> focal_length_mm;
    std::optional<double> focus_distance_m;  ///< SubjectDistance
    std::optional<double> sensor_width_mm;   ///< from the focal plane resolution
    std::string camera;                      ///< maker and model
    std::string camera_maker, camera_model;
    std::string lens;     ///< as the camera names it
    int orientation = 1;  ///< 1..8, how the stored pixels lie
    SharedBytes exif;     ///< all of it, to hand on: a TIFF-structured block
    bool operator==(const ShootingData&) const = default;
};

/// What a person says about a picture; goes into Exif, and into XMP by the schema of Dublin Core (IPTC Photo
/// Metadata Standard: title, description, creator, rights, keywords).
struct AboutPicture {
    std::string title, description, creator, rights;
    std::vector<std::string> keywords;
    bool operator==(const AboutPicture&) const = default;
};

/// Reads the shooting data of a JPEG, TIFF or PNG. A file without any, or with damaged ones, gives an empty
/// value: shooting data never stop a series.
/// @throws FileError where the disc could not be read.   Thread-safe.
ShootingData read_shooting_data(const std::filesystem::path& file);

/// The same from a TIFF-structured block. Thread-safe.
ShootingData shooting_data_of(const std::vector<std::uint8_t>& exif);

/// The JPEG thumbnail among the shooting data; empty if there is none.   Thread-safe.
std::vector<std::uint8_t> read_exif_thumbnail(const std::filesystem::path& file);

/// True where a file without a profile says by its Exif that its colours are those of opRGB (IEC 61966-2-5):
/// the colour space is "uncalibrated" and the interoperability index R03 (DCF 2.0), as cameras do it.
/// Thread-safe.
bool says_op_rgb(const std::filesystem::path& file);

/// What a file says beside its pixels, but for its colour profile.
struct SaidInFile {
    ShootingData shooting;
    std::string made_with = {};  ///< how the picture was made
    AboutPicture about = {};
    double dots_per_inch = 0;  ///< the size that it is meant to be printed at; 0: nothing is said
    bool in_srgb = true;       ///< the file's colours are sRGB; otherwise its profile says what they are
    /// Where the frames were taken, by whose camera, and the numbers of camera and lens go along.
    bool with_private = false;
};

/// Writes what is said into a finished picture file: the orientation becomes upright, the embedded preview
/// and the old pixel sizes are dropped. Of the frame's own tags those go along that say how it was shot; how
/// a raw file's or another profile's values are to be read stays behind. `about` goes into Exif and XMP.
/// @throws FileError.   Thread-safe.
void write_said(const std::filesystem::path& file, const SaidInFile& said);

/// The same for formats whose encoder puts metadata in: a TIFF-structured block, and an XMP packet (empty
/// where there is nothing to say).   @throws FileError.   Thread-safe.
struct MetadataBlocks {
    std::vector<std::uint8_t> exif;
    std::string xmp;
};
MetadataBlocks metadata_blocks(const SaidInFile& said);

/// What is said about a picture in a file; empty where nothing is.   Thread-safe.
AboutPicture read_about(const std::filesystem::path& file);

}  // namespace moorhaze
