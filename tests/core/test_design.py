"""The document and its edits: every edit can be taken back, and nothing broken ever gets in."""

from __future__ import annotations

import json
import random
import unittest

import jsonschema
from hypothesis import given, settings, strategies as st

from tests.support import BEEPER, FROST, ROOT, board, demo, design, part, track, via
from vane_step.core.ask import ask
from vane_step.core.design import edits
from vane_step.core.design.edits import Edit, apply, edit_from
from vane_step.core.design.fileformat import from_json, json_schema, to_json
from vane_step.core.design.model import (
    COLLECTIONS,
    SINGLES,
    Block,
    Brief,
    Calculation,
    Design,
    PartPlace,
    Requirement,
    Variant,
    natural,
    problems,
)
from vane_step.core.errors import EditRefused, InputError, VaneStepError
from vane_step.core.judge import all_findings
from vane_step.core.patterns.packages import package
from vane_step.data.shipped import resources, rule_set
from vane_step.store.designs import Kept
from vane_step.web.view import board_view


def start() -> Design:
    """Give a small design with every kind of thing in it."""
    parts = [part(f"R{i}", "CHIP-2012M", 6 * i, 10) for i in range(1, 5)] + [part("U1", "SOIC-8", 20, 20)]
    d = design(parts, {"A": "R1.1 R2.1 U1.1", "B": "R1.2 R3.1", "GND": "R4.2 U1.4"})
    copper = edits.LayCopper(
        tracks=(track("T1", "A", 0.2, (6, 10), (12, 10)),), vias=(via("V1", "A", 9, 12),)
    )
    return apply(d, copper)[0]


def some_edit(d: Design, pick: random.Random) -> Edit:
    """Choose an edit that may or may not fit the design."""
    refs, nets = [*d.parts, "R99"], [*d.nets, "NEW", "B2"]
    pins = [f"{r}.{p.number}" for r, x in d.parts.items() for p in x.pins] + ["U9.1"]
    place = PartPlace(
        x_nm=pick.randrange(40_000_000), y_nm=pick.randrange(30_000_000), turn_deg=pick.choice([0, 90, 33.3])
    )
    ref, net, other = pick.choice(refs), pick.choice(nets), pick.choice(nets)
    new = part(f"Q{pick.randrange(4)}", "SOT-23", 5, 5)
    copper = track(
        f"T{pick.randrange(6)}",
        net,
        0.3,
        (1, 1),
        (pick.randrange(2, 9), 5),
        layer=pick.choice(["front", "back"]),
    )
    data = pick.choice(
        [
            edits.AddPart(part=new, package=package("SOT-23")),
            edits.RemovePart(ref=ref),
            edits.SetValue(ref=ref, value="47k"),
            edits.Join(pins=tuple(pick.sample(pins, min(2, len(pins)))), net=net),
            edits.ReplacePart(part=new.model_copy(update={"ref": ref}), package=package("SOT-23")),
            edits.SetPart(ref=ref, fitted=False, choice="FEED", catalogue="QR-16-10K", params={"r_ohm": 1e4}),
            edits.SetBrief(brief=Brief(quantity=pick.randrange(1, 9), manufacturing="etch")),
            edits.SetItem(variant=Variant(id="v", fitted={ref: False})),
            edits.SetItem(
                calculation=Calculation(id="C", formula="rc", inputs={"r_ohm": net}, sets={"r_ohm": ref})
            ),
            edits.SetItem(
                requirement=Requirement(id="Q1", text="does it"), block=Block(name="b", hints=("near",))
            ),
            edits.RemoveItem(id=pick.choice(["v", "C", "Q1", "b"])),
            edits.PartPins(pins=(pick.choice(pins),)),
            edits.RenameNet(net=net, to=other),
            edits.MergeNets(net=net, into=other),
            edits.RemoveNet(net=net),
            edits.PlaceParts(places={ref: place}),
            edits.PlaceParts(places={ref: None}),
            edits.NudgePart(ref=ref, nudge=(3, -2)),
            edits.LayCopper(tracks=(copper,)),
            edits.LayCopper(lift=(pick.choice([*d.tracks, *d.vias, "T99"]),)),
            edits.SetRules(rules=rule_set("kitchen-table"), copper_layers=pick.choice([1, 2, 4])),
            edits.SetPin(pin=pick.choice(pins), name="CLK", role="input"),
            edits.Together(
                edits=(
                    edits.Join(pins=(pick.choice(pins),), net=net),
                    edits.MergeNets(net=other, into=net),
                    edits.RemovePart(ref=ref),
                )
            ),
        ]
    )
    return edit_from(json.loads(data.model_dump_json()))


