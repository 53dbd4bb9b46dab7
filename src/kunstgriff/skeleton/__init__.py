"""Bones, chains and their names."""
