"""Values that remember why: what they follow from, what turned stale, and where a voltage counts."""
