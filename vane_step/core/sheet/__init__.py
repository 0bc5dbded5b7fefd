"""The drawn sheet of a circuit: what stands where so that it can be read; what the circuit is stays in ``circuit``."""
