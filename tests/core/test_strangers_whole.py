"""Designs nobody prepared, made whole: arranged, routed, released."""

from __future__ import annotations

import unittest

from bench.strangers.trial import stranger


class Whole(unittest.TestCase):
    """What must hold of any board called clean."""

    def test_whole(self) -> None:
        """Four designs arranged, routed, released: what is clean has the connections of its circuit, judged by other code."""
        states = []
        for seed in (1, 6, 11, 17):
            with self.subTest(seed):
                trial = stranger(seed, whole=True)
                self.assertEqual(trial.faults, [])
                states.append(trial.state)
        self.assertIn("clean", states)


if __name__ == "__main__":
    unittest.main()
