"""Artwork in: reading layered pictures, telling ink from fill."""
