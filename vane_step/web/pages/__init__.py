"""One module a step: what its page asks of the core."""
