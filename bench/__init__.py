"""Measurements, as ratios against floors and peers in the same run. `./run bench` prints them as a table."""
