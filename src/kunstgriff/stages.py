"""Every stage's edits, checks, steps and drawings, registered by being imported here. A new stage adds one line."""

import kunstgriff.artwork.arranging
import kunstgriff.artwork.checks
import kunstgriff.artwork.edits
import kunstgriff.artwork.joint_checks
import kunstgriff.artwork.looks
import kunstgriff.artwork.mending
import kunstgriff.artwork.merging
import kunstgriff.artwork.pivots
import kunstgriff.artwork.renewing
import kunstgriff.artwork.straight
import kunstgriff.binding.checks
import kunstgriff.binding.column_edits
import kunstgriff.binding.copying
import kunstgriff.binding.edits
import kunstgriff.binding.geometries
import kunstgriff.binding.mesh_edits
import kunstgriff.binding.rebinding
import kunstgriff.binding.refit
import kunstgriff.binding.riders
import kunstgriff.binding.skinning
import kunstgriff.binding.smoothing
import kunstgriff.binding.taking
import kunstgriff.binding.weight_edits
import kunstgriff.binding.zone_edits
import kunstgriff.figure.edits
import kunstgriff.follow.edits
import kunstgriff.seam.cover
import kunstgriff.seam.edits
import kunstgriff.seam.renewing
import kunstgriff.skeleton.along
import kunstgriff.skeleton.chain_edits
import kunstgriff.skeleton.edits
import kunstgriff.skeleton.fitting
import kunstgriff.skeleton.kinematics
import kunstgriff.skeleton.mirroring  # noqa: F401
