// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>
#include <cmath>
#include <fstream>

#include "core/files/raw.h"
#include "core/finish/articles.h"
#include "core/finish/finish_json.h"
#include "core/finish/hand_over.h"
#include "core/picture/colour_space.h"
#include "core/picture/converted.h"
#include "core/picture/over_white.h"
#include "core/picture/resized.h"
#include "core/work/errors.h"
#include "core/work/for_rows.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;

TEST_CASE("names are made from their pattern", "[handover]") {
    const NameParts parts{.series = "lichen-cups",
                          .result = "Woven 1",
                          .method = "woven",
                          .article = "H/17:b",
                          .date = "2026-11-24",
                          .width = 1500,
                          .height = 1000,
                          .frames = 24};
    CHECK(name_of_output("{series}-merged", parts, FileFormat::tiff) == "lichen-cups-merged.tif");
    CHECK(name_of_output("{article}_{size}", parts, FileFormat::jpeg) == "H-17-b_1500.jpg");
    CHECK(name_of_output("{date} {method} {frames}x {width}x{height}", parts, FileFormat::png) ==
          "2026-11-24 woven 24x 1500x1000.png");
    CHECK(name_of_output("cups.tif", parts, FileFormat::tiff) == "cups.tif");
    CHECK(name_of_output("  ..hidden. ", parts, FileFormat::jxl) == "hidden.jxl");
    CHECK_THROWS_WITH(name_of_output("{colour}", parts, FileFormat::tiff),
                      Catch::Contains("{colour}") && Catch::Contains("{series}"));
    CHECK_THROWS_AS(name_of_output("{series", parts, FileFormat::tiff), BadParameter);
    CHECK_THROWS_AS(name_of_output(" .. ", parts, FileFormat::tiff), BadParameter);
}

TEST_CASE("a name that is taken gets a number", "[handover]") {
    const test::Scratch scratch;
    CHECK(free_name(scratch / "cup.tif") == scratch / "cup.tif");
    test::write_all(scratch / "cup.tif", "x");
    test::write_all(scratch / "cup-2.tif", "x");
    CHECK(free_name(scratch / "cup.tif") == scratch / "cup-3.tif");
}

TEST_CASE("sizes are what they say", "[handover]") {
    const cv::Size picture(6000, 4000);
    CHECK(size_of_output({}, picture) == picture);
    CHECK(size_of_output({SizeWish::long_side, 1500}, picture) == cv::Size(1500, 1000));
    CHECK(size_of_output({SizeWish::long_side, 1500}, {4000, 6000}) == cv::Size(1000, 1500));
    CHECK(size_of_output({SizeWish::width, 900}, picture) == cv::Size(900, 600));
    CHECK(size_of_output({SizeWish::height, 900}, picture) == cv::Size(1350, 900));
    CHECK(size_of_output({SizeWish::percent, 50}, picture) == cv::Size(3000, 2000));
    // 254 mm are 10 inches.
    CHECK(size_of_output({SizeWish::print, 254, 300}, picture) == cv::Size(3000, 2000));
    CHECK_THROWS_WITH(size_of_output({SizeWish::percent, 0.001}, picture), Catch::Contains("larger"));
    CHECK_THROWS_WITH(size_of_output({SizeWish::long_side, 90000}, picture), Catch::Contains("smaller"));
}

TEST_CASE("resampling keeps an even picture, its mean and a slow wave", "[handover]") {
    const Picture even = test::picture_from({90, 61}, [](int, int) { return 0.5; });
    for (const cv::Size size : {cv::Size(31, 17), {90, 61}, {200, 140}, {1, 1}}) {
        const Picture made = resized(even, size, {});
        REQUIRE(made.pixels.size() == size);
        CHECK(cv::norm(made.pixels, cv::Mat(size, CV_16UC3, cv::Scalar::all(32768)), cv::NORM_INF) <= 2);
    }
    // In linear light a slow wave is the same wave at the new size.
    auto wave = [](double x) { return 0.4 + 0.3 * std::sin(x / 30); };
    const Picture waves = test::picture_from({600, 8}, [&](int x, int) { return tone_of_light(wave(x)); });
    const Picture half = resized(waves, {300, 4}, {});
    for (int x = 12; x < 288; ++x)
        CHECK(light_of_tone(half.pixels.at<cv::Vec3w>(2, x)[1] / 65535.0) ==
              Approx(wave(2 * x + 0.5)).margin(5e-4));
}

TEST_CASE("fine stripes become the light between them, not the tone", "[handover]") {
    const Picture stripes = test::picture_from({240, 60}, [](int x, int) { return x % 2 ? 1.0 : 0.0; });
    const Picture small = resized(stripes, {80, 20}, {});
    CHECK(light_of_tone(small.pixels.at<cv::Vec3w>(10, 40)[1] / 65535.0) == Approx(0.5).margin(0.03));
}

