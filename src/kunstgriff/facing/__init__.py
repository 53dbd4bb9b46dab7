"""The sides a figure is seen from."""
