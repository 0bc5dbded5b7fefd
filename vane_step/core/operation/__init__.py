"""What may go wrong in some state of the board: rules over all solved states, each with the state it bites in."""
