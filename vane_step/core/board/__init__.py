"""Geometry, copper, rules, pours and arrangement; no routing."""
