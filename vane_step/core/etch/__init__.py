"""Artwork and drill plan for the kitchen table; nothing here changes a design."""
