"""The ask line: every verb says what it will do, does it, and refuses with a way on."""

from __future__ import annotations

import ast
import unittest

from hypothesis import given, settings, strategies as st

from tests.support import BEEPER, FROST, ROOT, demo, design, part, pin_of, said
from vane_step.core.ask import VERBS, ask, complete
from vane_step.core.ask.verbs import places
from vane_step.core.board.drc.check import check
from vane_step.core.board.drc.decoupling import nearness_findings
from vane_step.core.design.edits import PlaceParts, SetItem, apply
from vane_step.core.design.model import Design, Pin
from vane_step.core.errors import EditRefused, InputError, NotFound, VaneStepError
from vane_step.core.judge import all_findings
from vane_step.core.patterns.skills import is_through_hole
from vane_step.data.shipped import resources

SETS = resources()
FORMS = {verb.name: verb.form.split(" · ") for verb in VERBS.values()}


def done(d: Design, *sentences: str) -> Design:
    """Carry sentences out one after the other."""
    for text in sentences:
        edit = ask(d, text, SETS).edit
        assert edit is not None
        d = apply(d, edit)[0]
    return d


class Verbs(unittest.TestCase):
    """One sentence or more for every verb."""

    def test_every_verb(self) -> None:
        """Each verb of the list is understood and says what it will do."""
        d = demo(FROST)
        open_one = done(d, "lift PUMP_G", "place R9 off")
        buck = " ".join(r for r, p in d.parts.items() if p.block.startswith("Buck"))
        d = done(d, f"block {buck} New parts")
        some = next(f for f in all_findings(d) if f.level != "stop" and f.place.refs)
        sentences = {
            "join": "join U1.PA13 HORN",
            "net": "net HORN U1.PA13",
            "find": "find motor driver",
            "help": "help",
            "rest": "rest U1",
            "disconnect": "disconnect R9.1",
            "rename": "rename HORN SIREN",
            "merge": "merge HORN PUMP_ON",
            "pin": "pin U1.19 SPARE io",
            "pins": "pins J7 GND TX RX",
            "matrix": "matrix ROW0..2 COL0..4",
            "repeat": "repeat Lights 2",
            "value": "value R9 4k7 1%",
            "block": "block R9 Pump driver",
            "divide": "divide",
            "copy": "copy R9 LED1",
            "call": "call Hoarfrost",
            "add": "add R40 CHIP-1608M 10k",
            "remove": "remove R9",
            "nudge": "nudge U1 0 1",
            "place": "place R9 10 10 90",
            "turn": "turn R9",
            "flip": "flip R9",
            "lock": "lock R9",
            "unlock": "unlock R9",
            "width": "width PUMP 2A",
            "neck": "neck PUMP 0.5mm 2mm",
            "fiducials": "fiducials front",
            "bank": "bank J3.1 J3.2 as A",
            "names": "names J5 pin",
            "values": "values R7 R8",
            "current": "current PUMP 500 mA 10 K",
            "rail": "rail 12V 10.8..14.4",
            "source": "source BATT BATT GND 12.6V 10.8..14.4V 0.05ohm 7Ah",
            "load": "load PUMP 12V PUMP 6ohm in pump for 1s",
            "drives": "drives PUMP_ON high in pump",
            "mode": "mode watch 97%",
            "state": "state night J2=off mode=reset",
            "rating": "rating U1 iq_a=5mA",
            "sink": "sink R9 none",
            "clearance": "clearance PUMP 0.3mm",
            "role": "role HORN signal",
            "unroute": "unroute PUMP",
            "outline": "outline 82x58 3",
            "hole": "hole 40 40 3",
            "text": 'text "HELLO" 40 3 1.5 back',
            "move": "move H1 5 5",
            "pour": "pour GND front",
            "zone": "zone hand 1 1 5x5",
            "edge": "edge J1 left 40",
            "grid": "grid R9 R10 2x1 5 at 10 10",
            "field": "field 40 40 12x5 back",
            "layers": "layers SDA back",
            "drills": "drills 0.3 0.8",
            "method": "method film",
            "teardrops": "teardrops 12V",
            "centre": "centre all",
            "choose": "choose kind=led",
            "align": "align R1 R2 left",
            "space": "space R1 R2 up 2",
            "shift": "shift R1 R2 1 1",
            "cutout": "cutout 20 20 5x3 1",
            "slot": "slot 20 20 24 20 1.5",
            "clear": "clear ground 20 20 5x3",
            "rules": "rules four-layer-house 4",
            "rule": 'rule track 0.14mm name "Shed press"',
            "go": "go U1",
            "undo": "undo",
            "redo": "redo",
            "swap": "swap R9 QR-16-220R",
            "use": 'use "Debounced button" BUTTON=TX',
            "demand": 'demand "SENSE: adc"',
            "assign": "assign U1",
            "calc": "calc SLOW rc r_ohm=R10 c_f=C13",
            "accept": "accept COIL",
            "input": "input COIL load_a=1.2",
            "sheet": "sheet Lights Yard",
            "hint": 'hint Lights "where they are seen"',
            "worked": 'worked Lights "bench, 2026-11-02"',
            "need": 'need Q9 wish "Small" area<=50',
            "show": 'show Q6 yes "heard at the gate"',
            "brief": "brief tall 14",
            "waive": f'waive {some.code} {" ".join(some.place.refs)} "agreed at the table"',
            "fit": "fit J7 no in accu",
            "variant": 'variant bench "on the bench"',
            "either": "either FEED D1 D3",
            "note": 'note U2 "hot"',
            "extra": 'extra SOCKET 1 "32-way socket" number=SK-32 for=U2',
            "pattern": "pattern OWN-8 gull pins=8",
            "checked": "checked TQFP-32 below anticlockwise",
            "proven": 'proven TQFP-32 "bench, 2026-11-02"',
        }
        for text in sentences.values():
            with self.subTest(text):
                proposal = ask(d, text, SETS)
                self.assertTrue(proposal.says)
                self.assertTrue(proposal.edit is not None or proposal.action)
                if not any("…" in form or form.rstrip("]").endswith('"') for form in FORMS[text.split()[0]]):
                    # Where the form ends, so does what is taken: nothing said is passed over.
                    with self.assertRaises(VaneStepError, msg=f"{text} and more"):
                        ask(d, f"{text} and more", SETS)
                for former in VERBS[text.split()[0]].also:
                    again = ask(d, f"{former} {text.partition(' ')[2]}", SETS)
                    self.assertEqual((again.says, again.edit), (proposal.says, proposal.edit), former)
        self.assertIn(
            "routes 1 unrouted connection", ask(done(d, "lift PUMP_ON"), "route PUMP_ON", SETS).says
        )
        self.assertIn("puts 1 parts", ask(open_one, "arrange", SETS).says)
        self.assertEqual(
            {*sentences, "route", "arrange", "advise", "widen", "thermal", "stitch", "vias", "exchange"},
            set(VERBS),
        )

    def test_all_that_is_named_is_taken_out(self) -> None:
        """Parts by name, run and block, items and nets, in one sentence; nets without pins go along, others stay whole."""
        d = done(demo(FROST), "hole 40 40 3")
        hole = next(h for h in d.holes if h not in demo(FROST).holes)
        lights = {p.ref for p in d.parts.values() if p.block == "Lights"}
        after = done(d, f"remove R9 R1..2 block=Lights {hole} HORN")
        self.assertEqual(set(d.parts) - set(after.parts), {"R9", "R1", "R2"} | lights)
        self.assertNotIn(hole, after.holes)
        self.assertNotIn("HORN", after.nets)
        self.assertTrue(
            all(n.pins or n.name in {t.net for t in after.tracks.values()} for n in after.nets.values())
        )
        bare = done(
            design(
                [part("R1", "CHIP-1608M", 5, 5), part("R2", "CHIP-1608M", 9, 9)],
                {"A": "R1.1 R2.1", "B": "R1.2"},
            ),
            "remove R1",
        )
        self.assertEqual((set(bare.parts), set(bare.nets)), ({"R2"}, {"A"}))
        clash = apply(d, SetItem(hole=d.holes[hole].model_copy(update={"id": "R9"})))[0]
        with self.assertRaisesRegex(EditRefused, "something else"):
            ask(clash, "remove R9", SETS)
        self.assertNotIn("R9", done(clash, "remove item=R9").holes)
        self.assertNotIn("R9", done(clash, "remove part=R9").parts)
        self.assertNotIn(
            next(iter(done(clash, "add H5 HDR-1x2", "hole 60 40 3").holes.keys() - clash.holes.keys())),
            ("H5",),
        )

    def test_pins_by_name_or_number(self) -> None:
        """A pin may be called by either; case does not matter for the reference and the name."""
        d = demo(FROST)
        for text in ("join U1.12 X", "join U1.PA8 X", "join u1.pa8 X"):
            self.assertEqual(done(d, text).nets["X"].pins, ("U1.12",))
        self.assertEqual(done(d, "join U1.12 U1.19").nets["N1"].pins, ("U1.12", "U1.19"))
        self.assertIn("U1.12", done(d, f"join U1.12 {pin_of('U1', 'PUMP_ON')}").nets["PUMP_ON"].pins)

    def test_width_by_current(self) -> None:
        """The width follows from the current, rounded up to 0.05 mm, and keeps its reason."""
        for text, amps in (
            ("width HORN 800 mA", 0.8),
            ("width HORN 500mA", 0.5),
            ("current HORN 0.25", 0.25),
        ):
            rule = done(demo(FROST), text).nets["HORN"].rule
            assert rule is not None and rule.current is not None
            self.assertEqual(rule.current.current_a, amps)
            # A current never makes a track thinner than it is without one.
            self.assertGreaterEqual(rule.width_nm, demo(FROST).board.rules.default_width_nm)
        off = done(demo(FROST), "width HORN 5A", "current HORN none").nets["HORN"].rule
        assert off is not None
        self.assertEqual((off.current, off.width_nm), (None, demo(FROST).board.rules.default_width_nm))
        rule = done(demo(FROST), "width HORN 1.5A 20K").nets["HORN"].rule
        assert rule is not None and rule.current is not None
        self.assertEqual((rule.width_nm, rule.current.current_a, rule.current.rise_k), (350_000, 1.5, 20))

    def test_place_by_a_pin(self) -> None:
        """A capacitor placed by a supply pin lies free and within the rule of thumb, and its finding is gone."""
        d = done(demo(FROST), "lift 3V3", "lift GND", "place C8 60 4")
        self.assertTrue(
            [f for f in nearness_findings(d) if "C8" in f.message or f.code == "decoupling-distance"]
        )
        d = done(d, "place C8 by U1.6")
        self.assertEqual(nearness_findings(d), ())
        self.assertNotIn("courtyard", {f.code for f in check(d).findings})

    def test_arrange(self) -> None:
        """Parts without a place get one, on the board, without overlaps; those with one stay."""
        d = demo(BEEPER)
        bare = apply(d, PlaceParts(places={r: None for r in d.parts if r != "U1"}))[0].replaced(tracks={})
        after = done(bare, "arrange")
        self.assertEqual(after.parts["U1"].place, d.parts["U1"].place)
        self.assertLessEqual({f.code for f in check(after).findings}, {"unrouted"})
        with self.assertRaises(EditRefused):
            ask(after, "arrange", SETS)