TEST_CASE(
    "a reduced edge has no rim: nothing lies beyond the two tones that meet, nor does sharpening take it "
    "there",
    "[handover]") {
    // A dark product before a white ground, upright and lying edges.
    const Picture product =
        with_bits(test::picture_from({400, 400},
                                     [](int x, int y) { return x > 143 && x < 290 && y > 101 ? 0.22 : 1.0; }),
                  8);
    const double dark = product.pixels.at<cv::Vec3b>(200, 200)[1];
    for (const double share : {0.25, 0.37, 0.5, 0.9}) {
        Output output;
        output.format = FileFormat::png;
        output.bits = 8;
        output.size = {SizeWish::percent, 100 * share};
        for (const double sharpen : {0.0, 1.0}) {
            output.sharpen = sharpen;
            const Picture made = with_bits(for_output(product, output, {}), 8);
            INFO(share << ", sharpened " << sharpen);
            double least = 0, most = 0;
            cv::minMaxLoc(made.pixels.reshape(1), &least, &most);
            CHECK(most == 255);
            CHECK(least >= dark - 1);
            // Two pixels from the edge all is even.
            for (int x = 0; x < int(143 * share) - 2; ++x)
                CHECK(made.pixels.at<cv::Vec3b>(int(250 * share), x) == cv::Vec3b(255, 255, 255));
        }
    }
    // Enlarged, too, it stays between them.
    const Picture large = resized(product, {900, 900}, {});
    double least = 0, most = 0;
    cv::minMaxLoc(large.pixels.reshape(1), &least, &most);
    CHECK(most == 65535);
    CHECK(least >= 257 * (dark - 1));
}

TEST_CASE("a transparent edge keeps its colour when it is made smaller", "[handover]") {
    Picture picture = test::picture_from({80, 40}, [](int x, int) { return x < 40 ? 0.6 : 0.0; });
    picture.alpha = cv::Mat1w(40, 80, std::uint16_t(0));
    picture.alpha(cv::Rect(0, 0, 40, 40)) = 65535;
    const Picture small = resized(picture, {20, 10}, {});
    CHECK(small.alpha.at<std::uint16_t>(5, 2) == 65535);
    CHECK(small.alpha.at<std::uint16_t>(5, 17) == 0);
    CHECK(small.pixels.at<cv::Vec3w>(5, 9)[1] == Approx(0.6 * 65535).margin(0.02 * 65535));
}

TEST_CASE("a picture on white is white where nothing is", "[handover]") {
    for (const int bits : {8, 16}) {
        Picture picture = with_bits(test::picture_from({4, 4}, [](int, int) { return 0.2; }), bits);
        picture.alpha = cv::Mat(4, 4, CV_MAKETYPE(picture.pixels.depth(), 1), cv::Scalar::all(0));
        const double white = bits == 8 ? 255 : 65535;
        const Picture made = over_white(picture);
        CHECK(made.alpha.empty());
        CHECK(cv::mean(made.pixels)[0] == white);
    }
}

TEST_CASE("grey stays grey in every profile", "[handover]") {
    const Picture grey = test::picture_from({256, 4}, [](int x, int) { return x / 255.0; });
    for (const ColourProfile& profile : {working_profile(), ColourProfile{}}) {
        const Picture there = converted(grey, profile, {});
        double worst = 0;
        for (int x = 0; x < 256; ++x) {
            const cv::Vec3w own = there.pixels.at<cv::Vec3w>(1, x);
            for (int c = 0; c < 3; ++c) worst = std::max(worst, std::abs(double(own[c]) - own[1]));
        }
        CHECK(worst < 65535.0 / 1000);
    }
}

TEST_CASE("the wide profile holds what sRGB cannot, and comes back", "[handover]") {
    CHECK(is_rgb_profile(working_profile()));
    CHECK_FALSE(is_rgb_profile({{1, 2, 3, 4}}));
    const Picture picture = test::colourful({40, 30}, 16, true);
    const Picture back = converted(converted(picture, working_profile(), {}), {}, {});
    CHECK(cv::norm(back.pixels, picture.pixels, cv::NORM_INF) < 65535 / 400.0);
    CHECK(cv::norm(back.alpha, picture.alpha, cv::NORM_INF) == 0);
    CHECK_THROWS_AS(converted(picture, {{1, 2, 3, 4}}, {}), BadParameter);
}

