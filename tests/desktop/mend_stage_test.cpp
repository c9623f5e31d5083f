// SPDX-License-Identifier: GPL-3.0-or-later
// Painting from another result, and what becomes of strokes afterwards.
#include <QCheckBox>
#include <QComboBox>
#include <QPushButton>
#include <QSpinBox>

#include "core/files/picture_file.h"
#include "core/project/result_files.h"
#include "desktop/view/depth_line.h"
#include "desktop/view/main_window.h"
#include "desktop/view/picture_view.h"
#include "tests/desktop/acting.h"
#include "tests/desktop/strips.h"
#include "tests/support/scratch.h"
#include "tests/support/textured.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::wait_until;

namespace {

/// A window with two results of the strips, the depth map shown in Mend.
struct MendWindow {
    MainWindow main;
    Session& session = main.session();
    ResultId woven{}, depth{};
    QString said;  ///< the last notice

    /// @param unsaved  where its project is kept; nowhere if empty.
    explicit MendWindow(const std::filesystem::path& unsaved = {}) {
        session.autosave.set_folder(unsaved);
        QObject::connect(&session.notices, &Notices::notified, &main,
                         [this](const QString& text) { said = text; });
        main.resize(1280, 800);
        main.show();
        main.open_paths({QString::fromStdString(test::StripSession::files().folder().string())});
        wait_until([&] { return session.looking.is_done() && main.is_settled(); });
        merge("woven");
        woven = session.standpoint.result()->id;
        merge("depth");
        depth = session.standpoint.result()->id;
        session.standpoint.set_stage(Stage::mend);
        Brush brush = session.standpoint.brush();
        brush.flow = 1;
        brush.softness = 0;
        session.standpoint.set_brush(brush);
        settle();
    }
    void settle() {
        wait_until([&] { return main.is_settled(); });
    }
    void merge(const char* method) {
        MergeChoice choice = session.document.project().merge;
        choice.method = method;
        session.merging.set_choice(choice, "method");
        const int before = session.document.project().results.size();
        session.merging.merge();
        wait_until([&] { return session.document.project().results.size() > before && main.is_settled(); });
    }
    void click(QPointF place) {
        PictureView& view = main.picture_view();
        QTest::mouseClick(&view, Qt::LeftButton, {}, view.to_widget(place).toPoint());
        settle();
    }
    void drag(const QList<QPointF>& places) {
        PictureView& view = main.picture_view();
        const auto at = [&](int i) { return view.to_widget(places[i]).toPoint(); };
        QTest::mousePress(&view, Qt::LeftButton, {}, at(0));
        for (int i = 1; i < places.size(); ++i) QTest::mouseMove(&view, at(i));
        QTest::mouseRelease(&view, Qt::LeftButton, {}, at(int(places.size()) - 1));
        settle();
    }
    void press(Qt::Key key) { QTest::keyClick(&main, key); }
    const SharedList<Stroke>& strokes() { return session.standpoint.result()->strokes; }
    cv::Mat mended() { return test::mended_shown(session).pixels; }
    template <class Widget>
    Widget& find(const char* name) {
        auto* widget = main.findChild<Widget*>(QLatin1String(name));
        REQUIRE(widget);
        return *widget;
    }
};

}  // namespace

