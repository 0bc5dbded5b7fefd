"""Designs nobody prepared: made at random over the whole vocabulary, and judged by what must hold of any design."""
