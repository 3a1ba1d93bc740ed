// Tips and whole brushes that ship. All are made here, by number alone: the same on every machine.
#pragma once
#include "paint/brush.h"
#include "program/compile.h"

namespace vemtra::paint {

struct TipKind {
    const char* id;
    const char* title;
    /// Value 0..1 at (x, y) in -1..1; `seed` gives another one of its kind.
    float (*value)(float x, float y, uint32_t seed);
};
const std::vector<TipKind>& tip_kinds();
/// Made at its first use and kept; null where there is no such kind.
std::shared_ptr<const Tip> tip(const std::string& id, uint32_t seed = 0);
/// Of a picture: its lightness, whole, in the middle of a square that is black around it. Null where there are fewer
/// numbers than width x height.
std::shared_ptr<const Tip> tip_from(const std::string& name, int width, int height,
                                    const std::vector<float>& lightness);

/// What a network gives over a square of its pattern `metres` wide, in the first part's space: 0 black, 1 white. The
/// program gives one number; what it asks for must be prepared.
std::shared_ptr<const Tip> tip_of(const std::string& name, const program::Program& program,
                                  const render::Prepared& prepared, float metres);

/// A brush as the stock keeps it: its tips by the ids of their kinds; those that are pictures as they are.
struct StockBrush {
    Brush brush;  ///< its tips: pictures of one's own alone
    std::vector<std::string> tips;
    Brush ready() const;  ///< with them, four of each kind where it varies
};
const std::vector<StockBrush>& shipped_brushes();

/// What the artist keeps, in a file of one's own; what cannot be read is told and left out.
std::vector<StockBrush> load_brushes(const fs::path& file, std::vector<Error>& problems);
Status save_brushes(const fs::path& file, const std::vector<StockBrush>& brushes);

}  // namespace vemtra::paint
