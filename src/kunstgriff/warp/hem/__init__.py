"""Hems: skirts laid over two legs, read over all their poses, and tuned."""
