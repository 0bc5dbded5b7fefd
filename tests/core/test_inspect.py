"""Files of any board: other dialects read as what they say, files known for what they are, measures by closed forms."""

from __future__ import annotations

import math
import random
import re
import unittest

import shapely

from tests.support import BEEPER, CIDER, FROST, demo, said
from vane_step.core.design.model import Design
from vane_step.core.errors import InputError
from vane_step.core.fab.read_types import UnreadableFile
from vane_step.core.fab.reader import read_drill, read_gerber
from vane_step.core.fab.release import write_files
from vane_step.core.inspect.board_files import BoardFiles, read_board
from vane_step.core.inspect.differences import differences
from vane_step.core.inspect.look import look_at
from vane_step.core.inspect.measures import measured
from vane_step.core.inspect.picture import picture
from vane_step.data.shipped import rule_sets
from vane_step.workbench.makers import maker_of_rules

HEAD = "%FSLAX46Y46*%\n%MOMM*%\n%ADD10C,0.2*%\n%ADD11R,1X0.5*%\n"
# What of a line of the program's own files is a place.
PLACE = r"^(X-?\d+)?(Y-?\d+)?(?=D0[123]\*)"
STAMP = "2026-01-01T00:00:00Z"


def gerber(*lines: str, head: str = HEAD) -> str:
    """Write a Gerber file of some lines."""
    return head + "\n".join(lines) + "\nM02*\n"


def area(*lines: str, head: str = HEAD) -> float:
    """Give the area a Gerber file covers, in square millimetres."""
    return float(read_gerber(gerber(*lines, head=head), "x").image.area)


def older(text: str, luck: random.Random) -> str:
    """Write a Gerber file of the program the way an older program would: no attributes, other numbers, other habits."""
    inch, trailing, digits = luck.random() < 0.5, luck.random() < 0.5, 5
    per = 25.4 if inch else 1.0
    whole = 2 if inch else 3
    lines = [x for x in text.splitlines() if not x.startswith(("%T", "G04"))]
    body = "\n".join(lines)
    body = re.sub(
        r"%FSLAX46Y46\*%", f"%FS{'T' if trailing else 'L'}AX{whole}{digits}Y{whole}{digits}*%", body
    )
    body = body.replace("%MOMM*%", "" if inch and luck.random() < 0.5 else ("%MOIN*%" if inch else "%MOMM*%"))
    if inch and "MOIN" not in body:
        body = body.replace("*%\n", "*%\nG70*\n", 1)

    def number(said: str) -> str:
        value = round(int(said) / 1e6 / per * 10**digits)
        sign, plain = ("-" if value < 0 else ""), str(abs(value))
        return sign + (plain.zfill(whole + digits).rstrip("0") or "0" if trailing else plain)

    body = re.sub(PLACE, lambda m: re.sub(r"-?\d+", lambda n: number(n[0]), m[0]), body, flags=re.MULTILINE)

    def sizes(m: re.Match[str]) -> str:
        return m[1] + "X".join(f"{float(v) / per:.7f}" for v in m[2].split("X")) + "*%"

    body = re.sub(r"(%ADD\d+[CRO],)([\d.X]+)\*%", sizes, body)

    def primitive(row: str) -> str:
        f = row.split(",")
        last = {"1": 5, "20": 7, "21": 6}.get(f[0])
        return ",".join(f"{float(v) / per:.7f}" if last and 2 <= k < last else v for k, v in enumerate(f))

    body = re.sub(r"%AM([^%]*)%", lambda m: "%AM" + "*".join(map(primitive, m[1].split("*"))) + "%", body)
    if luck.random() < 0.5:
        body = re.sub(r"^(D\d\d)\*", r"G54\1*", body, flags=re.MULTILINE)
    return re.sub(r"D0([123])\*", r"D\1*" if luck.random() < 0.5 else r"D0\1*", body)