TEST_CASE("another result is picked as the source, seen in its place, and painted from", "[mend][window]") {
    MendWindow own;
    auto& sources = own.find<QComboBox>("source");
    REQUIRE(sources.count() == 3);  // a frame, the other result, not the one shown, and one from outside
    CHECK(sources.itemText(1).toStdString() == find_result(own.session.document.project(), own.woven)->title);
    sources.setCurrentIndex(1);
    emit sources.activated(1);
    CHECK(own.session.standpoint.source_result() == own.woven);
    const Shown shown = shown_of(own.session.document, own.session.standpoint, own.session.products, {});
    CHECK(shown.other == ShownPicture(ResultPicture{own.woven}));
    const cv::Mat before = own.mended();
    own.click({120, 70});
    REQUIRE(own.strokes().size() == 1);
    CHECK(own.strokes()[0].source == StrokeSource(own.woven));
    // In the middle of the stroke is the woven merge, outside the depth map.
    const cv::Mat after = own.mended();
    const MergeResult& woven = *own.session.products.merge(own.woven)->result;
    const MergeResult& depth = *own.session.products.merge(own.depth)->result;
    const cv::Rect inside(116, 66, 8, 8);
    CHECK(cv::norm(after(inside - depth.area.tl()), woven.picture.pixels(inside - woven.area.tl()),
                   cv::NORM_INF) <= 2);
    const cv::Rect outside(20, 20, 40, 40);
    CHECK(cv::norm(after(outside), before(outside), cv::NORM_INF) == 0);
    // What others were painted from is not dropped.
    own.session.merging.drop(own.woven);
    CHECK(find_result(own.session.document.project(), own.woven));
    // A frame is picked again as ever.
    own.session.pointing.pick(own.session.document.id_at(2));
    CHECK_FALSE(own.session.standpoint.source_result());
    CHECK(own.session.standpoint.source() == own.session.document.id_at(2));
}

TEST_CASE("a picture from outside is laid over the merge, painted from, and kept with the project",
          "[mend][window]") {
    const test::Scratch scratch;
    MendWindow own(scratch / "unsaved");
    Session& session = own.session;
    // The depth map after another program's hand: the lower half in negative.
    Picture outside = session.products.merge(own.depth)->result->picture;
    outside.pixels = outside.pixels.clone();
    cv::Mat lower = outside.pixels.rowRange(outside.height() * 3 / 4, outside.height());
    lower = cv::Scalar::all(65535) - lower;
    const auto file = scratch / "smoothed.tif";
    write_picture(file, outside, {}, {}, {});
    auto& sources = own.find<QComboBox>("source");
    CHECK(sources.itemText(sources.count() - 1).toStdString() == "A picture from outside...");
    session.bring_in.bring_in(QString::fromStdString(file.string()));
    wait_until([&] { return test::results(session).size() == 3 && own.main.is_settled(); });
    const ProjectResult brought = test::results(session)[2];
    CHECK(brought.title == "smoothed");
    CHECK(brought.made_from.brought_in == "smoothed.tif");
    CHECK(session.standpoint.source_result() == brought.id);
    CHECK(session.standpoint.result()->id == own.depth);  // what is worked on stays
    CHECK_FALSE(brought.would_be_missed());
    CHECK_FALSE(session.products.is_current(brought));
    CHECK(sources.currentText().toStdString() == "smoothed");
    const MergeResult& laid = *session.products.merge(brought.id)->result;
    CHECK(cv::norm(laid.picture.pixels, outside.pixels, cv::NORM_INF) == 0);
    const int y = outside.height() - 12;
    own.click({120, double(y)});
    REQUIRE(own.strokes().size() == 1);
    const cv::Rect inside(118, y - 2, 4, 4);
    CHECK(cv::norm(own.mended()(inside), outside.pixels(inside), cv::NORM_INF) <= 2);
    // Its pixels are the project's own from then on.
    std::filesystem::remove(file);
    wait_until([&] {
        return session.autosave.is_settled() && session.autosave.keeper() &&
               session.autosave.keeper()->is_saved();
    });
    const StoredResult stored = read_result(session.autosave.keeper()->file().parent_path(), brought, {});
    CHECK(cv::norm(stored.result.picture.pixels, outside.pixels, cv::NORM_INF) == 0);

    // What shows something else is not taken, and said with its name.
    const auto other = scratch / "other.png";
    const test::Texture texture(77);
    write_picture(other, test::picture_from({200, 120}, [&](int x, int row) { return texture.at(x, row); }),
                  {}, {}, {});
    session.bring_in.bring_in(QString::fromStdString(other.string()));
    wait_until([&] { return own.said.contains(QLatin1String("does not show")); });
    CHECK(own.said.contains(QLatin1String("other.png")));
    CHECK(test::results(session).size() == 3);
}

