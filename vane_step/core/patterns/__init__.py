"""Land patterns: from a name, from a drawing, and how well one is proven; parts and their pins are elsewhere."""