def older_drill(text: str, luck: random.Random) -> str:
    """Write a drill file the way an older program would, without points and mostly without saying how they are meant."""
    unit, whole, decimals, per = luck.choice((("INCH", 2, 4, 25.4), ("METRIC", 3, 3, 1.0)))
    keeps = luck.choice(("LZ", "TZ"))
    lines = ["M48", f"{unit},{keeps}"]
    for line in text.splitlines():
        if match := re.fullmatch(r"T(\d+)C([\d.]+)", line):
            lines.append(f"T{match[1]}F200S65C{float(match[2]) / per:.5f}")
        elif match := re.fullmatch(r"X([-\d.]+)Y([-\d.]+)", line):
            places = []
            for k in (1, 2):
                plain = str(round(float(match[k]) / per * 10**decimals)).zfill(whole + decimals)
                places.append(plain.rstrip("0") or "0" if keeps == "LZ" else plain.lstrip("0") or "0")
            lines.append(f"X{places[0]}Y{places[1]}")
        elif line in ("%", "M30") or re.fullmatch(r"T\d+", line):
            lines.append(line)
    if luck.random() < 0.5:
        lines[1] = unit
        lines.insert(1, f";FILE_FORMAT={whole}:{decimals}")
        if keeps == "LZ":
            lines[2] = f"{unit},LZ"
    return "\n".join(lines) + "\n"


def written(design: Design) -> dict[str, str]:
    """Write the files of a design that show something."""
    files = write_files(design, STAMP)
    return {n: t for n, t in files.items() if n.endswith((".gbr", ".xnc", ".ipc")) and "component" not in n}


def board_of(files: dict[str, str]) -> BoardFiles:
    """Read files as a board."""
    return read_board({n: t.encode() for n, t in files.items()})


