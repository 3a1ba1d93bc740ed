// Example of docs/adding.md: a format of pictures. In the house: one line in picture_formats(), with its writer.
#include "base/file.h"
#include "render/picture.h"

namespace example {

using namespace vemtra;

Status write_ppm(const render::Prepared& prepared, const render::Film& film, const render::PictureSettings& settings,
                 const render::PictureInfo&, const fs::path& file) {
    std::vector<V3f> beauty;
    film.resolve(render::group_gains(prepared, *prepared.scene), beauty);
    const auto rgba = render::displayed(beauty, settings.view, prepared.scene->display);
    if (!rgba) return rgba.error();
    std::string bytes = "P6 " + std::to_string(film.width) + " " + std::to_string(film.height) + " 255\n";
    for (size_t p = 0; p < beauty.size(); ++p) bytes.append(reinterpret_cast<const char*>(&(*rgba)[4 * p]), 3);
    return write_file_atomically(file, bytes);
}

extern const render::PictureFormat ppm_format;
const render::PictureFormat ppm_format{"PPM", ".ppm", write_ppm};

}  // namespace example