TEST_CASE("a fade through the frames between passes as a lens leaves its focus", "[mend][window]") {
    MendWindow own;
    Session& session = own.session;
    session.pointing.pick(session.document.id_at(4));
    own.press(Qt::Key_F);
    auto& through = own.find<QCheckBox>("fadeThrough");
    CHECK(through.isVisible());
    CHECK_FALSE(own.find<QCheckBox>("matchTone").isVisible());
    through.click();
    const MergeResult& merge = test::merge_shown(session);
    const int first = int(std::lround(merge.depth(60, 20)));
    own.drag({{20, 60}, {100, 60}, {200, 60}});
    REQUIRE(own.strokes().size() == 1);
    const Stroke fade = own.strokes()[0];
    const auto& frames = std::get<FadeAcross>(fade.shape).through;
    REQUIRE(int(frames.size()) == std::abs(5 - first));
    CHECK(frames.front() == session.document.id_at(first - 1));
    CHECK_THAT(session.document.history().undo_words(), Catch::Contains("through"));
    // Where a frame is reached, the picture is that frame.
    const auto source = session.products.sources()->of(session.products.merge(own.depth)->plane);
    const cv::Mat mended = own.mended();
    const double steps = double(frames.size()) + 1;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        const int x = int(std::lround(20 + 180 * double(i + 1) / steps));
        const PixelRect at(x, 40, 1, 30);
        const LinearFrame frame = source->load(*source->index_of(frames[i]), at, {});
        CHECK(cv::norm(mended(at - merge.area.tl()),
                       picture_of(frame, source->curve(), source->profile()).pixels, cv::NORM_INF) < 1500);
    }
    // Painted again while another result is the source and the brush heals: it keeps its frame and its way.
    session.standpoint.set_source_result(own.woven);
    session.standpoint.set_tool(MendTool::heal);
    session.stroke_edits.paint_stroke_as_brush(0);
    own.settle();
    CHECK(own.strokes()[0].source == fade.source);
    CHECK(std::get<FadeAcross>(own.strokes()[0].shape).through == std::get<FadeAcross>(fade.shape).through);
    session.standpoint.set_tool(MendTool::fade);
    // Another result has no frames on the way.
    session.standpoint.set_source_result(own.woven);
    own.drag({{20, 60}, {200, 60}});
    CHECK(own.said.contains(QLatin1String("Through the frames between")));
    CHECK(own.strokes().size() == 1);
}

TEST_CASE("stepping in Mend takes the next frame as the source, seen in its place while V is held",
          "[mend][window]") {
    MendWindow own;
    Session& session = own.session;
    session.pointing.pick(session.document.id_at(2));
    QTest::keyClick(&own.main, Qt::Key_PageUp);
    CHECK(session.standpoint.source() == session.document.id_at(3));
    CHECK(session.standpoint.place() == 3);
    own.settle();
    PictureView& view = own.main.picture_view();
    const QImage merge = view.grab().toImage();
    QTest::keyPress(&own.main, Qt::Key_V);
    CHECK(view.is_flipped());
    const QImage third = view.grab().toImage();
    CHECK(third != merge);
    QTest::keyClick(&own.main, Qt::Key_PageDown);
    QTest::keyClick(&own.main, Qt::Key_PageDown);
    own.settle();
    CHECK(session.standpoint.source() == session.document.id_at(1));
    CHECK(view.grab().toImage() != third);
    QTest::keyRelease(&own.main, Qt::Key_V);
    CHECK(view.grab().toImage() == merge);
    // At the ends it stays; in Cull no source is touched.
    for (int i = 0; i < 4; ++i) QTest::keyClick(&own.main, Qt::Key_PageDown);
    CHECK(session.standpoint.source() == session.document.id_at(0));
    session.standpoint.set_stage(Stage::cull);
    QTest::keyClick(&own.main, Qt::Key_PageUp);
    CHECK(session.standpoint.source() == session.document.id_at(0));
    CHECK(session.standpoint.place() == 1);
}

