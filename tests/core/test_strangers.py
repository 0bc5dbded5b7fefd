"""A fixed set of designs nobody prepared; any number of others: ``python -m bench --strangers N --seed S``."""

from __future__ import annotations

import random
import unittest

import shapely

from bench.strangers.judge import faults, joined_wrongly
from bench.strangers.speaker import MAKERS, Speaker
from bench.strangers.trial import STAMP, Trial, begin, smallest, stranger
from tests.support import BEEPER, FROST, demo
from vane_step.core.design.edits import LayCopper, apply
from vane_step.core.design.fileformat import to_json
from vane_step.core.fab.release import release, write_files


class Strangers(unittest.TestCase):
    """What must hold of any design after any sentence, and of any board called clean."""

    def test_without_routing(self) -> None:
        """Sixteen designs over the whole vocabulary: readable after every edit, undone exactly, refused with a next step, shown."""
        for seed in range(16):
            with self.subTest(seed):
                self.assertEqual(stranger(seed, whole=False).faults, [])

    def test_every_verb_is_said(self) -> None:
        """The speaker has words for every verb, and most of what it says of a small circuit is carried out."""
        trial = Trial()
        speaker = Speaker(random.Random(3))
        begin(trial, speaker.rng)
        for text in (
            "add U1 OW-8D",
            "add R1..4 CHIP-1608M 10k",
            "join U1.1 R1.1 R2.2 A",
            "join U1.VDD R3.1 5V",
            "block R1 R2 Feed",
            "arrange",
        ):
            trial.say(text)
        for verb in MAKERS:
            trial.say(speaker.say(trial.design, verb))
        self.assertEqual(trial.faults, [])
        self.assertGreater(len(trial.taken), 40)


class Judge(unittest.TestCase):
    """The judge of files sees what is wrong: else its silence would say nothing."""

    def test_tears_and_shorts(self) -> None:
        """Released boards are whole; with one track left out a net is torn, with one drawn across two are one."""
        for name in (FROST, BEEPER):
            d = demo(name)
            files = release(d, STAMP).files
            self.assertEqual(list(faults(to_json(d), files)), [])
            for key in list(d.tracks)[:: max(1, len(d.tracks) // 2)]:
                cut = apply(d, LayCopper(lift=(key,)))[0].replaced(pours={})
                told = list(faults(to_json(d), write_files(cut, STAMP)))
                self.assertTrue(any(d.tracks[key].net in x for x in told), key)
        self.assertTrue(list(joined_wrongly(to_json(d), [shapely.box(-100, -100, 200, 200)], {})))

    def test_failing_cases_get_small(self) -> None:
        """Of a failing trial the sentences that matter are left."""
        trial = Trial()
        said = ["add R1 CHIP-1608M 1k", "add R2 CHIP-1608M 1k", "place R1 5 5", "note R1 x", "place R2 15 5"]
        for text in said:
            trial.say(text)
        trial.fault("R2 stands wrongly")
        self.assertEqual(smallest(trial, False, 5.0), said)
