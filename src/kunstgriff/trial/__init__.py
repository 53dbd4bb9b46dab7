"""Trying the figure: test animations."""
