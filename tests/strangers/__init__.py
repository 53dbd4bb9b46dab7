"""Figures nobody here drew, with the truth about them, and what holds our pictures and readings against it."""
