"""Outlines from drawings and pictures; the outline of a design is in ``geometry``."""
