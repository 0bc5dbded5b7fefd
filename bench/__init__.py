"""Measurements with their own baselines in the same run; by hand in full, in CI as a smoke run."""
