// The settings of what is selected: a layer (amount, gate, surface) or a node (its ports, in the order of its
// description).
#pragma once
#include <QScrollArea>
#include <utility>

#include "app/workbench.h"

namespace vemtra::app {

class Form;
class LevelsPlot;

class DetailPanel : public QScrollArea {
    Q_OBJECT
public:
    explicit DetailPanel(Workbench& bench, QWidget* parent = nullptr);
    /// Of what is selected now.
    Form* form() {
        now();
        return form_;
    }
    /// After a selection the rows come when the board has shown it: so neither holds the window for long. Now they are
    /// to be there.
    void now() {
        if (std::exchange(waits_, false)) refresh();
    }

private:
    void wait();
    void add_filter();
    QString filter_;
    bool waits_ = false;    ///< something else has been selected, whose rows are not there yet
    bool filters_ = false;  ///< the form has the line that filters it
    void rebuild();
    void refresh();
    void build_layer(const scene::Layer& layer);
    void build_made_of(const scene::Layer& layer);
    void build_slots(const scene::Layer& layer);
    void add_height_source(const std::string& of_layer);
    void build();
    void build_node(const scene::Node& node);
    void add_type(std::shared_ptr<const nodes::NodeDescription> d, const std::string& build_up, const std::string& id);
    void add_levels(const std::string& build_up, const std::string& id);
    void add_states(const std::string& node);
    std::string shape() const;  ///< what the rows depend on; a change needs new rows
    Workbench& bench_;
    Form* form_ = nullptr;
    LevelsPlot* plot_ = nullptr;
    std::string shape_;
};

}  // namespace vemtra::app
