"""Frames become pixels, on the server, with the shaders the browser uses."""