class Dialects(unittest.TestCase):
    """What other programs wrote is what they meant."""

    def test_written_another_way(self) -> None:
        """Boards written in ten older ways are the same boards: images, holes, outline, nets; each file known for what it is."""
        names = {
            "copper": "art",
            "mask": "solder mask",
            "legend": "silkscreen",
            "paste": "cream",
            "profile": "edges",
        }
        for seed, slug in enumerate((FROST, BEEPER, FROST, CIDER, FROST)):
            luck = random.Random(seed)
            files = written(demo(slug))
            other = {}
            for name, text in files.items():
                kind = re.search(r"-(copper|mask|legend|paste|profile)-?(front|back|inner-\d)?", name)
                if name.endswith(".xnc"):
                    other[
                        f"holes {len(other)}{' npth' if 'unplated' in name or 'non' in name else ''}.txt"
                    ] = older_drill(text, luck)
                elif kind:
                    side = {"front": "top", "back": "bottom", None: ""}.get(kind[2], kind[2])
                    other[f"{side} {names[kind[1]]}.pho"] = older(text, luck)
            first, second = board_of(files), board_of(other)
            self.assertEqual(second.refused, {}, slug)
            apart = differences(first, second)
            self.assertEqual(
                [(x.role, x.missing, round(x.area_mm2, 3)) for x in apart.layers if not x.same], [], seed
            )
            self.assertEqual(apart.holes, (), seed)
            groups = [len(set(b.nets.values())) for b in (first, second)]
            self.assertEqual(groups[0], groups[1])
            self.assertTrue(any(not x.role.sure for x in second.layers))

    def test_known_by_what_they_show(self) -> None:
        """Without a word in any name outline, copper, masks and legend are known by what is on them."""
        files = [older(t, random.Random(1)) for n, t in written(demo(FROST)).items() if n.endswith(".gbr")]
        kinds = [n for n in written(demo(FROST)) if n.endswith(".gbr")]
        known = board_of({f"{k}.dat": t for k, t in enumerate(files)})
        told = {layer.name: layer.role.kind for layer in known.layers}
        for k, name in enumerate(kinds):
            wanted = (
                "outline" if "profile" in name else re.findall("copper|mask|legend|paste|drillmap", name)[0]
            )
            wanted = "other" if wanted == "drillmap" else wanted
            if len(files[k]) > 600:
                self.assertEqual(told[f"{k}.dat"], wanted, name)
        self.assertAlmostEqual(known.outline.area, board_of(written(demo(FROST))).outline.area, places=2)

    def test_shapes(self) -> None:
        """Arcs, repeats, blocks, turned apertures, macros, clear and negative parts cover what closed forms say."""
        full = ("D10*", "G75*", "X5000000Y0D02*", "G03X5000000Y0I-5000000J0D01*")
        self.assertAlmostEqual(area(*full), math.pi * 10 * 0.2, delta=2e-3)
        quarter = (
            "G36*",
            "G74*",
            "X0Y0D02*",
            "G01X5000000Y0D01*",
            "G03X0Y5000000I5000000J0D01*",
            "G01X0Y0D01*",
            "G37*",
        )
        self.assertAlmostEqual(area(*quarter), math.pi * 25 / 4, delta=4e-3)
        repeat = ("D11*", "%SRX3Y2I5J4*%", "X0Y0D03*", "%SR*%")
        self.assertAlmostEqual(area(*repeat), 6 * 0.5, places=6)
        block = (
            "%ABD20*%",
            "D11*",
            "X0Y0D03*",
            "X0Y2000000D03*",
            "%AB*%",
            "D20*",
            "X0Y0D03*",
            "%LR90*%",
            "%LS2*%",
            "X9000000Y0D03*",
        )
        self.assertAlmostEqual(area(*block), 1.0 + 4.0, places=6)
        turned = read_gerber(gerber(*block), "x").image
        self.assertAlmostEqual(turned.intersection(shapely.box(4.5, -1, 5.5, 1)).area, 2.0, places=6)
        macro = "%AMRING*$3=$1-2x$2*1,1,$1,0,0*1,0,$3,0,0*%\n%ADD12RING,3X0.5*%\n"
        self.assertAlmostEqual(area("D12*", "X0Y0D03*", head=HEAD + macro), math.pi * (2.25 - 1), delta=2e-3)
        frame = "%AMBOX*4,1,4,0,0,2,0,2,1,0,1,0,0,$1*5,1,6,10,0,2,0*7,20,0,2,1,0.2,0*%\n%ADD13BOX,30*%\n"
        hexagon = 3 * math.sqrt(3) / 2
        spokes = math.pi * (1 - 0.25) - 4 * 0.2 * 0.5
        self.assertAlmostEqual(area("D13*", "X0Y0D03*", head=HEAD + frame), 2 + hexagon + spokes, delta=0.02)
        drawn = ("D11*", "X0Y0D02*", "X10000000Y0D01*")
        self.assertAlmostEqual(area(*drawn), 11 * 0.5, places=6)
        hole = ("D11*", "X0Y0D03*", "%LPC*%", "D10*", "X0Y0D03*")
        self.assertAlmostEqual(area(*hole), 0.5 - math.pi * 0.01, delta=1e-3)
        negative = "%IPNEG*%\n"
        self.assertAlmostEqual(
            area("D11*", "X0Y0D03*", "X9000000Y0D03*", head=HEAD + negative), 10 * 0.5 - 1.0, places=6
        )
        steps = HEAD.replace("FSLAX", "FSLIX")
        self.assertAlmostEqual(
            area("D10*", "X0Y0D02*", "X1000000D01*", "X1000000D01*", head=steps),
            0.4 + math.pi * 0.01,
            delta=1e-3,
        )

    def test_slots_and_rows(self) -> None:
        """Slots by G85 and by routing, rows of holes, incremental and modal places of drill files."""
        text = "M48\nMETRIC\nT1C1.0\n%\nG05\nT1\nX1.0Y1.0G85X4.0Y1.0\nX10.0Y5.0\nR3X2.0\nX0.0\nG00X0.0Y20.0\nM15\nG01X5.0Y20.0\nM16\nG05\nT0\nM30\n"
        read = read_drill(text, "x")
        self.assertEqual(read.slots, [(1.0, 1.0, 4.0, 1.0, 1.0), (0.0, 20.0, 5.0, 20.0, 1.0)])
        self.assertEqual(read.holes, [(10, 5, 1), (12, 5, 1), (14, 5, 1), (16, 5, 1), (0, 5, 1)])

    def test_refused_with_its_reason(self) -> None:
        """What has no apertures, no end, no middle of an arc, or would never end is refused, and says which file and why."""
        bomb = gerber("%SRX9999Y9999I1J1*%", "D11*", "X0Y0D03*", "%SR*%")
        deep = gerber(*(f"%ABD{k}*%" for k in range(20, 40)))
        for text, says in (
            ("G54D10*\nX100Y100D03*\nM02*\n", "RS-274-D"),
            ("D10*\nX0Y0D02*\nM02*\n", "RS-274-D"),
            (gerber("D10*", "G02X5Y5D01*"), "without its middle"),
            (bomb, "objects"),
            (deep, "not understood"),
            (HEAD + "D10*\n", "no end"),
            (
                gerber("%AMX*1,1,((((((((((((((((((((((1)))))))))))))))))))))),0,0*%", "%ADD40X*%"),
                "not understood",
            ),
        ):
            with self.assertRaisesRegex(UnreadableFile, says):
                read_gerber(text, "x.gbr")
        with self.assertRaisesRegex(UnreadableFile, "not understood"):
            read_drill("M48\nMETRIC\nT1C1.0\n%\nT1\nX1.0Y1.0\nR999999999X0.1\nM30\n", "x")
        with self.assertRaisesRegex(InputError, "RS-274-D"):
            try:
                read_board({"a.pho": b"G54D10*\nX100Y100D03*\nM02*\n"})
            except InputError as error:
                raise InputError(f"{error.message} {error.next_step}") from error


