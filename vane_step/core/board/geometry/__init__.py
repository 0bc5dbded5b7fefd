"""Exact shapes of a board and distances between them; no rule and no reading of a finished board."""
