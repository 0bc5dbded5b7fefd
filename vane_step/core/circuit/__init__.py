"""Connectivity, electrical review and the drawn sheet; no copper."""