TEST_CASE("strokes are listed, switched off, changed and deleted in any order, and all of it is undone",
          "[mend][window]") {
    MendWindow own;
    own.session.pointing.pick(own.session.document.id_at(0));
    const cv::Mat plain = own.mended();
    own.click({100, 40});
    const cv::Mat first = own.mended();
    own.session.pointing.pick(own.session.document.id_at(5));
    own.click({100, 100});
    const cv::Mat both = own.mended();
    REQUIRE(cv::norm(plain, first, cv::NORM_INF) > 0);
    REQUIRE(cv::norm(first, both, cv::NORM_INF) > 0);
    own.find<QPushButton>("mendPage1").click();
    auto& list = own.find<RowList>("strokeList");
    REQUIRE(list.count() == 2);
    CHECK(list.row(0).words.contains("frame 6"));
    CHECK(list.row(1).words.contains("frame 1"));

    test::tick(list, 1, false);  // the older one
    own.settle();
    CHECK(own.strokes()[0].is_off);
    const cv::Rect upper(0, 0, 200, 70), lower(0, 70, 200, 60);
    CHECK(cv::norm(own.mended()(upper), plain(upper), cv::NORM_INF) == 0);
    CHECK(cv::norm(own.mended()(lower), both(lower), cv::NORM_INF) == 0);
    test::tick(list, 1, true);
    own.settle();
    CHECK(cv::norm(own.mended(), both, cv::NORM_INF) == 0);

    list.setCurrentIndex(list.model()->index(1, 0));
    own.find<QPushButton>("strokeAsBrush").click();  // now from frame 6, too
    own.settle();
    CHECK(own.strokes()[0].source == StrokeSource(own.session.document.id_at(5)));
    CHECK(cv::norm(own.mended()(upper), both(upper), cv::NORM_INF) > 0);
    own.find<QPushButton>("deleteStroke").click();
    own.settle();
    REQUIRE(own.strokes().size() == 1);
    CHECK(cv::norm(own.mended()(upper), plain(upper), cv::NORM_INF) == 0);
    for (int i = 0; i < 4; ++i) own.session.document.undo();
    own.settle();
    CHECK(own.strokes().size() == 2);
    CHECK(cv::norm(own.mended(), both, cv::NORM_INF) == 0);
}

TEST_CASE("a fade leads from the picture to the source along the line that is dragged", "[mend][window]") {
    MendWindow own;
    own.session.pointing.pick(own.session.document.id_at(0));
    const cv::Mat before = own.mended();
    own.press(Qt::Key_F);
    const QPointF from(90, 60), to(150, 60);
    PictureView& view = own.main.picture_view();
    QTest::mousePress(&view, Qt::LeftButton, {}, view.to_widget(from).toPoint());
    QTest::mouseMove(&view, view.to_widget(to).toPoint());
    CHECK(own.session.brushwork.guide().size() == 2);  // it is seen while it is dragged
    CHECK(own.strokes().empty());
    QTest::mouseRelease(&view, Qt::LeftButton, {}, view.to_widget(to).toPoint());
    own.settle();
    REQUIRE(own.strokes().size() == 1);
    CHECK(own.session.brushwork.guide().isEmpty());
    const cv::Mat after = own.mended();
    const cv::Point corner = own.session.products.merge(own.depth)->result->area.tl();
    const cv::Rect kept(cv::Point(40, 20) - corner, cv::Size(40, 80));
    CHECK(cv::norm(after(kept), before(kept), cv::NORM_INF) == 0);
    // Beyond its end all is frame 1: painted there with full flow nothing changes any more.
    own.press(Qt::Key_B);
    own.click({180, 60});
    const cv::Rect beyond(cv::Point(172, 52) - corner, cv::Size(16, 16));
    CHECK(cv::norm(own.mended()(beyond), after(beyond), cv::NORM_INF) <= 1);
    CHECK(cv::norm(after(beyond), before(beyond), cv::NORM_INF) > 100);
    // Without a line there is no fade, and it is said.
    own.press(Qt::Key_F);
    own.click({100, 60});
    CHECK(own.strokes().size() == 2);
    CHECK(own.said.contains("Drag"));
}

