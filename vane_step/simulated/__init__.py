"""Stand-ins for the world outside, each behind the protocol a real one would speak; they know none of our rooms."""
