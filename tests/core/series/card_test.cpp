// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/series/card.h"

#include <catch2/catch.hpp>
#include <cstdio>

#include "core/files/exif_block.h"
#include "core/series/mixed.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;

namespace {

/// One exposure on a card: when, of what, with which settings.
struct Shot {
    int second = 0;
    unsigned subject = 1;  ///< seed of the texture seen
    double blur_px = 0;
    ShootingData data;
    double light = 1;
};

Shot shot(int second, unsigned subject) {
    Shot made;
    made.second = second;
    made.subject = subject;
    made.data.exposure_s = 1 / 125.0;
    made.data.f_number = 5.6;
    made.data.iso = 100;
    made.data.focal_length_mm = 100;
    return made;
}

void write_card(const std::filesystem::path& folder, const std::vector<Shot>& shots, int first_number = 1) {
    std::filesystem::create_directories(folder);
    for (std::size_t i = 0; i < shots.size(); ++i) {
        const Shot& own = shots[i];
        const test::Texture texture(own.subject, 40, 12, 160);
        const Picture picture =
            test::picture_from({240, 160}, [&](int x, int y) { return own.light * texture.at(x, y); });
        ShootingData data = own.data;
        char text[32];
        std::snprintf(text, sizeof text, "2026-09-12 %02d:%02d:%02d", 7 + own.second / 3600,
                      own.second / 60 % 60, own.second % 60);
        if (own.second >= 0) data.taken = text;
        data.exif = exif_block(data, 240);
        std::snprintf(text, sizeof text, "heath_%04d.jpg", first_number + int(i));
        write_picture(folder / text, picture, data, {FileFormat::jpeg, 8, 90, true, {}}, {});
    }
}

std::vector<Shot> run_of(int count, int from_second, unsigned subject, int pause = 4) {
    std::vector<Shot> shots;
    for (int i = 0; i < count; ++i) shots.push_back(shot(from_second + i * pause, subject));
    return shots;
}

std::vector<Shot> joined(std::vector<std::vector<Shot>> parts) {
    std::vector<Shot> all;
    for (auto& part : parts) all.insert(all.end(), part.begin(), part.end());
    return all;
}

std::vector<int> counts(const std::vector<FoundSeries>& card) {
    std::vector<int> sizes;
    for (const FoundSeries& series : card) sizes.push_back(int(series.frames.size()));
    return sizes;
}

}  // namespace

TEST_CASE("a card is split by framing, by long pauses and by settings that last", "[card]") {
    const test::Scratch scratch;
    auto stopped_down = run_of(6, 400, 2);
    for (Shot& own : stopped_down) own.data.f_number = 8;
    write_card(scratch / "card",
               joined({run_of(8, 0, 1), run_of(5, 34, 2), stopped_down, run_of(7, 1400, 2)}));
    const OpenedCard card = open_card({scratch / "card"}, {});
    CHECK(counts(card.series) == std::vector<int>{8, 5, 6, 7});
    CHECK(card.series[0].reason.empty());
    CHECK(card.series[1].reason == "another framing");
    CHECK(card.series[2].reason == "f/8 instead of f/5.6");
    CHECK(card.series[3].reason == "f/5.6 instead of f/8");
    CHECK(card.series[1].name == "card 2");
}

TEST_CASE("a long pause alone cuts, waiting for the flash or turning a rail by hand does not", "[card]") {
    const test::Scratch scratch;
    const int pause = GENERATE(25, 600);
    auto shots = run_of(8, 0, 1);
    const auto later = run_of(8, 28 + pause, 1);
    shots.insert(shots.end(), later.begin(), later.end());
    write_card(scratch / "card", shots);
    const OpenedCard card = open_card({scratch / "card"}, {});
    if (pause == 600) {
        CHECK(counts(card.series) == std::vector<int>{8, 8});
        CHECK(card.series[1].reason == "10 min after the frame before");
    } else {
        CHECK(counts(card.series) == std::vector<int>{16});
    }
}

TEST_CASE("one odd frame cuts nothing: a misfire, a hand before the lens, another exposure", "[card]") {
    const test::Scratch scratch;
    auto shots = run_of(12, 0, 1);
    shots[3].light = 0.02;
    shots[6].subject = 9;
    shots[9].data.exposure_s = 1 / 30.0;
    write_card(scratch / "card", shots);
    CHECK(counts(open_card({scratch / "card"}, {}).series) == std::vector<int>{12});
}

