"""From document to picture: compile(figure) → rig, rig.evaluate(pose) → frame with the draw list."""
