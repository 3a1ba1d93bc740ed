#pragma once
#include "base/result.h"
#include "geometry/uv_report.h"

namespace vemtra::review {

/// The findings that follow from a report, with the part's name as their place.
std::vector<Error> uv_findings(const geometry::UvReport& report, const std::string& part);

}  // namespace vemtra::review
