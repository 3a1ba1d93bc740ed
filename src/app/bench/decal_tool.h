// Decals in the artist's hand: sticking them on with one drag, and moving, turning, scaling and repeating the pins of
// the selected layer.
#pragma once
#include <QObject>
#include <QPointF>
#include <QSize>

#include "app/workbench.h"

namespace vemtra::app {

class DecalTool : public QObject {
    Q_OBJECT
public:
    explicit DecalTool(Workbench& bench);

    /// The next drag on the asset sticks a decal on: another pin of the selected layer where it is a decal, else a new
    /// layer above it; of a picture, where one is given.
    void begin(const fs::path& picture = {});
    /// Likewise, a new layer of words in ink.
    void begin_lettering(const std::string& words);
    /// Where a node sets words for a decal's layer: the frames take the shape of the words, as high as they were.
    static void fit_to_words(scene::Scene& scene, const std::string& build_up, const std::string& node);
    void leave();
    bool placing() const { return placing_; }
    void press(const SurfaceSpot& spot, const QPointF& at, const QSize& view);
    void drag(const QPointF& to, const QSize& view, bool turns);
    void release();

    /// Of the selected layer; null where it is no decal.
    const scene::Decal* decal() const;
    int pin() const;  ///< index of the one that is worked on; -1: none
    void select_pin(int index);
    const scene::Pin* shown() const;
    void change(const std::string& label, const std::function<void(scene::Pin&)>& f, const std::string& merge_key = {});
    void change_decal(const std::string& label, const std::function<void(scene::Decal&)>& f);
    /// It sticks to the surface there.
    void move_to(const SurfaceSpot& spot);
    /// How far it is through the part under the pin, halved: the radius of a pole.
    float radius_of_pole() const;
    void lie(scene::Lies lies);
    /// Where places of the pin's frame, metres across and up from its middle, lie on the form that it is wrapped over,
    /// in the part's own space; nothing where the form does not reach them.
    std::vector<std::optional<V3f>> on_wrap(const scene::Pin& pin, const std::vector<V2f>& places) const;
    /// More pins beside this one, each stuck to the surface: a step of its width along x, or round the part's upright
    /// axis.
    void add_row(int count);
    void add_ring(int count);
    void remove_pin();

Q_SIGNALS:
    void tool_changed();

private:
    /// Onto the surface that lies nearest along its axis; as it is where there is none.
    scene::Pin stuck(scene::Pin pin) const;
    std::optional<geometry::Place> below(const scene::Pin& pin, float back, float reach, float* distance) const;

    Workbench& bench_;
    bool placing_ = false, down_ = false;
    fs::path picture_;
    std::string words_;
    float aspect_ = 1.f;
    QPointF pressed_;
    V3f pressed_world_{0.f};
    std::string layer_;  ///< whose pin `pin_` is
    int pin_ = 0;
};

}  // namespace vemtra::app