class Places(unittest.TestCase):
    """What a verb's work reads has a place in its form, so that nothing it can do is refused before it is reached."""

    def test_every_word_that_is_read_has_a_place(self) -> None:
        """The form of a verb has place for each word its function reads by number, and is the one it tells."""
        for path in sorted((ROOT / "vane_step/core/ask").glob("*.py")):
            for node in ast.parse(path.read_text("utf-8")).body:
                names = [
                    d.args[0].value
                    for d in getattr(node, "decorator_list", ())
                    if isinstance(d, ast.Call)
                    and getattr(d.func, "id", "") == "verb"
                    and isinstance(d.args[0], ast.Constant)
                ]
                for name in names:
                    verb, read = VERBS[str(name)], [0]
                    for piece in ast.walk(node):
                        if isinstance(piece, ast.Subscript) and getattr(piece.value, "id", "") == "words":
                            k = piece.slice
                            read += (
                                [k.value + 1]
                                if isinstance(k, ast.Constant) and isinstance(k.value, int)
                                else []
                            )
                        if isinstance(piece, ast.Assign) and getattr(piece.targets[0], "id", "") == "form":
                            told = getattr(piece.value, "value", verb.form)
                            self.assertEqual(told, verb.form, name)
                    most = places(verb)
                    self.assertTrue(
                        most is None or max(read) <= most, f"{name} reads {max(read)} of {most} words"
                    )

    def test_what_was_refused_once(self) -> None:
        """A measurement with its unit apart, switches of a matrix, a pin called by what a port can do."""
        d = said(design([part("R1", "CHIP-2012M", 5, 5)]), 'need Q1 must "Warns in time" measured<=10 s')
        self.assertEqual((d.requirements["Q1"].limit, d.requirements["Q1"].unit), (10.0, "s"))
        d = said(
            design([part("R1", "CHIP-2012M", 5, 5)]), "matrix A0..1 B0..1 to-rows KEY-P650-D12 DIODE-P762"
        )
        self.assertEqual(
            {p.package for p in d.parts.values()} - {d.parts["R1"].package}, {"KEY-P650-D12", "DIODE-P762"}
        )
        plain = part("U1", "DIP-8", 20, 20)
        names = {"1": "RESET", "3": "GND", "7": "VDD"}
        pins = tuple(Pin(number=p.number, name=names.get(p.number, f"X{p.number}")) for p in plain.pins)
        old = plain.model_copy(update={"pins": pins})
        d = said(design([old], {"RST": "U1.1", "VCC": "U1.7"}), "swap U1 OW-8D")
        self.assertEqual((d.net_of("U1.1"), d.net_of("U1.7")), ("RST", "VCC"))