TEST_CASE("a place is copied from where J was pressed, and later strokes keep the distance",
          "[mend][window]") {
    MendWindow own;
    PictureView& view = own.main.picture_view();
    own.session.standpoint.set_tool(MendTool::copy);
    own.click({60, 60});
    CHECK(own.strokes().empty());  // nothing to copy from yet
    CHECK(own.said.contains("J"));
    const cv::Mat before = own.mended();
    QTest::mouseMove(&view, view.to_widget({150, 90}).toPoint());
    own.press(Qt::Key_J);
    own.click({60, 60});
    own.click({60, 100});
    REQUIRE(own.strokes().size() == 2);
    const auto first = std::get<FromPlace>(own.strokes()[0].source);
    CHECK(std::abs(first.dx_px - 90) <= 1);
    CHECK(std::abs(first.dy_px - 30) <= 1);
    CHECK(own.strokes()[1].source == own.strokes()[0].source);
    const cv::Point corner = own.session.products.merge(own.depth)->result->area.tl();
    const cv::Rect here(cv::Point(54, 54) - corner, cv::Size(12, 12));
    const cv::Rect there = here + cv::Point(first.dx_px, first.dy_px);
    CHECK(cv::norm(own.mended()(here), before(there), cv::NORM_INF) <= 1);
}

TEST_CASE("healing and taking the thing are made beside the interface out of what was painted over",
          "[mend][window]") {
    MendWindow own;
    Session& session = own.session;
    own.press(Qt::Key_H);
    Brush brush = session.standpoint.brush();
    brush.radius_px = 8;
    session.standpoint.set_brush(brush);
    const cv::Mat before = own.mended();
    own.drag({{100, 60}, {104, 60}});
    REQUIRE(own.strokes().size() == 1);
    CHECK(std::holds_alternative<FromPlace>(own.strokes()[0].source));
    CHECK(own.strokes()[0].match_tone);
    const cv::Point corner = session.products.merge(own.depth)->result->area.tl();
    const cv::Rect healed(cv::Point(96, 56) - corner, cv::Size(10, 8));
    CHECK(cv::norm(own.mended()(healed), before(healed), cv::NORM_INF) > 50);

    own.press(Qt::Key_W);
    session.pointing.pick(session.document.id_at(1));
    own.drag({{60, 40}, {80, 60}});
    REQUIRE(own.strokes().size() == 2);
    const Stroke& taken = own.strokes()[1];
    CHECK(std::holds_alternative<WithinOutline>(taken.shape));
    CHECK(taken.source == StrokeSource(session.document.id_at(1)));
    CHECK(taken.points.empty());
    // It holds the scribble.
    CHECK(painted_on({taken}, {70, 50, 1, 1}, {}, {}).share(0, 0) > 0.9);
    CHECK_FALSE(session.standpoint.is_drawing());
}

TEST_CASE("a fill brings the source to all places of a range of depth, and follows a new choice",
          "[mend][window]") {
    MendWindow own;
    Session& session = own.session;
    session.pointing.pick(session.document.id_at(5));
    own.find<QPushButton>("mendPage2").click();
    own.find<QSpinBox>("fillFrom").setValue(1);
    own.find<QSpinBox>("fillTo").setValue(2);
    const cv::Mat before = own.mended();
    test::click(&own.find<QPushButton>("fillDepths"));
    own.settle();
    REQUIRE(own.strokes().size() == 1);
    CHECK(std::get<WhereRule>(own.strokes()[0].shape).kind == WhereRule::Kind::depth_between);
    const MergeResult& merge = *session.products.merge(own.depth)->result;
    const cv::Mat after = own.mended();
    int wrong = 0, filled = 0;
    for (int y = 0; y < after.rows; ++y)
        for (int x = 0; x < after.cols; ++x) {
            const float depth = merge.depth(y, x);
            const bool changed = after.at<cv::Vec3w>(y, x) != before.at<cv::Vec3w>(y, x);
            // The rim is as soft as the brush: hard here, but for places that are alike in both.
            if (changed && depth > 2.5f) ++wrong;
            filled += changed;
        }
    CHECK(wrong == 0);
    CHECK(filled > after.rows * after.cols / 20);
    session.standpoint.set_place(4);
    test::click(&own.find<QPushButton>("fillFrame"));
    own.settle();
    CHECK(std::get<WhereRule>(own.strokes()[1].shape).frame == session.document.id_at(4));
    session.document.undo();
    session.document.undo();
    own.settle();
    CHECK(cv::norm(own.mended(), before, cv::NORM_INF) == 0);
}