TEST_CASE("a card's folders are series of their own, numbers run over into the next name", "[card]") {
    const test::Scratch scratch;
    write_card(scratch / "card/view-1", run_of(4, 0, 1));
    write_card(scratch / "card/view-2", run_of(4, 16, 1));
    const OpenedCard views = open_card({scratch / "card"}, {});
    REQUIRE(counts(views.series) == std::vector<int>{4, 4});
    CHECK(views.series[1].reason == "another folder");
    CHECK(views.series[1].name == "view-2");

    write_card(scratch / "over", run_of(5, 0, 1), 9995);
    write_card(scratch / "over", run_of(4, 20, 1), 1);
    const OpenedCard over = open_card({scratch / "over"}, {});
    REQUIRE(counts(over.series) == std::vector<int>{9});
    CHECK(over.series[0].frames[0].path.filename() == "heath_9995.jpg");
    CHECK(over.series[0].frames[8].path.filename() == "heath_0004.jpg");
}

TEST_CASE("without times framing still splits, and splits and joins by hand hold", "[card]") {
    const test::Scratch scratch;
    auto shots = joined({run_of(6, 0, 1), run_of(6, 0, 2)});
    for (Shot& own : shots) own.second = -1;
    write_card(scratch / "card", shots);
    OpenedCard card = open_card({scratch / "card"}, {});
    REQUIRE(counts(card.series) == std::vector<int>{6, 6});
    split_series(card.series, 0, 2);
    CHECK(counts(card.series) == std::vector<int>{2, 4, 6});
    CHECK(card.series[1].reason == "cut by hand");
    CHECK(card.series[2].name == "card 3");
    join_with_next(card.series, 1);
    CHECK(counts(card.series) == std::vector<int>{2, 10});
    CHECK(card.series[1].frames[9].path.filename() == "heath_0012.jpg");
    CHECK_THROWS_AS(split_series(card.series, 0, 0), BadParameter);
    CHECK_THROWS_AS(split_series(card.series, 0, 2), BadParameter);
    CHECK_THROWS_AS(join_with_next(card.series, 1), BadParameter);
}

TEST_CASE("what differs within a series is reported in words with the frames' numbers", "[card]") {
    const test::Scratch scratch;
    auto shots = run_of(10, 0, 1);
    for (const std::size_t i : {std::size_t(1), std::size_t(4), std::size_t(5), std::size_t(6)})
        shots[i].data.exposure_s = 1 / 60.0;
    shots[8].data.iso = 400;
    write_card(scratch / "series", shots);
    const Series series = open_series({scratch / "series"}, {}).series;
    std::vector<std::string> colours(10, "sRGB");
    colours[2] = "wide gamut";
    const auto told = mixed_settings(series, colours);
    CHECK(told == std::vector<std::string>{
                      "Exposure times differ: 1/60 s in frames 2 and 5 to 7, 1/125 s in the other 6.",
                      "ISO speeds differ: ISO 400 in frame 9, ISO 100 in the other 9.",
                      "Colour profiles differ: wide gamut in frame 3, sRGB in the other 9."});
    CHECK(mixed_settings(open_series({scratch / "series/heath_0001.jpg"}, {}).series, {}).empty());
}

TEST_CASE("frames whose orientation was noted at random are laid as most are", "[series]") {
    const test::Scratch scratch;
    for (int i = 0; i < 5; ++i) {
        ShootingData data;
        data.exif = exif_block(data, 240);
        const auto file = scratch / ("f" + std::to_string(i) + ".jpg");
        write_picture(file, test::colourful({240, 160}, 8, false), data, {FileFormat::jpeg, 8, 90, true, {}},
                      {});
        // Debian's libimage-exiftool-perl writes the tag: our own writer lays pictures upright.
        if (i == 2)
            REQUIRE(test::run("exiftool -q -overwrite_original -n -Orientation=6 " + file.string()).code ==
                    0);
    }
    const OpenedSeries opened = open_series({scratch.folder()}, {});
    REQUIRE(opened.series.count() == 5);
    CHECK(opened.problems.empty());
    REQUIRE(opened.notes.size() == 1);
    CHECK_THAT(opened.notes[0], Catch::Contains("1 of 5 frames say that the camera was turned"));
    const Frame& odd = opened.series.frames[2];
    CHECK(read_picture(odd.path, odd.development).pixels.size() == cv::Size(240, 160));
}
