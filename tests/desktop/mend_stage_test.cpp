// Painting from another result, and what becomes of strokes afterwards.
#include <QComboBox>
#include <QListWidget>
#include <QPushButton>

#include "desktop/view/main_window.h"
#include "desktop/view/picture_view.h"
#include "tests/desktop/strips.h"

using namespace moorhaze;
using namespace moorhaze::desktop;
using test::wait_until;

namespace {

/// A window with two results of the strips, the depth map shown in Mend.
struct MendWindow {
    MainWindow main;
    Session& session = main.session();
    ResultId woven{}, depth{};

    MendWindow() {
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
    REQUIRE(sources.count() == 2);  // a frame, and the other result; not the one shown
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
    auto& list = own.find<QListWidget>("strokeList");
    REQUIRE(list.count() == 2);
    CHECK(list.item(0)->text().contains("frame 6"));
    CHECK(list.item(1)->text().contains("frame 1"));

    list.item(1)->setCheckState(Qt::Unchecked);  // the older one
    own.settle();
    CHECK(own.strokes()[0].is_off);
    const cv::Rect upper(0, 0, 200, 70), lower(0, 70, 200, 60);
    CHECK(cv::norm(own.mended()(upper), plain(upper), cv::NORM_INF) == 0);
    CHECK(cv::norm(own.mended()(lower), both(lower), cv::NORM_INF) == 0);
    list.item(1)->setCheckState(Qt::Checked);
    own.settle();
    CHECK(cv::norm(own.mended(), both, cv::NORM_INF) == 0);

    list.setCurrentRow(1);
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
