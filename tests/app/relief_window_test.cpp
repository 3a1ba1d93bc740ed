// Heights in the window: the key that leaves them out, and the parts that stay flat.
#include <QAbstractButton>
#include <QComboBox>
#include <QLabel>
#include <QTreeWidget>

#include "app/detail/height_plot.h"
#include "hands.h"
#include "nodes/slot_names.h"
#include "texture/write_image.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
size_t standing_out(app::MainWindow& w) {
    const auto wanted = w.bench().snapshot();
    wait_until([&] {  // what is opened shows its bare forms first
        const auto image = w.bench().image();
        return image && image->request.scene == wanted && !image->prepared->scene->build_ups.empty();
    });
    const auto image = w.bench().image();
    size_t n = 0;
    for (const auto& i : image->prepared->geometry->instances()) n += i.shape->stands_out();
    return n;
}
}  // namespace

TEST_CASE("heights move the form in the window; one key leaves them out, a tick keeps a part flat") {
    Hands t;
    const size_t before = standing_out(t.w);
    const std::string part = "plug";
    t.bench.select_part(part);
    REQUIRE(scene::find(t.bench.scene().parts, part));
    const std::string worn = scene::find(t.bench.scene().parts, part)->build_up;
    t.bench.edit("Height", [&](scene::Scene& s) {
        scene::Layer& base = scene::find(s.build_ups, worn)->layers[0];
        base.surface[nodes::slot::height] = {scene::Value{1.f}, {}};
        base.surface[nodes::slot::height_scale] = {scene::Value{.001f}, {}};
    });
    CHECK(standing_out(t.w) == before + 1);
    t.key(Qt::Key_E);
    CHECK(t.bench.showing().live().relief == render::Relief::off);
    CHECK(wait_until([&] {
        const auto image = t.bench.image();
        return image && image->request.relief == render::Relief::off && image->complete;
    }));
    CHECK(standing_out(t.w) == 0);
    t.key(Qt::Key_E);
    CHECK(wait_until([&] { return t.bench.image()->request.relief == render::Relief::full; }));
    CHECK(standing_out(t.w) == before + 1);
    bool found = false;
    for (QTreeWidget* tree : t.w.findChildren<QTreeWidget*>())
        for (int i = 0; i < tree->topLevelItemCount(); ++i) {
            QTreeWidgetItem* item = tree->topLevelItem(i);
            if (tree->headerItem()->text(4) != "Relief" || item->data(0, Qt::UserRole).toString() != "plug") continue;
            CHECK(item->checkState(4) == Qt::Checked);
            item->setCheckState(4, Qt::Unchecked);
            found = true;
            break;
        }
    REQUIRE(found);
    CHECK(wait_until([&] { return scene::find(t.bench.scene().parts, part)->flat; }, 5));
    CHECK(standing_out(t.w) == before);
    t.bench.undo();
    CHECK_FALSE(scene::find(t.bench.scene().parts, part)->flat);
}

TEST_CASE("a height map's plot stands beside its slot, and its range is taken in one step") {
    Scratch files;
    Hands t;
    const std::string part = "plug";
    t.bench.select_part(part);
    const std::string worn = scene::find(t.bench.scene().parts, part)->build_up;
    std::vector<uint16_t> texels;
    for (int y = 0; y < 64; ++y)
        for (int x = 0; x < 64; ++x)
            texels.push_back(uint16_t(65535.f * (y < 40 ? .375f : .375f + .25f * float(x) / 63.f)));
    REQUIRE(texture::write_image(files.path / "dents.tif", OIIO::ImageSpec(64, 64, 1, OIIO::TypeDesc::UINT16),
                                 OIIO::TypeDesc::UINT16, texels.data()));
    t.bench.edit("Height", [&](scene::Scene& s) {
        scene::Layer& base = scene::find(s.build_ups, worn)->layers[0];
        base.nodes.push_back({.id = "dents",
                              .kind = "image",
                              .type = "float",
                              .name = "dents",
                              .inputs = {{"file", {scene::Value{(files.path / "dents.tif").string()}, {}}}}});
        base.surface[nodes::slot::height] = {scene::Value{.5f}, "dents"};
        base.surface[nodes::slot::height_scale] = {scene::Value{.001f}, {}};
    });
    const std::string layer = scene::find(t.bench.scene().build_ups, worn)->layers[0].id;
    t.bench.select_layer(layer);
    REQUIRE(wait_until([&] { return t.bench.height_source(layer) != nullptr; }));
    auto* words = t.w.findChild<QLabel*>("height-words");
    REQUIRE(words);
    CHECK(wait_until([&] { return words->text().contains("16 bits"); }));
    CHECK(t.w.findChild<app::HeightPlot*>("height-plot"));
    for (QAbstractButton* b : t.w.findChildren<QAbstractButton*>())
        if (b->text() == "Take the map's range") b->click();
    const scene::Layer& base = scene::find(t.bench.scene().build_ups, worn)->layers[0];
    CHECK(scene::as_number(base.surface.at(nodes::slot::height_low).value) == Approx(.375f).margin(1e-3));
    CHECK(scene::as_number(base.surface.at(nodes::slot::height_high).value) == Approx(.625f).margin(2e-3));
    t.bench.undo();
    CHECK_FALSE(scene::find(t.bench.scene().build_ups, worn)->layers[0].surface.contains(nodes::slot::height_low));
}

TEST_CASE("a tick in the list of parts rounds one, and the picture has it") {
    Hands t;
    const size_t before = standing_out(t.w);
    bool found = false;
    for (QTreeWidget* tree : t.w.findChildren<QTreeWidget*>())
        for (int i = 0; i < tree->topLevelItemCount(); ++i) {
            QTreeWidgetItem* item = tree->topLevelItem(i);
            if (tree->headerItem()->text(6) != "Round" || item->data(0, Qt::UserRole).toString() != "plug") continue;
            CHECK(item->checkState(6) == Qt::Unchecked);
            item->setCheckState(6, Qt::Checked);
            found = true;
            break;
        }
    REQUIRE(found);
    CHECK(wait_until([&] { return scene::find(t.bench.scene().parts, "plug")->round; }, 5));
    CHECK(standing_out(t.w) == before + 1);
    t.bench.undo();
    CHECK_FALSE(scene::find(t.bench.scene().parts, "plug")->round);
}
