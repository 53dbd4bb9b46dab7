"""Kunstgriff's core: cut-out artwork in, a figure that moves out. Values in, values out."""

__version__ = "0.1.0"
