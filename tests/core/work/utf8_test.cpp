// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/utf8.h"

#include <catch2/catch.hpp>
#include <random>

#include "core/work/json_text.h"

using namespace moorhaze;

TEST_CASE("any bytes become text and are themselves again", "[utf8]") {
    // The table of RFC 3629, section 4, at its edges: two, three and four bytes, first and last of each.
    for (const char* whole :
         {"", "knob", "\xc2\x80", "\xdf\xbf", "\xe0\xa0\x80", "\xed\x9f\xbf", "\xee\x80\x80", "\xef\xbf\xbf",
          "\xf0\x90\x80\x80", "\xf4\x8f\xbf\xbf", "caf\xc3\xa9"}) {
        CHECK(text_of_bytes(whole) == whole);
        CHECK(shown_text(whole) == whole);
    }
    // Latin 1, a lone follower, too long a form, a surrogate, beyond the last, cut off.
    CHECK(text_of_bytes("caf\xe9") == "caf\xef\x9f\xa9");  // U+F7E9
    CHECK(shown_text("caf\xe9") == "caf\xef\xbf\xbd");
    for (const char* broken :
         {"\x80", "\xc0\xaf", "\xc1\xbf", "\xe0\x9f\xbf", "\xed\xa0\x80", "\xf0\x8f\xbf\xbf",
          "\xf4\x90\x80\x80", "\xf5\x80\x80\x80", "\xe2\x82", "\xf0\x9f\x98", "\xff"}) {
        const std::string text = text_of_bytes(broken);
        CHECK(text != broken);
        CHECK(has_bytes_in_text(text));
        CHECK(bytes_of_text(text) == broken);
        CHECK(utf8_of(text) == text);
        CHECK_FALSE(utf8_of(broken));
    }
    // The letters that stand for bytes are bytes themselves.
    CHECK(bytes_of_text(text_of_bytes("\xef\x9f\xa9")) == "\xef\x9f\xa9");
    std::mt19937 random(5);
    for (int i = 0; i < 2000; ++i) {
        std::string bytes;
        for (unsigned k = random() % 12; k > 0; --k)
            bytes += char(random() % 3 == 0 ? 'a' + random() % 26 : 0x80 + random() % 0x80);
        CHECK(bytes_of_text(text_of_bytes(bytes)) == bytes);
        CHECK(utf8_of(text_of_bytes(bytes)).has_value());
        CHECK(utf8_of(shown_text(bytes)).has_value());
    }
}

TEST_CASE("JSON keeps names that are no text, and other programs read it", "[utf8][json]") {
    const nlohmann::ordered_json json{
        {"file", "caf\xe9.tif"}, {"list", {"a", "\xff\xfe", "\xef\x9f\xa9"}}, {"n", 3}};
    const std::string text = json_text(json, 1);
    CHECK(utf8_of(text) == text);
    CHECK(nlohmann::json::parse(text)["n"] == 3);  // a plain reader
    CHECK(parsed_json(text) == json);
    // Written by number, as other programs may write it again.
    CHECK(parsed_json(R"({"file": "caf\uf7e9.tif"})")["file"] == "caf\xe9.tif");
}

TEST_CASE("text files are read with their marks", "[utf8]") {
    CHECK(utf8_of("\xef\xbb\xbfknob") == "knob");
    CHECK(utf8_of(std::string("\xff\xfek\0\xe9\0\x3d\xd8\0\xde", 10)) == "k\xc3\xa9\xf0\x9f\x98\x80");
    CHECK(utf8_of(std::string("\xfe\xff\0k\xd8\x3d\xde\0", 8)) == "k\xf0\x9f\x98\x80");
    CHECK_FALSE(utf8_of(std::string("\xff\xfek", 3)));            // half a letter
    CHECK_FALSE(utf8_of(std::string("\xff\xfe\x3d\xd8", 4)));     // half a pair
    CHECK_FALSE(utf8_of(std::string("\xff\xfe\0\xde", 4)));       // its other half alone
    CHECK_FALSE(utf8_of(std::string("\xff\xfe\x3d\xd8k\0", 6)));  // a pair that is none
}