class Refusals(unittest.TestCase):
    """What cannot be done says why and what could."""

    def test_table(self) -> None:
        """The kind of refusal, and the words that help."""
        d = demo(FROST)
        for text, kind, says in (
            ("", InputError, "join"),
            ("fly U1", InputError, "no verb"),
            ("join U1.1", InputError, "join PIN"),
            ("join U1 X", NotFound, "Which pin"),
            ("join U1.99 X", NotFound, "U1.PA3"),
            ("join U9.1 X", NotFound, "no part"),
            ("join U1.1 A,B", InputError, ""),
            ("rename HORN PUMP", EditRefused, "merge HORN PUMP"),
            ("width HORN 2furlongs", InputError, ""),
            ("width HORN 99A", InputError, "35 A"),
            ("width HORN 800 mm", InputError, "50 mm"),
            ("width HORN 2A 10K more", InputError, "more"),
            ("width HORN 5V", InputError, "length"),
            ("current HORN 0.5mm", InputError, "no current"),
            ("clearance HORN 0.01mm", InputError, "gap"),
            ("place R9 1e9 4", InputError, ""),
            ("place R9 4 north", InputError, ""),
            ("add R1 CHIP-1608M", EditRefused, "in use"),
            ("add R99 SOIC-9", NotFound, "SOIC-8"),
            ("add R98..99 QR-16 4k8", NotFound, "QR-16-4P7K"),
            ("add R99 resistor", InputError, "add R1 resistor 10k"),
            ("add U99 AT-50", NotFound, "AR-50"),
            ("add J99 qwertzuiop", NotFound, "another word"),
            ("add R.9 SOIC-8", InputError, ""),
            ("role HORN loud", InputError, ""),
            ("pin U1.1 A loud", InputError, ""),
            ("rules nobody", NotFound, "kitchen-table"),
            ("rules standard-house 4", EditRefused, "1, 2"),
            ("outline 60", InputError, "60x40"),
            ("outline 1x1", InputError, "2 to 600"),
            ("hole 1 1 -3", InputError, ""),
            ("pour GND in1", EditRefused, "front, back"),
            ("move H99 1 1", NotFound, "H1"),
            ("lift NOTHING", NotFound, ""),
            ("route", EditRefused, "route fresh"),
            ("remove Q99", NotFound, ""),
            ("nudge U1 x y", InputError, ""),
            ("turn R99", NotFound, ""),
            ("go X99", NotFound, ""),
        ):
            with self.subTest(text), self.assertRaises(kind) as caught:
                ask(d, text, SETS)
            self.assertIn(says, caught.exception.line())

    @settings(max_examples=300)
    @given(
        st.lists(
            st.one_of(
                st.sampled_from(list(VERBS)),
                st.sampled_from(
                    [
                        "R9",
                        "U1",
                        "U1.1",
                        "GND",
                        "H1",
                        "10",
                        "-3",
                        "2A",
                        "by",
                        "off",
                        "x",
                        '"',
                        "'",
                        "fresh",
                        "all",
                        "60x40",
                        "back",
                    ]
                ),
                st.text(max_size=8),
            ),
            max_size=6,
        )
    )
    def test_any_words(self, words: list[str]) -> None:
        """Any sentence is understood, or refused with what to type instead; completing it never fails."""
        d = demo(BEEPER)
        text = " ".join(words)
        complete(d, text, SETS)
        try:
            ask(d, text, SETS)
        except VaneStepError as error:
            self.assertTrue(error.message and error.next_step, error)


