// The kinds of fields, one file each; field_kinds() lists them.
#pragma once
#include "geometry/field.h"

namespace vemtra::geometry {

FieldKind cavity_field();
FieldKind height_field();
FieldKind slope_field();
FieldKind random_field();
FieldKind curvature_field();
FieldKind crease_field();
FieldKind settle_field();
FieldKind nearest_field();
FieldKind runoff_field();

}  // namespace vemtra::geometry
