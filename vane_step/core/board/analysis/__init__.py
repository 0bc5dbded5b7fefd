"""Readings of a board that no maker limits: return paths, loops, separation, the score."""
