// What every node of a build-up gives: values where the camera looks, and a small picture of the whole build-up.
#include "nodes/description.h"
#include "render/flat_points.h"
#include "review/over_points.h"
#include "review/visible.h"
#include "scene/edits.h"

namespace vemtra::review {
namespace {

/// A view of all parts that wear the build-up, for thumbnails.
class Framing {
public:
    Framing(const render::Prepared& p, size_t index, const std::vector<VisiblePoint>& seen,
            const std::vector<size_t>& seen_picks)
        : p_(p), index_(index), camera(p.camera) {
        scene::frame(camera, p.bounds_of(int(index)), float(thumbnail_width) / float(thumbnail_height));
        camera.position = camera.target + (camera.position - camera.target) *
                                              .78f;  // a thumbnail may crop the corners of the sphere around the box
        look();
        // Parts that are thin or far apart fill little of it: then one place of them is looked at from near.
        for (int nearer = 0; nearer < 3 && picks.size() < points.size() / 5 && !seen_picks.empty(); ++nearer) {
            const V3f at = p.geometry->at(seen[seen_picks[seen_picks.size() / 2]].at).position;
            const V3f away = camera.position - camera.target;
            camera.target = at;
            camera.position = at + away * (nearer ? .4f : .25f);
            look();
        }
    }

private:
    const render::Prepared& p_;
    size_t index_;

public:
    scene::Camera camera;
    std::vector<VisiblePoint> points;
    std::vector<size_t> picks;

private:
    void look() {
        points = render::visible_points(p_, camera, thumbnail_width, thumbnail_height);
        picks.clear();
        for (size_t i = 0; i < points.size(); ++i)
            if (points[i].hit && p_.build_up_of[points[i].at.instance] == int(index_)) picks.push_back(i);
    }
};

/// What a node of a decal gives over the frame of its first pin, as a picture of the frame.
void on_frame(const render::Prepared& p, int build_up, const scene::Decal& decal, const program::Program& program,
              NodeMeasure& m) {
    const scene::Pin& pin = decal.pins.front();
    int instance = pin.part.empty() ? -1 : p.instance_of(pin.part);
    for (size_t i = 0; instance < 0 && i < p.build_up_of.size(); ++i)
        if (p.build_up_of[i] == build_up) instance = int(i);
    if (instance < 0) return;
    const render::PinFrame axes(pin);
    const int columns = std::max(1, decal.columns);
    const int rows = std::max(1, decal.rows);
    const int cell = pin.cell % (columns * rows);
    render::FlatPiece frame;
    frame.instance = uint32_t(instance);
    frame.middle = pin.position;
    frame.across = axes.x * pin.size.x;
    frame.up = axes.y * pin.size.y;
    frame.uv_size = V2f(1.f / float(columns), 1.f / float(rows));
    frame.uv_low = V2f(float(cell % columns), float(rows - 1 - cell / columns)) * frame.uv_size;
    const float ratio = std::clamp(pin.size.x / std::max(1e-9f, pin.size.y), .02f, 50.f);
    frame.width = std::clamp(int(float(thumbnail_height) * ratio), 2, thumbnail_width);
    frame.height = std::clamp(int(float(frame.width) / ratio), 2, thumbnail_height);
    m.width = thumbnail_width;
    m.height = thumbnail_height;
    m.picture.assign(size_t(m.width) * size_t(m.height), V3f(-1.f));
    const int left = (m.width - frame.width) / 2;
    const int top = (m.height - frame.height) / 2;
    std::vector<float> values(size_t(frame.width) * size_t(frame.height));
    render::over_flat_piece(p, frame, program, [&](int i, const float* const* v, int at) {
        values[size_t(i)] = luminance({v[0][at], v[1][at], v[2][at]});
        const size_t to = size_t(top + i / frame.width) * size_t(m.width) + size_t(left + i % frame.width);
        for (int c = 0; c < 3; ++c) m.picture[to][c] = std::max(0.f, v[c][at]);
    });
    m.values = histogram(values);
}

}  // namespace

constexpr size_t most_steps = 20000;  // of all nodes' programs together: beyond, nodes have no picture
constexpr size_t nodes_at_once = 32;  // one program gives them all: points are looked up, and shared work is done, once

namespace {

/// Nodes that are pictured over the asset, several by one program.
class Together {
public:
    Together(const render::Prepared& p, const scene::BuildUp& build_up, const std::vector<VisiblePoint>& points,
             Measured& out)
        : p_(p),
          build_up_(build_up),
          points_(points),
          out_(out),
          index_(size_t(&build_up - p.scene->build_ups.data())) {
        for (size_t i = 0; i < points.size(); ++i)
            if (points[i].hit && p.build_up_of[points[i].at.instance] == int(index_)) picks_.push_back(i);
        framed_.emplace(p, index_, points, picks_);
    }
    void add(const std::string& node) {
        waiting_.push_back({node, nodes::Type::color, {scene::Value{0.f}, node}});
        if (waiting_.size() == nodes_at_once) finish();
    }
    void finish() {
        if (waiting_.empty()) return;
        program::Resources resources = p_.resources;
        std::vector<Error> ignored;
        const program::Program program = program::compile(build_up_, waiting_, resources, ignored, &p_.scene->networks);
        std::vector<std::vector<float>> values(waiting_.size(), std::vector<float>(picks_.size()));
        over_points(p_, points_, picks_, program, [&](size_t i, const float* const* v, size_t at) {
            for (size_t k = 0; k < values.size(); ++k) {
                const float* const* rgb = v + program.first_component(k);
                values[k][i] = luminance({rgb[0][at], rgb[1][at], rgb[2][at]});
            }
        });
        std::vector<NodeMeasure*> measures;
        for (size_t k = 0; k < waiting_.size(); ++k) {
            NodeMeasure& m = out_.nodes[waiting_[k].name];
            m.values = histogram(values[k]);
            m.width = thumbnail_width;
            m.height = thumbnail_height;
            m.picture.assign(framed_->points.size(), V3f(-1.f));
            measures.push_back(&m);
        }
        over_points(
            p_, framed_->points, framed_->picks, program,
            [&](size_t i, const float* const* v, size_t at) {
                for (size_t k = 0; k < measures.size(); ++k)
                    for (int c = 0; c < 3; ++c)
                        measures[k]->picture[framed_->picks[i]][c] =
                            std::max(0.f, v[program.first_component(k) + c][at]);
            },
            nullptr, &framed_->camera);
        waiting_.clear();
    }

private:
    const render::Prepared& p_;
    const scene::BuildUp& build_up_;
    const std::vector<VisiblePoint>& points_;
    Measured& out_;
    size_t index_;
    std::vector<size_t> picks_;
    std::optional<Framing> framed_;
    std::vector<program::Wanted> waiting_;
};

}  // namespace

void measure_nodes(const render::Prepared& p, const std::vector<VisiblePoint>& points, Measured& out,
                   const Progress* stop) {
    const scene::BuildUp* build_up = scene::find(p.scene->build_ups, out.build_up);
    if (!build_up) return;
    const int index = int(build_up - p.scene->build_ups.data());
    Together together(p, *build_up, points, out);
    size_t left = most_steps;
    scene::for_each_node(*build_up, [&](const scene::Node& n, const scene::Layer* layer) {
        if (!left || stopped(stop) || !nodes::describe(*p.scene, n)) return;
        program::Resources resources = p.resources;
        std::vector<Error> ignored;
        const program::Program program =
            program::compile(*build_up, {{"node", nodes::Type::color, {scene::Value{0.f}, n.id}}}, resources, ignored,
                             &p.scene->networks);
        left -= std::min(left, program.steps() + 1);
        if (!resources.within(p.resources)) return;  // it feeds nothing that shows
        if (layer && !layer->decal.pins.empty()) return on_frame(p, index, layer->decal, program, out.nodes[n.id]);
        together.add(n.id);
    });
    if (!stopped(stop)) together.finish();
}

}  // namespace vemtra::review
