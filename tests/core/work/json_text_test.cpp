// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/work/json_text.h"

#include <catch2/catch.hpp>
#include <sstream>

#include "core/finish/finish_json.h"
#include "core/optics/shoot_plan.h"
#include "core/project/project_json.h"
#include "core/sets/follow_recipe.h"
#include "core/work/errors.h"

using namespace moorhaze;

namespace {

std::string nested(int levels) {
    return std::string(std::size_t(levels), '[') + std::string(std::size_t(levels), ']');
}

}  // namespace

TEST_CASE("JSON is read down to 64 levels, and refused below, without walking it", "[json]") {
    CHECK(parsed_json(nested(kJsonLevels)).is_array());
    CHECK_THROWS_WITH(parsed_json(nested(kJsonLevels + 1)), Catch::Contains("64 levels"));
    // So deep that whoever walks it has no stack left.
    CHECK_THROWS_AS(parsed_json(nested(200'000)), FileError);
    CHECK_THROWS_AS(parsed_json(std::string(300'000, '{')), FileError);
    // Brackets in strings are letters, whatever is escaped before them.
    CHECK(parsed_json("[\"" + std::string(100, '[') + "\"]").is_array());
    CHECK(parsed_json(R"(["\"[[", "\\", []])").size() == 3);
    std::istringstream in(R"({"a": 1})");
    CHECK(parsed_json(in)["a"] == 1);
    std::istringstream deep(nested(100));
    CHECK_THROWS_AS(parsed_json(deep), FileError);
}

TEST_CASE("every file of ours that is nested too deeply is refused in words", "[json]") {
    const std::string deep =
        R"({"moorhaze_recipe": 1, "moorhaze_project": 1, "moorhaze_setup": 1, "x": )" + nested(200'000) + "}";
    CHECK_THROWS_WITH(recipe_from_json(deep), Catch::Contains("levels"));
    CHECK_THROWS_WITH(project_from_json(deep, {}), Catch::Contains("levels"));
    CHECK_THROWS_WITH(finish_of(deep), Catch::Contains("levels"));
    CHECK_THROWS_WITH(hand_over_of(deep), Catch::Contains("levels"));
    CHECK_THROWS_WITH(setup_of_json(deep), Catch::Contains("levels"));
}

TEST_CASE("a number that no whole number holds is refused in words wherever it stands", "[json]") {
    for (const char* large : {"2e61", "-2e61", "2147483648.0", "1e400"})
        CHECK_THROWS(parsed_json(std::string(R"({"a": [1, {"b": )") + large + "}]}"));
    CHECK(parsed_json(R"([2147483647.5, -2147483647.5, 4294967296])").size() == 3);
    // Found by chance.
    CHECK_THROWS_WITH(finish_of(R"({"framing": {"crop_px": [3, 4, 2e61, 20]}})"),
                      Catch::Contains("more than anything"));
    CHECK_THROWS_WITH(recipe_from_json(R"({"moorhaze_recipe": 1, "doubts": {"snags": 4e53}})"),
                      Catch::Contains("more than anything"));
}

TEST_CASE("a version that does not fit a number is no older one", "[json]") {
    CHECK_THROWS_AS(recipe_from_json(R"({"moorhaze_recipe": 4294967297})"), FileError);
    for (const char* version : {"1.5", "1e300", "-1e300", "18446744073709551615", "-4294967295"})
        CHECK_THROWS_AS(recipe_from_json(std::string(R"({"moorhaze_recipe": )") + version + "}"), FileError);
    CHECK_THROWS_WITH(project_from_json(R"({"moorhaze_project": 4294967297})", {}), Catch::Contains("newer"));
}