TEST_CASE("what was painted is seen over the picture and follows new strokes", "[mend][window]") {
    MendWindow own;
    Session& session = own.session;
    session.pointing.pick(session.document.id_at(5));
    PictureView& view = own.main.picture_view();
    const QImage plain = view.grab().toImage();
    own.press(Qt::Key_U);
    own.settle();
    const QImage none = view.grab().toImage();
    CHECK(none != plain);  // grey
    own.click({100, 60});
    wait_until([&] { return session.result_look.is_settled(); });
    const QImage painted = view.grab().toImage();
    const QPoint inside = view.to_widget({100, 60}).toPoint(), outside = view.to_widget({160, 100}).toPoint();
    // QWidget::grab() of the view counts in device pixels, which are logical ones here.
    CHECK(QColor(painted.pixel(inside)).saturation() > 40);
    CHECK(QColor(painted.pixel(outside)).saturation() < 8);
    own.press(Qt::Key_U);
    own.settle();
    CHECK_FALSE(session.result_look.shown());
    // The depth line tells which frames were painted from, in Mend only.
    DepthLine& line = own.main.depth_line();
    CHECK(line.describe(5).contains("1 stroke from it"));
    CHECK_FALSE(line.describe(4).contains("stroke"));
    session.document.undo();
    own.settle();
    CHECK_FALSE(line.describe(5).contains("stroke"));
    session.document.redo();
    session.standpoint.set_stage(Stage::cull);
    CHECK_FALSE(line.describe(5).contains("stroke"));
}

TEST_CASE("after merging anew the strokes are taken over in one step", "[mend][window]") {
    MendWindow own;
    Session& session = own.session;
    session.pointing.pick(session.document.id_at(0));
    own.click({100, 40});
    const SharedList<Stroke> painted = own.strokes();
    REQUIRE(painted.size() == 1);
    session.standpoint.set_result(own.woven);
    own.settle();
    own.find<QPushButton>("mendPage1").click();
    auto& take_over = own.find<QPushButton>("takeOverStrokes");
    CHECK(take_over.text().contains("1 stroke"));
    const cv::Mat before = own.mended();
    test::click(&take_over);
    own.settle();
    REQUIRE(own.strokes().size() == 1);
    CHECK(own.strokes()[0].source == painted[0].source);
    CHECK(own.strokes()[0].points[0].x_px == Approx(painted[0].points[0].x_px).margin(0.01));
    CHECK(cv::norm(own.mended(), before, cv::NORM_INF) > 100);
    CHECK_FALSE(take_over.isVisible());
    CHECK(find_result(session.document.project(), own.depth)->strokes == painted);
    session.document.undo();
    own.settle();
    CHECK(own.strokes().empty());
    CHECK(cv::norm(own.mended(), before, cv::NORM_INF) == 0);
}

TEST_CASE("size and softness of the brush go by keys, and by the pointer while Z is held", "[mend][window]") {
    MendWindow own;
    const auto brush = [&] { return own.session.standpoint.brush(); };
    const double size = brush().radius_px;
    own.press(Qt::Key_Period);
    CHECK(brush().radius_px == Approx(1.25 * size));
    own.press(Qt::Key_Comma);
    CHECK(brush().radius_px == Approx(size));
    own.press(Qt::Key_Greater);
    own.press(Qt::Key_Greater);
    CHECK(brush().softness == Approx(0.2));
    for (int i = 0; i < 4; ++i) own.press(Qt::Key_Less);
    CHECK(brush().softness == 0);
    PictureView& view = own.main.picture_view();
    view.setFocus();
    QTest::mouseMove(&view, QPoint(300, 300));
    QTest::keyPress(&view, Qt::Key_Z);
    QTest::mouseMove(&view, QPoint(420, 200));
    QTest::keyRelease(&view, Qt::Key_Z);
    CHECK(brush().radius_px == Approx(2 * size));
    CHECK(brush().softness == Approx(0.5));
    CHECK(own.strokes().empty());
}

