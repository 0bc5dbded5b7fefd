"""Controllers: what firmware needs, which pins meet it, and the choice of one; wiring it up is the circuit's."""
