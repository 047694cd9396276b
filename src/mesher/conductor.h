// SPDX-License-Identifier: GPL-3.0-or-later
// One mesh of a part all of whose edges are followed: plan, surface, structured bodies, tetrahedra, joints, mid nodes.
#pragma once
#include "mesher/mesher.h"

namespace tess {

/// `kept`: a surface that is filled as it is; null: it is made. As meshPart() else.
Result<MeshOutcome> meshFollowed(const Part& part, const SizeField& size, const MeshWishes& wishes,
                                 const MeshOptions& options, const SurfaceMesh* kept, Progress& progress);

} // namespace tess