TEST_CASE("strokes are listed with what is seen where they lie, and saved as a mask", "[mend][window]") {
    MendWindow own;
    own.session.exporter.save_mask(QStringLiteral("/nowhere/mask.png"));
    CHECK(own.said.contains("Nothing is painted yet"));
    own.session.pointing.pick(own.session.document.id_at(1));
    own.click({60, 70});
    own.session.pointing.pick(own.session.document.id_at(4));
    own.click({180, 40});
    auto& list = own.find<RowList>("strokeList");
    REQUIRE(list.count() == 2);
    const auto picture = [&](int row) { return list.row(row).picture.toImage(); };
    CHECK(list.iconSize().width() > 30);
    CHECK(picture(0) != picture(1));
    // At its left is the colour of what was brought, a nearer and a farther frame.
    CHECK(picture(0).pixel(1, 10) != picture(1).pixel(1, 10));
    // It follows what is painted over it later.
    const QImage before = picture(1);
    own.session.stroke_edits.set_stroke_off(0, true);
    own.settle();
    wait_until([&] { return picture(1) != before; });

    const test::Scratch scratch;
    const QString file = QString::fromStdString((scratch / "mask").string());
    own.session.exporter.save_mask(file);
    wait_until([&] { return own.main.is_settled() && own.said.contains("mask.png"); });
    const Picture mask = read_picture(scratch / "mask.png");
    const PixelRect area = own.session.products.merge(own.depth)->result->area;
    CHECK(mask.pixels.size() == area.size());
    const auto at = [&](int x, int y) { return mask.pixels.at<cv::Vec3b>(y - area.y, x - area.x)[1]; };
    CHECK(int(at(180, 40)) == 255);
    CHECK(int(at(60, 70)) == 0);  // switched off
    CHECK(int(at(120, 100)) == 0);
}

TEST_CASE("a sounding in Mend shows other results, too, and picks one by its digit", "[mend][window]") {
    MendWindow own;
    Session& session = own.session;
    PictureView& view = own.main.picture_view();
    QTest::mouseClick(&view, Qt::RightButton, {}, view.to_widget({120, 70}).toPoint());
    own.settle();
    REQUIRE(session.sounding.is_open());
    REQUIRE(session.sounding.results().size() == 1);
    const Sounding::ResultPatch& other = session.sounding.results()[0];
    CHECK(other.result == own.woven);
    REQUIRE_FALSE(other.image.isNull());
    // What is painted from it is what is shown there.
    const MergeResult& woven = *session.products.merge(own.woven)->result;
    const int side = session.sounding.patch_px();
    const cv::Point at = cv::Point(120, 70) - woven.area.tl();
    const auto expected = woven.picture.pixels.at<cv::Vec3w>(at.y, at.x);
    const QColor seen = other.image.pixelColor(side / 2, side / 2);
    CHECK(std::abs(seen.green() - expected[1] / 257.0) < 3);
    const int frames = int(session.sounding.patches().size());
    CHECK(frames + 1 <= Sounding::kPatches);
    QTest::keyClick(&own.main, Qt::Key(Qt::Key_0 + frames + 1));
    CHECK(session.standpoint.source_result() == own.woven);
    QTest::keyClick(&own.main, Qt::Key_1);
    CHECK_FALSE(session.standpoint.source_result());
    // Another result is shown: the one before can be painted from.
    session.standpoint.set_result(own.woven);
    own.settle();
    wait_until([&] { return session.sounding.is_settled(); });
    REQUIRE(session.sounding.is_open());
    REQUIRE(session.sounding.results().size() == 1);
    CHECK(session.sounding.results()[0].result == own.depth);
    CHECK_FALSE(session.sounding.results()[0].image.isNull());
    // In Merge there is nothing to paint.
    session.standpoint.set_stage(Stage::merge);
    QTest::mouseClick(&view, Qt::RightButton, {}, view.to_widget({120, 70}).toPoint());
    own.settle();
    CHECK(session.sounding.results().empty());
}
