// A painting as hands meet it: which parts read it, which sheets that takes, and where their texels lie on the form as
// it stands. Made once and kept while the form stays; sheets are laid out when a hand first comes near.
#pragma once
#include <map>

#include "paint/layout.h"

namespace vemtra::paint {

/// Build-ups, by index in the scene, in which a node reads the painting, in networks and nested build-ups too.
std::vector<char> readers_of(const scene::Scene& scene, const std::string& painting);

class Canvas {
public:
    /// `painting` must be one of prepared's scene. Null instances: the painting is read nowhere, see problems().
    Canvas(std::shared_ptr<const render::Prepared> prepared, const std::string& painting);

    struct SheetPlace {
        int tile = 1001;
        std::string part;  ///< of a painting on the form itself
        int size = 0;      ///< likewise: texels a side that its charts take; 0: as the painting has it
        Box3f bounds;      ///< of what lies on it, in the world
        std::vector<FaceUvs> uvs;
    };
    const std::vector<SheetPlace>& sheets() const { return sheets_; }
    const std::vector<uint32_t>& instances() const { return instances_; }
    const std::shared_ptr<const render::Prepared>& prepared() const { return prepared_; }
    const std::string& painting() const { return painting_; }
    /// Texels a side of a sheet of the painting, as it is there or would be begun.
    static int size_of(const SheetPlace& place, const scene::Painting& painting) {
        const scene::Sheet* sheet = painting.sheet(place.tile);
        return sheet ? sheet->size : place.size ? place.size : painting.size;
    }
    /// Where texels of a sheet of that size lie. From any thread.
    std::shared_ptr<const SheetLayout> layout(const SheetPlace& sheet, int size) const;
    /// Whether it still fits: the same form, and the same parts read it.
    bool fits(const render::Prepared& prepared) const;
    /// What stands in the way of painting, or is to be known: no UVs, UVs outside of the tiles, nobody reads it.
    const std::vector<Error>& problems() const { return problems_; }
    size_t bytes() const;

private:
    std::shared_ptr<const render::Prepared> prepared_;
    std::string painting_;
    std::vector<uint32_t> instances_;
    std::vector<SheetPlace> sheets_;
    std::vector<Error> problems_;
    std::vector<std::shared_ptr<const geometry::Charts>> charts_;
    mutable std::mutex mutex_;
    mutable std::map<std::pair<int, int>, std::shared_ptr<const SheetLayout>> layouts_;
};

}  // namespace vemtra::paint
