// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/files/protected_files.h"

#include <catch2/catch.hpp>

#include "core/files/float_tiff.h"
#include "core/files/picture_file.h"
#include "core/files/safe_write.h"
#include "core/work/errors.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;
namespace fs = std::filesystem;

TEST_CASE("an original is not written under any of its names while it is worked on", "[files]") {
    const test::Scratch scratch;
    const fs::path original = scratch / "frame.tif", other = scratch / "other.tif";
    test::write_all(original, "light");
    test::write_all(other, "other");
    fs::create_symlink(original, scratch / "link.tif");
    fs::create_hard_link(original, scratch / "second-name.tif");
    fs::create_directory(scratch / "folder");
    {
        const ProtectedFiles all({original, scratch / "not-there"}), again({original});
        { const ProtectedFiles moved_from = ProtectedFiles({original}); }
        for (const fs::path& name : {original, scratch / "link.tif", scratch / "second-name.tif",
                                     scratch / "folder" / ".." / "frame.tif"}) {
            INFO(name);
            CHECK(is_protected(name));
            CHECK_THROWS_WITH(write_text_file(name, "gone", true),
                              Catch::Contains("Originals are never written"));
            CHECK_THROWS_AS(write_plane(name, cv::Mat1f(2, 2)), FileError);
            WriteSettings write;
            write.overwrite = true;
            CHECK_THROWS_AS(write_picture(name, test::colourful({8, 8}, 16, false), {}, write, {}),
                            FileError);
            CHECK(test::read_all(original) == "light");
        }
        CHECK_FALSE(is_protected(other));
        write_text_file(other, "new", true);
    }
    CHECK(test::read_all(other) == "new");
    write_text_file(original, "free again", true);
    CHECK(test::read_all(original) == "free again");
}
