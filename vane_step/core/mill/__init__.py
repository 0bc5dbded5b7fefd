"""Boards milled instead of etched: ways of the tool round copper, holes and the edge, written as G-code."""
