"""The board: its geometry, copper, rules, readings, routed tracks, placement and legend, each in a room of its own."""
