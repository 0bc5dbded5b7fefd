"""Currents and the copper they need; no geometry."""
