"""Runs the terminal as ``python -m vane_step``."""

from vane_step.cli.app import main

main()