TEST_CASE("every kind of file comes back as it was described", "[handover]") {
    const test::Scratch scratch;
    const test::Texture texture(9);
    const Picture picture = test::picture_from({300, 200}, [&](int x, int y) { return texture.at(x, y); });
    const AboutPicture about{
        "Cups", "Lichen on the heath", "The warden", "Free to show", {"lichen", "heath"}};
    struct Case {
        const char* name;
        Output output;
        double most;  // difference of 65535 that the format may make
    };
    Output tiff, lzw, plain, jpeg, png, jxl, jxl_lossy;
    lzw.compression = TiffCompression::lzw, lzw.bits = 8;
    plain.compression = TiffCompression::none;
    jpeg.format = FileFormat::jpeg, jpeg.bits = 8;
    png.format = FileFormat::png;
    jxl.format = jxl_lossy.format = FileFormat::jxl, jxl.quality = 100, jxl_lossy.quality = 95;
    for (const auto& [name, output, most] :
         {Case{"a.tif", tiff, 0}, Case{"b.tif", lzw, 257}, Case{"c.tif", plain, 0}, Case{"d.jpg", jpeg, 2000},
          Case{"e.png", png, 0}, Case{"f.jxl", jxl, 0}, Case{"g.jxl", jxl_lossy, 3500}}) {
        INFO(name);
        REQUIRE(write_output(scratch / name, picture, output,
                             {.shooting = {}, .made_with = "Moorhaze", .about = about}, false, {})
                    .empty());
        const Picture back = with_bits(read_picture(scratch / name), 16);
        CHECK(cv::norm(back.pixels, picture.pixels, cv::NORM_INF) <= most);
        CHECK_THROWS_AS(write_output(scratch / name, picture, output, {}, false, {}), FileError);
    }
    CHECK(std::filesystem::file_size(scratch / "b.tif") < std::filesystem::file_size(scratch / "c.tif") / 2);
}

TEST_CASE("what is said about a picture is read back from every kind of file", "[handover]") {
    const test::Scratch scratch;
    const Picture picture = test::colourful({64, 48}, 8, false);
    const AboutPicture about{
        "Cups", "Lichen on the heath", "The warden", "Free to show", {"lichen", "heath"}};
    Output output;
    output.bits = 8;
    for (const auto& [name, format] :
         {std::pair("a.tif", FileFormat::tiff), {"a.jpg", FileFormat::jpeg}, {"a.png", FileFormat::png}}) {
        output.format = format;
        REQUIRE(write_output(scratch / name, picture, output,
                             {.shooting = {}, .made_with = "Moorhaze", .about = about}, false, {})
                    .empty());
        INFO(name);
        CHECK(read_about(scratch / name) == about);
    }
    CHECK(read_about(scratch / "none.tif") == AboutPicture{});
}

TEST_CASE("impossible outputs are refused with the reason", "[handover]") {
    Output output;
    output.format = FileFormat::jpeg;
    CHECK_THROWS_WITH(check(output), Catch::Contains("8 bits"));
    output = {};
    output.size.value = -3;
    CHECK_THROWS_WITH(check(output), Catch::Contains("above 0"));
    output = {};
    for (const double edge : {1.0, 10000.0}) {
        output.size.dots_per_inch = edge;
        CHECK_NOTHROW(check(output));
    }
    for (const double beyond : {0.99, 10001.0}) {
        output.size.dots_per_inch = beyond;
        CHECK_THROWS_WITH(check(output), Catch::Contains("dots an inch"));
    }
    output = {};
    output.format = FileFormat::heif;
    CHECK_THROWS_WITH(check(output), Catch::Contains("cannot be written"));
    output = {};
    output.profile = ProfileWish::file;
    CHECK_THROWS_AS(profile_of_output(output, {}), BadParameter);
    const test::Scratch scratch;
    test::write_all(scratch / "no.icc", "not a profile");
    output.profile_file = scratch / "no.icc";
    CHECK_THROWS_WITH(profile_of_output(output, {}),
                      Catch::Contains("no.icc") && Catch::Contains("no colour profile"));
    output.profile_file = scratch / "gone.icc";
    CHECK_THROWS_WITH(profile_of_output(output, {}), Catch::Contains("cannot be read"));
}

TEST_CASE("how pictures are handed over comes back from its text", "[handover]") {
    HandOver own;
    Output web;
    web.format = FileFormat::jpeg, web.bits = 8, web.quality = 88, web.profile = ProfileWish::srgb;
    web.size = {SizeWish::long_side, 1500, 72};
    web.sharpen = 0.4, web.name = "{article}-web";
    Output own_profile;
    own_profile.profile = ProfileWish::file, own_profile.profile_file = "/heath/print.icc";
    own_profile.compression = TiffCompression::none, own_profile.is_off = true;
    own.outputs = {Output{}, web, own_profile};
    own.about = {"t", "d", "c", "r", {"a", "b"}};
    own.article = "H17";
    CHECK(hand_over_of(json_of(own)) == own);
    CHECK(in_words(web) == "JPEG, quality 88, sRGB, long side 1500 px");
    CHECK_THROWS_WITH(hand_over_of("{\"outputs\": [{\"format\": \"gif\"}]}"), Catch::Contains("gif"));
    CHECK_THROWS_WITH(hand_over_of("{\"outputs\": [{\"bits\": 12}]}"), Catch::Contains("8 or 16"));
}

