"""The rig as one immutable value, its stores, its edits and its archive."""
