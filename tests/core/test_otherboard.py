"""A board made to fit where another one fits, read from that board's own release."""

from __future__ import annotations

import unittest

from shapely.geometry import Polygon

from tests.support import FROST, board, demo, design, part, said
from vane_step.core.board.geometry.shapes import outline
from vane_step.core.design.edits import PlaceParts, apply
from vane_step.core.design.model import Design, PartPlace, split_pin
from vane_step.core.errors import InputError
from vane_step.core.fab.mating import meetings
from vane_step.core.fab.otherboard import other_board
from vane_step.core.fab.release import release, write_files
from vane_step.core.quantity import nm


class OtherBoards(unittest.TestCase):
    def test_the_same_place_for_everything_that_is_plugged_in(self) -> None:
        """Scattered parts and a foreign outline: profile, holes and connectors come back from the zip as they were."""
        d = demo(FROST)
        archive = release(d, "2026-11-26T00:00:00Z").zipped()
        lost = {
            r: p.model_copy(update={"place": PartPlace(x_nm=nm(5 * k), y_nm=nm(100), turn_deg=90)})
            for k, (r, p) in enumerate(d.parts.items())
        }
        bare = d.replaced(
            parts=lost,
            holes={},
            tracks={},
            vias={},
            pours={},
            texts={},
            board=d.board.model_copy(
                update={"outline": tuple((nm(x), nm(y)) for x, y in ((0, 0), (9, 0), (9, 9)))}
            ),
        )
        found = other_board(bare, {"frost.zip": archive})
        after = apply(bare, found.edit)[0]
        here, there = outline(d), outline(after)
        self.assertLess(
            Polygon(
                [(x - here.bounds[0], y - here.bounds[1]) for x, y in here.exterior.coords]
            ).hausdorff_distance(there),
            1e-4,
        )
        shift = here.bounds[:2]

        def at(x_nm: int, y_nm: int) -> tuple[float, float]:
            return round(x_nm / 1e6 - shift[0], 3), round(y_nm / 1e6 - shift[1], 3)

        self.assertEqual(
            sorted((*at(h.x_nm, h.y_nm), h.drill_nm) for h in d.holes.values()),
            sorted(
                (round(h.x_nm / 1e6, 3), round(h.y_nm / 1e6, 3), h.drill_nm) for h in after.holes.values()
            ),
        )
        # The files name them, so each goes back to its own place.
        self.assertEqual(set(found.placed), {r for r in d.parts if r[0] == "J"} | {"BZ1"})
        for ref in found.placed:
            holes = [
                sorted((round(x, 2), round(y, 2)) for x, y in spots)
                for spots in (pads(d, ref, shift), pads(after, ref, (0, 0)))
            ]
            self.assertEqual(*holes, ref)
        self.assertTrue(any("parts.csv" in name for name in found.left_out))

    def test_what_the_files_do_not_tell_is_asked(self) -> None:
        """Two headers alike: placed by name, by nets or by surface pads; asked without names, with a clash, with holes alone."""
        nets = {"5V": "J1.1", "SIG": "J1.2 J2.3", "GND": "J1.3 J2.1", "SDA": "J2.2"}
        host = design(
            [
                part("J1", "HDR-1x3", 8, 20, 90),
                part("J2", "HDR-1x3", 30, 20, 270),
                part("U1", "SOIC-8", 20, 10),
            ],
            nets,
            on=board(40, 30),
        )
        host = host.replaced(
            nets={
                k: n.model_copy(update={"role": "supply" if k == "5V" else n.role})
                for k, n in host.nets.items()
            }
        )
        files = {n: t.encode() for n, t in write_files(host, "2026-11-26T00:00:00Z").items()}
        bare = {n: t for n, t in files.items() if "copper" not in n and not n.endswith(".ipc")}

        def lost(*renamed: tuple[str, str]) -> Design:
            names = dict(renamed)
            parts = [
                p.model_copy(update={"ref": names.get(p.ref, p.ref), "place": None})
                for p in host.parts.values()
            ]
            pins = {
                k: n.model_copy(
                    update={"pins": tuple(f"{names.get(a, a)}.{b}" for a, b in map(split_pin, n.pins))}
                )
                for k, n in host.nets.items()
            }
            return host.replaced(parts={p.ref: p for p in parts}, nets=pins)

        def placed(d: Design, given: dict[str, bytes]) -> tuple[dict[str, PartPlace], dict[str, int]]:
            found = other_board(d, given)
            after = apply(d, found.edit)[0]
            mine = {r: p.place for r, p in after.parts.items() if p.place is not None}
            self.assertTrue(all(p.locked for p in mine.values()))
            return mine, {r: len(offers) for r, offers in found.asked.items()}

        home = {
            r: p.place.model_copy(update={"locked": True})
            for r, p in host.parts.items()
            if p.place and r != "U1"
        }
        self.assertEqual(placed(lost(), files), (home, {}))
        netlist = {n: t for n, t in files.items() if "copper" not in n}
        self.assertEqual(placed(lost(), netlist), (home, {}))
        # Other names, the same nets: J7 is the host's J2.
        by_nets, asked = placed(lost(("J1", "J8"), ("J2", "J7")), files)
        self.assertEqual((by_nets, asked), ({"J8": home["J1"], "J7": home["J2"]}, {}))
        # Exchanged names whose nets would put 5 V on a signal, and holes that tell nothing: nobody guesses.
        swapped = lost(("J1", "J2"), ("J2", "J1"))
        by_nets, asked = placed(swapped, files)
        self.assertEqual((by_nets, asked), ({"J2": home["J1"], "J1": home["J2"]}, {}))
        unnamed = lost(("J1", "J8"), ("J2", "J7")).replaced(nets={})
        self.assertEqual(placed(unnamed, files), ({}, {"J8": 2, "J7": 2}))
        self.assertEqual(placed(lost(), bare), ({}, {"J1": 4, "J2": 4}))
        # Both boards over each other: what each pin of an offer meets, and which would put a supply on a signal.
        nameless = {(x + k * 2.54, 20.0, "") for x in (8.0, 30.0) for k in (-1, 0, 1)}
        self.assertEqual({(round(s.x, 2), s.y, s.pin) for s in other_board(lost(), bare).spots}, nameless)
        there = other_board(swapped, files)
        for ref, turned, clashes in (("J2", 0, 0), ("J2", 180, 2), ("J1", 180, 2)):
            place = home["J1" if ref == "J2" else "J2"]
            put = apply(
                swapped,
                PlaceParts(
                    places={ref: place.model_copy(update={"turn_deg": (place.turn_deg + turned) % 360})}
                ),
            )[0]
            met = meetings(put, ref, there.spots)
            self.assertEqual((len(met), sum(m.clash for m in met)), (3, clashes), (ref, turned))
        offers = other_board(lost(), bare).asked["J1"]
        self.assertEqual(
            {(o.place.x_nm, o.place.turn_deg) for o in offers},
            {(nm(8), 90), (nm(8), 270), (nm(30), 90), (nm(30), 270)},
        )

    def test_either_side_and_any_turn(self) -> None:
        """A connector of surface pads on the back, turned by 30 degrees, comes back as it lay; one on the wrong side does not."""
        for pack, side, turn in (
            ("SOIC-8", "back", 0.0),
            ("SOIC-8", "front", 30.0),
            ("HDR-1x4", "front", 180.0),
        ):
            host = design([part("J1", pack, 20, 15, turn)], {})
            host = said(host, "underside J1") if side == "back" else host
            files = {n: t.encode() for n, t in write_files(host, "2026-11-26T00:00:00Z").items()}
            d = host.replaced(parts={"J1": host.parts["J1"].model_copy(update={"place": None})})
            after = apply(d, other_board(d, files).edit)[0].parts["J1"].place
            there = host.parts["J1"].place
            assert after is not None and there is not None
            self.assertEqual((after.side, round(after.turn_deg, 1)), (there.side, there.turn_deg), pack)
            self.assertLess(max(abs(after.x_nm - there.x_nm), abs(after.y_nm - there.y_nm)), 2000)

    def test_files_that_cannot_be_used(self) -> None:
        """Every fault has a file and a reason, and nothing is changed."""
        d = demo(FROST)
        for files in (
            {"a.zip": b"PK nonsense"},
            {"a.gbr": b"%FSLAX46Y46*%\n%MOMM*%\nM02*\n"},
            {"a.txt": b"hello"},
            {"a.xnc": b"M48\nT1\nM30\n"},
        ):
            with self.subTest(files), self.assertRaises(InputError) as caught:
                other_board(d, files)
            self.assertTrue(caught.exception.where)


def pads(d: object, ref: str, shift: tuple[float, ...]) -> list[tuple[float, float]]:
    """Give where the drilled pads of a part are."""
    from vane_step.core.board.geometry.shapes import copper_items

    return [
        (i.x_mm - shift[0], i.y_mm - shift[1])
        for i in copper_items(d)
        if i.id.startswith(f"{ref}.") and i.drill_mm
    ]  # type: ignore[arg-type]