class Completion(unittest.TestCase):
    """How a sentence may go on."""

    def test_words(self) -> None:
        """Verbs, then references, pins, nets, packages, layers and rules where they belong."""
        d = demo(FROST)
        for text, wanted in {
            "jo": "join",
            "join U": "U1.",
            "join U1.PA": "U1.PA3",
            "join U1.1 PUM": "PUMP_ON",
            "place C8 b": "by",
            "place C8 by U1.V": "U1.VDD",
            "width PU": "PUMP",
            "role HORN s": "signal",
            "pour GND b": "back",
            "rules k": "kitchen-table",
            "add R99 CHIP": "CHIP-1608M",
            "pin U1.1 X supply": "supply-in",
            "move H": "H1",
        }.items():
            with self.subTest(text):
                self.assertIn(wanted, complete(d, text, SETS))
        self.assertEqual(complete(d, "undo ", SETS), [])
        self.assertEqual(complete(design([part("R1", "CHIP-1608M", 5, 5)]), "width ", SETS), [])


class Misspelt(unittest.TestCase):
    """A verb that is none."""

    def test_the_nearest_is_told(self) -> None:
        """One letter off, or the first one large, the verb meant is named."""
        for typed, meant in (
            ("currant GND 1A", "current"),
            ("ruote", "route"),
            ("puor GND back", "pour"),
        ):
            with self.assertRaises(InputError) as told:
                ask(demo(BEEPER), typed, resources())
            self.assertIn(meant, told.exception.next_step)

    def test_words_of_a_newcomer(self) -> None:
        """Parts by what people call them, in the brief's technique; large letters, TO and AND change nothing."""
        d = said(
            design([]),
            "add R1 10k",
            "ADD led1 red",
            "add 2 push button",
            "add R2..4 1k 2k2 3k3",
            "add 4 standoff",
        )
        self.assertEqual(
            {r: d.parts[r].catalogue for r in ("R1", "LED1", "S2", "R3")},
            {"R1": "QR-16-10K", "LED1": "GL-16R", "S2": "PK-6", "R3": "QR-16-2P2K"},
        )
        self.assertEqual([x.count for x in d.extras.values()], [4])
        d = said(d, "JOIN R1.1 to LED1.A", "connect R1.2 and R2.1", "Wire R2.2 to GND")
        self.assertEqual(len(d.nets), 3)
        self.assertIn("R2.2", d.nets["GND"].pins)
        leaded = said(design([]), "brief skills through-hole", "add R1 10k", "add C1 100n", "add Q1 mosfet")
        for mine in leaded.parts.values():
            self.assertTrue(is_through_hole(leaded.packages[mine.package]), mine.catalogue)

    def test_sentences_of_newcomers(self) -> None:
        """Of 35 sentences a newcomer tries none is refused, one after the other; those that cannot be answer with the next step."""
        d, tried = design([]), 0
        for line in (ROOT / "tests" / "samples" / "newcomer.txt").read_text(encoding="utf-8").splitlines():
            text, _, says = line.removeprefix("! ").partition(" = ")
            with self.subTest(text):
                if line.startswith("#"):
                    continue
                if line.startswith("!"):
                    with self.assertRaises(VaneStepError) as told:
                        ask(d, text, resources())
                    self.assertIn(says, told.exception.line())
                    continue
                tried += 1
                edit = ask(d, text, resources()).edit
                d = apply(d, edit)[0] if edit else d
        self.assertGreaterEqual(tried, 35)
        self.assertEqual(d.parts["R1"].value, "33k")
        self.assertEqual(d.net_of("Q1.2"), d.net_of("R3.1"))

    def test_a_controller_as_the_brief_wants_it(self) -> None:
        """Technique, supply, crystal and pins follow brief and demand; every part has a number, the port of the loader is kept free."""
        d = said(
            design([]),
            "brief skills through-hole",
            'demand "SENSE: adc, PUMP: pwm, uart, CLOCK: xtal, supply 5"',
            "use controller OW-28D",
        )
        self.assertIn("5V", d.nets)
        self.assertNotIn("3V3", d.nets)
        self.assertTrue(all(is_through_hole(d.packages[p.package]) for p in d.parts.values()))
        self.assertEqual([r for r, p in d.parts.items() if not p.catalogue], [])
        self.assertEqual({"SENSE", "PUMP"} - {u.demand for u in d.parts["U1"].uses}, set())
        loader, demanded = (d.nets[n].pins for n in ("PROG_TX", "UART1_TX"))
        self.assertFalse(set(loader) & set(demanded))
        changed = said(d, "value R1 22k")
        self.assertEqual(changed.parts["R1"].catalogue, "LMF-22K")
        self.assertIn("no value 9.99 k", ask(d, "value R1 9k99", resources()).says)
        self.assertIn("Linear 3V3", ask(d, "use linear 3v3", resources()).says)
        with self.assertRaises(NotFound) as told:
            ask(d, "use linear regulator", resources())
        self.assertEqual(len(told.exception.allowed.split(", ")), 5)

    def test_the_form_is_told(self) -> None:
        """A sentence that goes wrong after its verb is answered with how it goes; references may follow each other."""
        with self.assertRaises(InputError) as told:
            ask(demo(BEEPER), "outline 90x60 corner=4", resources())
        self.assertIn("outline 60x40 [RADIUS]", told.exception.next_step)
        d = said(design([]), "add C1 C2 C4..5 CHIP-1608M 100n", "add R1 R2 CHIP-1608M 1k 2k")
        self.assertEqual(
            {r: p.value for r, p in d.parts.items()},
            {"C1": "100n", "C2": "100n", "C4": "100n", "C5": "100n", "R1": "1k", "R2": "2k"},
        )
