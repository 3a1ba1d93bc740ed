#include "where_support.h"

namespace vemtra::test {

const char* const source_folder = VEMTRA_ROOT;
const char* const cli_file = VEMTRA_CLI;

}  // namespace vemtra::test