class Edits(unittest.TestCase):
    """What an edit does, and that it can be undone."""

    @settings(max_examples=60)
    @given(st.integers(0, 2**32))
    def test_any_sequence_can_be_taken_back(self, seed: int) -> None:
        """Each edit of a random sequence is refused cleanly or undone exactly, and leaves a consistent document."""
        pick = random.Random(seed)
        d = start()
        trail: list[tuple[Design, edits.Restore]] = []
        for _ in range(15):
            edit = some_edit(d, pick)
            try:
                after, inverse = apply(d, edit)
            except VaneStepError:
                continue
            self.assertEqual(problems(after), [])
            trail.append((d, edit_from(json.loads(inverse.model_dump_json()))))  # type: ignore[arg-type]
            d = after
        self.assertEqual(from_json(to_json(d)), d)
        for before, inverse in reversed(trail):
            d, _ = apply(d, inverse)
            self.assertEqual(d, before)
            self.assertEqual(
                list(d.parts), list(before.parts), "the order of parts decides how the sheet is drawn"
            )

    def test_joining(self) -> None:
        """A pin leaves the net it was on; the net it joins is made when there is none."""
        d, _ = apply(start(), edits.Join(pins=("R1.1", "R4.1"), net="NEW"))
        self.assertEqual(d.nets["NEW"].pins, ("R1.1", "R4.1"))
        self.assertEqual(d.nets["A"].pins, ("R2.1", "U1.1"))
        self.assertEqual(d.net_of("R4.1"), "NEW")

    def test_copper_follows_its_net(self) -> None:
        """Renaming and merging take tracks and vias along; removing a net lifts them."""
        renamed, _ = apply(start(), edits.RenameNet(net="A", to="CLK"))
        merged, _ = apply(renamed, edits.MergeNets(net="CLK", into="GND"))
        for d, net in ((renamed, "CLK"), (merged, "GND")):
            self.assertEqual({d.tracks["T1"].net, d.vias["V1"].net}, {net})
        self.assertEqual(merged.nets["GND"].pins, ("R4.2", "U1.4", "R1.1", "R2.1", "U1.1"))
        self.assertFalse(apply(merged, edits.RemoveNet(net="GND"))[0].tracks)

    def test_refusals(self) -> None:
        """What would break the design is refused, says what is in the way, and changes nothing."""
        d = start()
        kept, _ = apply(
            d, edits.PlaceParts(places={"R1": d.parts["R1"].place.model_copy(update={"locked": True})})
        )  # type: ignore[union-attr]
        cases: list[tuple[Design, Edit, str]] = [
            (d, edits.RenameNet(net="A", to="B"), "already a net B"),
            (d, edits.AddPart(part=part("R1", "CHIP-2012M", 0, 0)), "in use"),
            (d, edits.AddPart(part=part("Q1", "SOT-23", 0, 0)), "does not hold"),
            (d, edits.MergeNets(net="A", into="A"), "itself"),
            (d, edits.SetRules(rules=rule_set("standard-house"), copper_layers=4), "does not make 4"),
            (d, edits.SetRules(rules=rule_set("kitchen-table"), copper_layers=1), "layer front"),
            (kept, edits.PlaceParts(places={"R1": None}), "locked"),
            (d, edits.LayCopper(tracks=(track("T1", "A", 0.2, (0, 0), (1, 1)),)), "already there"),
            (
                d,
                edits.LayCopper(tracks=(track("T9", "A", 0.2, (0, 0), (1, 1), layer="in1"),)),
                "no layer in1",
            ),
            (d, edits.LayCopper(tracks=(track("T9", "Z", 0.2, (0, 0), (1, 1)),)), "no net Z"),
        ]
        for before, edit, says in cases:
            text = to_json(before)
            with self.subTest(edit.kind, says=says), self.assertRaises(EditRefused) as caught:
                apply(before, edit)
            self.assertIn(says, str(caught.exception))
            self.assertEqual(to_json(before), text)


