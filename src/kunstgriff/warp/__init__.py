"""Shapes that are no limbs, reshaped by a grid laid around them and tied to the bones."""
