"""Damaged files of a release: each kind of damage is told, by what it is."""

from __future__ import annotations

import re
import unittest

from tests.support import (
    routed,
)
from vane_step.core.design.model import Design, Pour
from vane_step.core.errors import ReleaseRefused
from vane_step.core.fab.readback import read_back
from vane_step.core.fab.reader import UnreadableFile
from vane_step.core.fab.release import Release, write_files

STAMP = "2026-01-01T00:00:00Z"


def poured() -> Design:
    """Give a routed board of 15 parts with a ground pour on the back."""
    return routed("smd2L_015_s1").replaced(pours={"p": Pour(id="p", net="GND", layer="back")})


class Damage(unittest.TestCase):
    """Whatever happens to a file between writer and maker, the comparison notices."""

    def test_each_kind(self) -> None:
        """One change in each kind of file is told as a difference, or the file as unreadable."""
        d = poured()
        files = write_files(d, STAMP)
        front, back = (files[f"smd2l-015-s1-copper-{s}.gbr"] for s in ("front", "back"))
        track_line = re.search(r"X\d+Y\d+D02\*\n(X\d+Y\d+D01\*\n)+", front[front.index("Conductor") :])
        assert track_line is not None
        flash = re.findall(r"X\d+Y\d+D03\*\n", front)[40]
        hole = re.findall(r"X[\d.]+Y[\d.]+\n", files["smd2l-015-s1-plated.xnc"])[5]
        edge = re.findall(r"X\d+Y\d+D01\*\n", files["smd2l-015-s1-profile.gbr"])[1]
        cases = {
            "a track is missing": ("copper-front.gbr", track_line[0], ""),
            "a pad is missing": ("copper-front.gbr", flash, ""),
            "an aperture is larger": ("copper-front.gbr", "%ADD10C,0.", "%ADD10C,1."),
            "layers are swapped": ("copper-front.gbr", front, back.replace("L2,Bot", "L1,Top")),
            "units are inches": ("copper-back.gbr", "%MOMM*%", "%MOIN*%"),
            "a pour is clear instead of dark": ("copper-back.gbr", "%LPD*%", "%LPC*%"),
            "a hole is missing": ("plated.xnc", hole, ""),
            "a hole is elsewhere": ("plated.xnc", hole, "X11.0Y11.0\n"),
            "a drill is larger": ("plated.xnc", "C0.300000", "C0.350000"),
            "the outline is cut": ("profile.gbr", edge, ""),
            "a net has another name": ("netlist.ipc", "N20  ", "N99  "),
            "the end is missing": ("copper-front.gbr", "M02*", ""),
            "an unknown command": ("copper-front.gbr", "G01*", "G02*"),
        }
        for what, (file, old, new) in cases.items():
            name = f"smd2l-015-s1-{file}"
            self.assertIn(old, files[name], what)
            with self.subTest(what):
                try:
                    self.assertTrue(
                        read_back(d, {**files, name: files[name].replace(old, new, 1)}).differences
                    )
                except UnreadableFile as error:
                    self.assertIn(name, str(error))

    def test_missing_files(self) -> None:
        """A copper layer, the outline or a drill file left out is told."""
        d = poured()
        files = write_files(d, STAMP)
        for gone in ("copper-back.gbr", "profile.gbr", "plated.xnc", "netlist.ipc"):
            with self.subTest(gone):
                self.assertTrue(
                    read_back(d, {k: v for k, v in files.items() if not k.endswith(gone)}).differences
                )

    def test_a_release_that_differs_is_refused(self) -> None:
        """The zip cannot be had when the files belong to another design."""
        d = poured()
        other = d.replaced(tracks=dict(list(d.tracks.items())[1:]))
        wrong = Release("wrong", write_files(other, STAMP), read_back(d, write_files(other, STAMP)))
        with self.assertRaises(ReleaseRefused):
            wrong.zipped()


if __name__ == "__main__":
    unittest.main()
