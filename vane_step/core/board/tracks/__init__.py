"""Edits of routed copper: what is widened, moved to the middle, stitched, or laid again."""
