"""Readings taken from what is painted: a joint turned through its range."""
