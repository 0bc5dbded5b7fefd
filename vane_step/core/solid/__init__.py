"""The board as solids: bodies of parts, the scene of all, and its files."""
