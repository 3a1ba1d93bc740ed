// Heights in the window: the key that leaves them out, and the parts that stay flat.
#include <QComboBox>
#include <QTreeWidget>

#include "hands.h"
#include "nodes/slot_names.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
size_t standing_out(app::MainWindow& w) {
    const auto wanted = w.bench().snapshot();
    wait_until([&] { return w.bench().image() && w.bench().image()->request.scene == wanted; });
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