class FileFormat(unittest.TestCase):
    """The design as a file."""

    def test_demo_designs_round_trip_byte_for_byte(self) -> None:
        """Reading and writing a shipped design gives the same bytes."""
        for name in (FROST, BEEPER):
            text = (ROOT / "vane_step" / "data" / "designs" / f"{name}.json").read_text(encoding="utf-8")
            self.assertEqual(to_json(from_json(text)), text)

    def test_published_schema(self) -> None:
        """The schema in docs/ is the program's own, and the demo designs fit it."""
        schema = json_schema()
        published = json.loads((ROOT / "docs" / "design.schema.json").read_text(encoding="utf-8"))
        self.assertEqual(
            published, json.loads(json.dumps(schema)), "run: vane-step schema > docs/design.schema.json"
        )
        jsonschema.Draft202012Validator.check_schema(schema)
        for name in (FROST, BEEPER):
            jsonschema.validate(json.loads(to_json(demo(name))), schema)

    def test_refusals_name_the_place(self) -> None:
        """A broken file is refused with the line or the field."""
        good = to_json(start())
        for text, says in {
            "{": "line 1",
            "[]": "not a design file",
            good.replace('"version": 1', '"version": 2'): "format version 2",
            good.replace('"net": "A"', '"net": "Z"'): "net Z, which does not exist",
            good.replace('"x_nm": ', '"turn_deg": "north", "x_nm": ', 1): "turn_deg",
            good.replace('"version": 1', '"version": 1, "colour": "red"', 1): "colour",
            good.replace('"R1.1", ', '"R1.1", "R1.1", ', 1): "R1.1 is on net A and on net A",
            good.replace('"R1.1"', '"R1.7"', 1): "pin R1.7, which no part has",
        }.items():
            with self.subTest(says), self.assertRaises(InputError) as caught:
                from_json(text, "x.json")
            self.assertIn(says, caught.exception.line())
            self.assertIn("x.json", caught.exception.line())

    def test_numbers_beyond_any_float(self) -> None:
        """An integer of any length where a length belongs is refused by its field, and not by what it breaks."""
        for digits in (29, 31, 320, 4000):
            data = json.loads(to_json(demo(FROST)))
            data["holes"]["H1"]["keepout_nm"] = 10**digits
            with self.assertRaisesRegex(InputError, "keepout_nm"):
                from_json(json.dumps(data), "huge")

    @settings(max_examples=150)
    @given(st.data())
    def test_damaged_files(self, data: st.DataObject) -> None:
        """A file damaged anywhere is read or refused; it never raises anything else."""
        text = to_json(start())
        at = data.draw(st.integers(0, len(text) - 1))
        cut = data.draw(st.integers(0, 40))
        put = data.draw(st.sampled_from(["", "x", '"', "}", "-1", "null", "1e999", "[[[[", "\x00", "\ud800"]))
        try:
            from_json(text[:at] + put + text[at + cut :])
        except InputError as error:
            self.assertNotIn("Traceback", error.line())

    def test_no_inner_layers_on_two(self) -> None:
        """A track on a layer the board lacks makes the whole file unusable."""
        d = start().replaced(board=board(rules=rule_set("four-layer-house"), layers=4))
        text = to_json(
            apply(d, edits.LayCopper(tracks=(track("T9", "A", 0.2, (0, 0), (1, 1), layer="in2"),)))[0]
        )
        with self.assertRaises(InputError):
            from_json(text.replace('"copper_layers": 4, "rules"', '"copper_layers": 2, "rules"'))


