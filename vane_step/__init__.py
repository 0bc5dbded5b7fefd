"""Vane Step: from a brief to a proven microcontroller board."""

__version__ = "0.1.0"
