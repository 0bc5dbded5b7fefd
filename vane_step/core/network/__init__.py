"""From a design to a network: what each part does electrically, in which state, and what comes of it."""
