// What the live render is asked to show, and the pictures that are kept of it.
#pragma once
#include <QImage>

#include "render/session.h"
#include "scene/document.h"

namespace vemtra::app {

class Workbench;

/// The request to the live render. Each change goes to it at once.
class Showing {
public:
    Showing(Workbench& bench, render::LiveSession& session) : bench_(bench), session_(session) {}

    const render::LiveRequest& live() const { return live_; }  ///< scene and folder as of the last refresh()
    void refresh();                                            ///< hands the present state to the session
    void refresh_painted(const Box3f& where);   ///< where only paint differs, in the world: refresh() that says where
    void set_view_size(int width, int height);  ///< pixels; leaves the region
    void set_region(const render::PixelRect& region);  ///< of the rendered pixels; empty: all
    bool has_region() const { return live_.region.x1 > live_.region.x0; }
    void set_scale(int percent);  ///< of the pixels that are rendered; leaves the region
    void set_hold(bool on);
    void set_denoise(bool on);
    void set_hatch_ends(bool on);  ///< of a node's values on the asset
    void set_relief(render::Relief relief);
    void show_brush(bool on);  ///< the live render minds a brush
    void show_view(render::View view);
    void show_node(const std::string& node);  ///< on the asset; empty: back to beauty
    /// A layer in a flat colour in place of its surface, or with its surface again.
    void set_loud(const std::string& build_up, const std::string& layer, bool on);
    bool is_loud(const std::string& build_up, const std::string& layer) const;
    void no_loud() { live_.loud.clear(); }  ///< without telling anyone, as the next
    void show_beauty();                     ///< without telling anyone: the document is another one now
    void leave_missing_node();              ///< back to beauty where the node that is shown has gone

private:
    Workbench& bench_;
    render::LiveSession& session_;
    render::LiveRequest live_;
};

struct KeptPicture {
    QString name;
    QImage image;
    scene::Snapshot scene;
    uint32_t samples = 0;
};

/// Pictures kept to compare with.
class KeptPictures {
public:
    explicit KeptPictures(Workbench& bench) : bench_(bench) {}

    const std::vector<KeptPicture>& kept() const { return kept_; }
    void keep_picture();
    void forget_picture(int index);
    int compared() const { return compared_; }  ///< index in kept() that the view is split with, or -1
    void compare_with(int index);
    void clear();

private:
    Workbench& bench_;
    std::vector<KeptPicture> kept_;
    int compared_ = -1;
};

}  // namespace vemtra::app