ABSURD = (
    None,
    "",
    "x",
    "x" * 300,
    " ",
    "a b",
    "1²",
    "\ud83d",
    "line\nend",
    True,
    -1,
    0,
    1,
    10**10,
    10**400,
    -0.5,
    1e300,
    float("nan"),
    float("inf"),
    [],
    [[0, 0]],
    [[0, 0], [9, 9]],
    [[0, 0]] * 4,
    [[0, 0], [9_000_000, 9_000_000], [9_000_000, 0], [0, 9_000_000]],
    [[-5_000_000, -5_000_000], [99_000_000, -5_000_000], [99_000_000, 99_000_000], [-5_000_000, 99_000_000]],
    {},
    {"x": 1},
    {"R1": None},
    "front",
    "back",
    "GND",
    "47k",
    "R1",
    2,
    90,
    250_000,
    3_000_000,
    0.25,
    33.3,
    [[0, 0], [5_000_000, 0], [0, 5_000_000]],
    {"ohm": 2.5},
    False,
)


class AbsurdEntries(unittest.TestCase):
    """Whatever an entry is changed to, by whatever edit: it is refused, or what results can be opened and shown."""

    def changed(self, entry: dict[str, object], pick: random.Random) -> dict[str, object]:
        """Change one leaf of an entry, however deep, to something absurd."""
        key = pick.choice(list(entry))
        inner = entry[key]
        if isinstance(inner, dict) and inner and pick.random() < 0.7:
            return {**entry, key: self.changed(inner, pick)}
        if isinstance(inner, list) and inner and isinstance(inner[0], dict) and pick.random() < 0.7:
            at = pick.randrange(len(inner))
            return {**entry, key: [*inner[:at], self.changed(inner[at], pick), *inner[at + 1 :]]}
        return {**entry, key: pick.choice(ABSURD)}

    def test_refused_or_readable(self) -> None:
        """Entries of every kind, by the edit that restores them, and in a file."""
        plain = demo(BEEPER)
        for text in (
            'need N1 must "width" width<=60',
            "variant bare",
            "zone quiet 2 2 5x5",
            "cutout 20 20 4x4",
            'text "GO" 5 5',
            "field 9 9 8x4",
            "hole 5 40",
            "pour GND back box=2,2,20x20",
            "clear GND-back 4 4 2x2",
            'note R1 "hot"',
        ):
            plain = apply(plain, ask(plain, text, resources()).edit)[0]  # type: ignore[arg-type]
        pick = random.Random(12)
        taken = refused = 0
        whole = json.loads(to_json(plain))
        for _ in range(700):
            section = pick.choice([s for s in (*COLLECTIONS, *SINGLES) if whole.get(s)])
            key = pick.choice(list(whole[section])) if section in COLLECTIONS else ""
            entry = self.changed(whole[section][key] if key else whole[section], pick)
            try:
                after, inverse = apply(plain, edits.Restore(entries=((section, key, entry),)))
            except VaneStepError as error:
                refused += 1
                self.assertTrue(json.dumps(error.as_dict()).isascii() and error.line())
                self.assertRaises(
                    VaneStepError,
                    from_json,
                    json.dumps({**whole, section: {**whole[section], key: entry} if key else entry}),
                )
                continue
            taken += 1
            self.assertEqual(to_json(from_json(to_json(after))), to_json(after))
            self.assertEqual(to_json(apply(after, inverse)[0]), to_json(plain))
            if taken % 6 == 0:
                board_view(Kept("x", 1, after, None, None, ""))
                all_findings(after)
        self.assertGreater(min(taken, refused), 60)


class Order(unittest.TestCase):
    """Names are sorted as people count."""

    def test_natural(self) -> None:
        """R10 follows R9, and pins within a part follow their numbers."""
        names = ["R10", "R9", "U1.12", "U1.2", "C1", "R1"]
        self.assertEqual(sorted(names, key=natural), ["C1", "R1", "R9", "R10", "U1.2", "U1.12"])
