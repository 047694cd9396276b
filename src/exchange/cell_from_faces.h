// SPDX-License-Identifier: GPL-3.0-or-later
// Recognises cells by their faces.
#pragma once
#include "mesh/mesh.h"

namespace tess {

/// A cell of order 1 from its faces, each as a ring seen from outside. False when it is none of tetrahedron, pyramid,
/// wedge and hexahedron.
bool shapeOf(const std::vector<std::vector<std::int32_t>>& faces, ElementType& type, std::vector<std::int32_t>& nodes);

/// What an element that names nodes twice is in truth: a hexahedron with the upper four alike is a pyramid. Mid nodes
/// go along. False when it is none of the known shapes; nothing is changed then.
bool uncollapse(ElementType& type, std::vector<std::int32_t>& nodes);

} // namespace tess
