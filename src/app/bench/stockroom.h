// The stock of ready surfaces and masks as the window uses it: taken onto layers and parts, and what the artist keeps.
#pragma once
#include "scene/stock.h"

namespace vemtra::render {
struct Prepared;
}

namespace vemtra::app {

class Workbench;

class Stockroom {
public:
    explicit Stockroom(Workbench& bench);

    const scene::Stock& stock() const { return stock_; }
    void apply_stock(const std::string& id);                               ///< onto the selected layer
    void apply_stock_to(const std::string& id, const std::string& layer);  ///< onto that layer of the selected build-up
    void add_stock_layer(const std::string& id);                           ///< above the selected layer
    void wear_stock(const std::string& id, const std::string& part);       ///< a new build-up of it alone, for the part
    /// How large what wears the shown build-up is, metres; 1 before the first picture.
    float size_of_asset() const;
    /// The same to what its masks measure by: see review::mask_size.
    float size_for_masks() const;

    void keep_own_stock(const std::string& name);  ///< the selected layer's surface
    void keep_own_mask(const std::string& name);   ///< what opens the selected layer's gate
    void rename_own_stock(const std::string& id, const std::string& family, const std::string& name);
    void remove_own_stock(const std::string& id);

private:
    void write_own_stock();
    void keep(scene::StockItem item, const std::string& stem);
    scene::StockItem fitted_stock(const scene::StockItem& item) const;
    float measured(float (*size)(const render::Prepared&, int build_up)) const;

    Workbench& bench_;
    scene::Stock stock_;
};

}  // namespace vemtra::app
