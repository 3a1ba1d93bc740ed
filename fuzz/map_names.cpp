// Names of map files, one a line: what they are meant for, which belong together.
#include "texture/map_names.h"
#include "fuzz.h"

int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace vemtra;
    std::vector<std::string> names{""};
    for (const char c : fuzz::text(data, size)) {
        if (c == '\n')
            names.emplace_back();
        else if (c && c != '/')
            names.back() += c;
    }
    texture::read_map_names(names);
    return 0;
}