class Measured(unittest.TestCase):
    """Readings of files whose figures are known."""

    def plates(self, gap: float, ring: float) -> dict[str, bytes]:
        """Write two pads apart by a gap, a hole with a ring in one of them, their mask and an outline."""
        far = round((1 + gap) * 1e6)
        pad = f"%ADD20R,{1}X1*%\n%ADD21C,{0.4 + 2 * ring}*%\n"
        flash = [
            "D20*",
            "X5000000Y5000000D03*",
            f"X{5000000 + far}Y5000000D03*",
            "D21*",
            "X2000000Y2000000D03*",
        ]
        edge = ["D10*", "X0Y0D02*", "X10000000D01*", "Y8000000D01*", "X0D01*", "Y0D01*"]
        track = ["D10*", "X2000000Y2000000D02*", "X2000000Y5000000D01*", "X5000000D01*"]
        drill = "M48\nMETRIC\nT1C0.4\n%\nT1\nX2.0Y2.0\nT0\nM30\n"
        return {
            "top copper.gbr": gerber(*flash, *track, head=HEAD + pad).encode(),
            "top mask.gbr": gerber(*flash, head=HEAD + pad).encode(),
            "outline.gbr": gerber(*edge).encode(),
            "plated holes.drl": drill.encode(),
        }

    def test_by_closed_forms(self) -> None:
        """Gap, ring, width, edge and bridge are those drawn, to a micrometre; makers hold them against their limits."""
        for gap, ring in ((0.123, 0.15), (0.4, 0.087)):
            look = look_at(self.plates(gap, ring), {}, [maker_of_rules(r) for r in rule_sets().values()])
            told = {m.key: m.value for m in look.measures}
            wanted = {
                "gap": gap,
                "ring": ring,
                "track": 0.2,
                "bridge": gap,
                "drill": 0.4,
                "width": 10,
                "height": 8,
            }
            for key, value in wanted.items():
                self.assertAlmostEqual(told[key], value, delta=0.0011, msg=key)
            self.assertAlmostEqual(told["edge"], 2 - 0.2 - ring, delta=0.0011)
            holds = {(v.maker, v.key): v.holds for v in look.verdicts}
            house = rule_sets()["standard-house"]
            self.assertEqual(holds["standard-house", "gap"], gap >= house.min_clearance_nm / 1e6)
            self.assertEqual(holds["standard-house", "ring"], ring >= house.min_ring_nm / 1e6)
            able = {a.maker: a.cannot for a in look.makers}["standard-house"]
            self.assertEqual(set(able), {k for (m, k), h in holds.items() if m == "standard-house" and not h})
            self.assertEqual((look.nets, look.holes), (2, ((0.4, True, 1),)))

    def test_the_finest_line_that_stands_alone(self) -> None:
        """Lines that paint an area are no fine copper, nor are those that take away; the place is that of the finest line."""
        painted = [f"X0Y{k * 100000}D02*\nX5000000Y{k * 100000}D01*" for k in range(20)]
        head = HEAD + "%ADD14C,0.12*%\n%ADD15C,0.05*%\n"
        lone = (
            "D10*",
            "X8000000Y0D02*",
            "X8000000Y4000000D01*",
            "%LPC*%",
            "D15*",
            "X0Y1000000D02*",
            "X1Y1000000D01*",
        )
        files = {"top copper.gbr": gerber("D14*", *painted, *lone, head=head).encode()}
        told = next(m for m in measured(read_board(files)) if m.key == "track")
        self.assertEqual((told.value, told.x_mm, told.y_mm), (0.2, 8.0, 2.0))
        slots = {"holes.drl": b"M48\nMETRIC\nT1C1.0\n%\nT1\nX1.0Y1.0G85X4.0Y1.0\nT0\nM30\n"}
        [[ring]] = picture(read_board(files | slots))["slots"]
        self.assertEqual((min(ring[::2]), max(ring[::2])), (500, 4500))

    def test_what_is_said_counts(self) -> None:
        """A person corrects a guess; what is no kind of file is refused with what may be said."""
        files = self.plates(0.3, 0.15)
        other = read_board(files, {"top mask.gbr": "paste front", "plated holes.drl": "drill unplated"})
        self.assertEqual({x.name: x.role.kind for x in other.layers}["top mask.gbr"], "paste")
        self.assertFalse(other.drills[0].plated)
        with self.assertRaisesRegex(InputError, "no file art.pho"):
            read_board(files, {"art.pho": "mask front"})
        with self.assertRaisesRegex(InputError, "no kind of file"):
            read_board(files, {"top mask.gbr": "cake front"})

    def test_demos_agree_with_their_rules(self) -> None:
        """Measured from its files no demo is finer than the maker it is for can make, and all its nets are named."""
        for slug in (FROST, BEEPER, CIDER):
            d = demo(slug)
            board = board_of(written(d))
            rules = d.board.rules
            told = {m.key: m.value for m in measured(board)}
            for key, least in (
                ("track", rules.min_width_nm),
                ("gap", rules.min_clearance_nm),
                ("web", rules.hole_to_hole_nm),
            ):
                self.assertGreaterEqual(told.get(key, 9.0), least / 1e6 - 0.001, (slug, key))
            self.assertEqual(told["printed"], 0)
            names = {n for n in board.names.values()}
            self.assertEqual(
                names,
                {n.name for n in d.nets.values() if any(d.parts[p.split(".")[0]].place for p in n.pins)},
            )

    def test_differences(self) -> None:
        """A moved part, another hole, one track less: told on the layers they are on, and where; shifted as a whole nothing differs."""
        d = demo(FROST)
        first = board_of(written(d))
        moved = board_of(written(said(d, "lift PUMP_G", "hole 40 50 2")))
        apart = differences(first, moved)
        self.assertFalse(apart.same)
        self.assertIn("copper front", {x.role for x in apart.layers if not x.same})
        self.assertEqual([(h.drill_mm, h.first) for h in apart.holes], [(2.0, False)])
        shifted = {
            n: re.sub(r"^X(-?\d+)", lambda m: f"X{int(m[1]) + 3000000}", t, flags=re.MULTILINE)
            for n, t in written(d).items()
            if n.endswith(".gbr")
        }
        again = differences(
            board_of({n: t for n, t in written(d).items() if n.endswith(".gbr")}), board_of(shifted)
        )
        self.assertTrue(again.same, [(x.role, x.area_mm2) for x in again.layers if not x.same])
        self.assertAlmostEqual(again.moved_mm[0], -3.0, places=6)