TEST_CASE("names count, and articles come from what is typed or else from a list", "[finish]") {
    NameParts parts;
    parts.series = "bog-cotton";
    CHECK(name_of_output("{series}-{number}", parts, FileFormat::jpeg) == "bog-cotton-01.jpg");
    parts.number = 123;
    CHECK(name_of_output("{number}_{series}", parts, FileFormat::tiff) == "123_bog-cotton.tif");

    const test::Scratch scratch;
    const auto list = scratch / "articles.csv";
    {
        std::ofstream out(list);
        out << "\xef\xbb\xbf"
            << "series;article;remark\r\n"
            << "lichen-cups ; 4711-A;\"brass\"\r\n\"bog-cotton\";  88 012 ;x\nno number here\nempty;\n";
    }
    const auto articles = read_articles(list);
    CHECK(articles.at("lichen-cups") == "4711-A");
    CHECK(articles.at("bog-cotton") == "88 012");
    CHECK_FALSE(articles.contains("empty"));
    HandOver own;
    CHECK(article_of(own, "bog-cotton").empty());
    own.article_list = list;
    CHECK(article_of(own, "bog-cotton") == "88 012");
    CHECK(article_of(own, "wheel").empty());
    own.article = "typed";
    CHECK(article_of(own, "bog-cotton") == "typed");
    CHECK(hand_over_of(json_of(own)) == own);
    CHECK_THROWS_WITH(read_articles(scratch / "none.csv"), Catch::Contains("none.csv: cannot be read"));
    std::ofstream(scratch / "words.txt") << "nothing of the kind\n";
    CHECK_THROWS_WITH(read_articles(scratch / "words.txt"), Catch::Contains("names no series"));
}

TEST_CASE("an article table has one separator, quotes as RFC 4180 has them, and an encoding that is said",
          "[finish]") {
    const test::Scratch scratch;
    const auto read = [&](const std::string& bytes) {
        test::write_all(scratch / "list.csv", bytes);
        return read_articles(scratch / "list.csv");
    };
    using Articles = std::map<std::string, std::string>;
    CHECK(read("Knob, brass;4711\nWheel;4712\n") == Articles{{"Knob, brass", "4711"}, {"Wheel", "4712"}});
    CHECK(read("\"Knob, brass\",4711\nWheel,4712") == Articles{{"Knob, brass", "4711"}, {"Wheel", "4712"}});
    CHECK(read("Knob; brass\t4711\r\nWheel\t4712\r\n") ==
          Articles{{"Knob; brass", "4711"}, {"Wheel", "4712"}});
    // Examples of RFC 4180, section 2: doubled quotes, and a line end within quotes.
    CHECK(read("\"a \"\"glazed\"\" knob\",1,x\n\"two\nlines\",2,y\n") ==
          Articles{{"a \"glazed\" knob", "1"}, {"two\nlines", "2"}});
    CHECK_THROWS_WITH(read("\"left open,1\nb,2"), Catch::Contains("names no series"));
    CHECK(read(std::string("\xff\xfe"
                           "k\0;\0"
                           "1\0",
                           8)) == Articles{{"k", "1"}});
    CHECK_THROWS_WITH(read("caf\xe9;1\n"), Catch::Contains("UTF-8"));
}

TEST_CASE("the intent decides what becomes of the white, and stays with the output", "[handover]") {
    // Both profiles have their white at D50's, so that only the absolute way could differ; the file says
    // which.
    const Picture picture = test::colourful({20, 12}, 16, false);
    const Picture relative = converted(picture, working_profile(), {}),
                  perceptual = converted(picture, working_profile(), {}, ColourIntent::perceptual);
    // Profiles of primaries alone have no table of their maker's.
    CHECK(cv::norm(relative.pixels, perceptual.pixels, cv::NORM_INF) <= 2);
    HandOver own;
    for (const ColourIntent intent :
         {ColourIntent::relative, ColourIntent::perceptual, ColourIntent::absolute}) {
        own.outputs[0].intent = intent;
        CHECK(hand_over_of(json_of(own)) == own);
    }
    CHECK_THROWS_AS(hand_over_of("{\"outputs\":[{\"format\":\"tiff\",\"intent\":\"hopeful\"}]}"), FileError);
}
