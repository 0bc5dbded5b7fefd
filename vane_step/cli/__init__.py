"""The terminal: the same core, one module a step; `app` gathers the commands."""
