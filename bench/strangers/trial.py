"""Tries one design nobody prepared: what must hold of any design after any sentence, and of any board that is called clean."""

from __future__ import annotations

import json
import random
import time
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field

from bench.strangers.artwork import artwork_faults
from bench.strangers.judge import faults as copper_faults
from bench.strangers.speaker import Speaker, sensible, wiring
from vane_step.core.ask import ask
from vane_step.core.board.analysis.score import scoreboard
from vane_step.core.board.drc.check import check
from vane_step.core.board.placement.placer import propose
from vane_step.core.design.edits import Edit, SetOutline, Together, apply, edit_from
from vane_step.core.design.fileformat import from_json, to_json
from vane_step.core.design.model import Board, Design
from vane_step.core.errors import EditRefused, VaneStepError
from vane_step.core.fab.release import release
from vane_step.core.finding import Finding
from vane_step.core.judge import all_findings
from vane_step.core.order.buying import lines
from vane_step.core.power.trace import width_mm
from vane_step.core.quantity import nm
from vane_step.core.reasons.calculations import reasons
from vane_step.core.route.router import route
from vane_step.core.sheet.sheet import sheet
from vane_step.data.shipped import resources, rule_sets
from vane_step.store.designs import DesignStore, Kept
from vane_step.web.view import board_view

STAMP = "2026-01-01T00:00:00Z"
ID = "s"
# Stops that a person has to clear, and the router cannot cause.
THEIRS = (
    "unrouted",
    "not-placed",
    "no-copper",
    "courtyard",
    "outside",
    "parted",
    "slot",
    "off-edge",
    "edge-hole",
)


@dataclass
class Trial:
    """A design being made by sentences, and what was found wrong on the way."""

    faults: list[str] = field(default_factory=list)
    said: list[str] = field(default_factory=list)
    taken: Counter[str] = field(default_factory=Counter)
    refused: Counter[str] = field(default_factory=Counter)
    slowest: tuple[float, str] = (0.0, "")
    state: str = "not routed"

    def __post_init__(self) -> None:
        self.store = DesignStore(":memory:")
        outline = tuple((nm(x), nm(y)) for x, y in ((0, 0), (60, 0), (60, 45), (0, 45)))
        board = Board(outline=outline, copper_layers=2, rules=rule_sets()["standard-house"])
        self.store.add(ID, Design(name="Stranger", board=board))

    @property
    def design(self) -> Design:
        """The design as it stands."""
        return self.store.get(ID).design

    def fault(self, what: str) -> None:
        """Note what does not hold."""
        self.faults.append(what)

    def say(self, text: str) -> None:
        """Carry a sentence out, or an edit written as JSON, and hold what comes of it against what must hold."""
        before = self.design
        verb = text.split()[0] if text[:1] != "{" else json.loads(text)["kind"]
        self.said.append(text)
        begun = time.perf_counter()
        try:
            if text[:1] == "{":
                edit: Edit | None = edit_from(json.loads(text))
            else:
                proposal = ask(before, text, resources())
                edit = proposal.edit
                if proposal.action and proposal.action.name in ("undo", "redo"):
                    getattr(self.store, proposal.action.name)(ID)
            inverse = None
            if edit is not None:
                _, inverse = apply(before, edit)
                self.store.edit(ID, edit, text)
        except VaneStepError as error:
            self.refused[verb] += 1
            if not (error.allowed or error.next_step):
                self.fault(f"refused without a next step: {verb}: {error.message}")
            try:
                json.dumps(error.as_dict()).encode()
            except (ValueError, UnicodeError):
                self.fault(f"a refusal that cannot be sent: {verb}")
            return
        except Exception as error:
            self.fault(f"{type(error).__name__} by {verb}: {str(error)[:160]}")
            return
        finally:
            spent = time.perf_counter() - begun
            if spent > self.slowest[0]:
                self.slowest = spent, text
        self.taken[verb] += 1
        self._holds(verb, before, inverse)

    def _holds(self, verb: str, before: Design, inverse: Edit | None) -> None:
        after = self.design
        written = to_json(after)
        try:
            again = from_json(written)
        except VaneStepError as error:
            self.fault(f"{verb} leaves a design its own reader refuses: {error.line()}")
            return
        if again != after or to_json(again) != written:
            self.fault(f"{verb} leaves a design that reads otherwise than it is")
        if inverse is not None:
            try:
                back, _ = apply(after, inverse)
            except VaneStepError as error:
                self.fault(f"{verb} cannot be undone: {error.line()}")
                return
            if to_json(back) != to_json(before):
                self.fault(f"{verb} undone is not what was before")

    def show(self) -> list[Finding]:
        """Work everything out that the pages show; nothing of it may fail."""
        d = self.design
        found: list[Finding] = []
        for name, work in (
            ("findings", lambda: found.extend(all_findings(d))),
            ("board", lambda: board_view(Kept(ID, 1, d, None, None, ""))),
            ("sheet", lambda: sheet(d)),
            ("scoreboard", lambda: scoreboard(d)),
            ("reasons", lambda: reasons(d)),
            ("list", lambda: lines(d, {r: p.fitted for r, p in d.parts.items()}, {}, {})),
        ):
            try:
                work()
            except Exception as error:
                self.fault(f"{type(error).__name__} when the {name} is shown: {str(error)[:160]}")
        for one in found:
            if not one.as_listed():
                self.fault(f"{one.code} is told as {one.level}, {one.sense}, {one.unit}, unlike its rule")
        return found

    def opened_again(self) -> None:
        """Hold the design against what its journal gives when it is opened anew."""
        kept = to_json(self.design)
        design, reached, last = self.store.last_good(ID)
        if reached != last or to_json(design) != kept:
            self.fault("opened again it is another design")

    def finish(self) -> None:
        """Route the board, check it, and hold what is called clean against its files."""
        d = self.design
        # Where pads lie wrongly already, a track that leaves one may be in the way as well.
        wrong = {f.code for f in check(d).findings if f.level == "stop"} - {
            "unrouted",
            "not-placed",
            "courtyard",
        }
        try:
            result = route(d)
            self.store.edit(ID, result.edit, "route")
        except VaneStepError as error:
            self.state = "not routed"
            if not (error.allowed or error.next_step):
                self.fault(f"routing is refused without a next step: {error.message}")
            return
        except Exception as error:
            self.fault(f"{type(error).__name__} by routing: {str(error)[:160]}")
            return
        d = self.design
        stops = [f for f in check(d).findings if f.level == "stop"]
        # A net that its own rule makes narrower than its current needs is as its designer said.
        copper = d.board.rules.copper_um
        narrow = {
            name
            for name, net in d.nets.items()
            if net.rule
            and (need := net.rule.current)
            and net.rule.width_nm / 1e6 < width_mm(need.current_a, need.rise_k, copper, "outer")
        }
        fresh = [
            f
            for f in stops
            if not wrong
            and f.code not in THEIRS
            and not (f.code == "track-current" and f.place.net in narrow)
        ]
        for rule in dict.fromkeys(f.code for f in fresh):
            self.fault(f"routing leaves a stop: {rule}: {next(f.message for f in fresh if f.code == rule)}")
        self.state = "clean" if not stops else "open" if {f.code for f in stops} <= {"unrouted"} else "stops"
        self._files(d, {f.code for f in stops})

    def _files(self, d: Design, stops: set[str]) -> None:
        try:
            made = release(d, STAMP)
        except Exception as error:
            self.fault(f"{type(error).__name__} by the release: {str(error)[:160]}")
            return
        # Copper that touches other copper is the designer's; all else is the program's.
        if not stops & {"short", "no-copper"}:
            # What the check told already, the files show as well.
            told = {"file-thin"} if stops & {"thin-joint", "width", "sliver"} else set()
            for apart in [f for f in made.read.differences if f.code not in told][:2]:
                self.fault(f"the files differ: {apart.message}")
        if not stops:
            for one in list(copper_faults(to_json(d), made.files))[:2]:
                self.fault(f"judged by other code: {one}")
            if not made.offered and all(f.place.step == "board" for f in made.stops):
                self.fault("clean and not released")
        if d.board.rules.etched and not stops:
            for one in list(artwork_faults(d, made.files))[:2]:
                self.fault(f"the artwork: {one}")

    def moved(self, dx_nm: int, dy_nm: int) -> None:
        """Hold the judgement of the board against that of the same board elsewhere."""
        d = self.design
        there = _elsewhere(d, dx_nm, dy_nm)
        if there is None:
            return
        # References choose among places that are as good by a hair; the legend may fall out otherwise.
        here, other = (
            Counter(f.code for f in check(x).findings if f.code not in ("legend-on-pad", "unprinted"))
            for x in (d, there)
        )
        if here != other:
            self.fault(f"moved as a whole it is judged otherwise: {dict((here - other) + (other - here))}")


def _elsewhere(d: Design, dx: int, dy: int) -> Design | None:
    """Give a design with everything on its board carried by the same distance."""

    def carried(value: object, key: str = "") -> object:
        if isinstance(value, dict):
            return {
                k: v + (dx if k == "x_nm" else dy)
                if k in ("x_nm", "y_nm") and isinstance(v, int)
                else carried(v, k)
                for k, v in value.items()
            }
        if isinstance(value, list):
            if (
                key in ("outline", "points", "area", "cuts", "scores", "a", "b")
                and len(value) == 2
                and all(isinstance(v, int) for v in value)
            ):
                return [value[0] + dx, value[1] + dy]
            return [carried(v, key) for v in value]
        return value

    data = json.loads(to_json(d))
    packages = data.pop("packages", {})
    for text in data.get("texts", {}).values():
        # Shapes of ink are drawn about the text's own place.
        text.pop("shape", None)
    try:
        return from_json(json.dumps({**carried(data), "packages": packages}))  # type: ignore[dict-item]
    except VaneStepError:
        return None


OUTLINES = (
    ((0, 0), (60, 0), (60, 45), (0, 45)),
    ((0, 0), (50, 0), (50, 20), (30, 20), (30, 50), (0, 50)),
    ((10, 0), (50, 0), (60, 25), (30, 48), (0, 25)),
    ((-20, -15), (35, -15), (35, 30), (-20, 30)),
    ((0.0005, 0.0005), (64.4125, 0), (64, 41.0375), (3, 45)),
    ((0, 0), (70, 0), (70, 70), (60, 70), (60, 10), (10, 10), (10, 70), (0, 70)),
)


def begin(trial: Trial, rng: random.Random) -> None:
    """Choose a maker, layers and an outline."""
    rules = rng.choice(list(rule_sets()))
    layers = rng.choice([x for x in (1, 2, 4) if x in rule_sets()[rules].copper_layers])
    trial.say(f"rules {rules} {layers}")
    points = tuple((nm(x), nm(y)) for x, y in rng.choice(OUTLINES))
    trial.say(SetOutline(outline=points, corner_radius_nm=rng.choice((0, 0, nm(2)))).model_dump_json())


def stranger(seed: int, whole: bool, sentences: int = 25) -> Trial:
    """Make and try the design of a seed.

    Parameters
    ----------
    whole : bool
        Arrange, route, release and judge it; otherwise only its sentences are tried, wilder ones among them.
    """
    rng = random.Random(f"{'whole' if whole else 'said'} {seed}")
    trial, speaker = Trial(), Speaker(rng)
    begin(trial, rng)
    if not whole:
        for text in sensible(speaker, trial.design)[: rng.randint(0, 6)]:
            trial.say(text)
        for _ in range(sentences):
            trial.say(speaker.say(trial.design))
            if trial.faults:
                return trial
        trial.show()
        trial.opened_again()
        return trial
    for text in sensible(speaker, trial.design):
        trial.say(text)
    for text in wiring(speaker, trial.design):
        trial.say(text)
    for verb in (*rng.sample(BEFORE, 3), *rng.sample(CIRCUIT, 5)):
        trial.say(speaker.say(trial.design, verb))
    _arranged(trial, seed)
    for verb in rng.sample(AFTER, 4):
        trial.say(speaker.say(trial.design, verb))
    trial.show()
    if not trial.faults:
        trial.finish()
        trial.moved(rng.choice((500, -1_000_000, 33_500)), rng.choice((500, 2_000_000, -12_500)))
    trial.opened_again()
    return trial


# What is said before the parts are arranged, of the board and of the circuit, and what after.
BEFORE = (
    "cutout",
    "hole",
    "zone",
    "outline",
    "pattern",
    "use",
    "add",
    "text",
    "hole",
    "block",
    "slot",
    "rules",
    "place",
)
CIRCUIT = (
    "width",
    "current",
    "clearance",
    "layers",
    "rename",
    "merge",
    "remove",
    "undo",
    "redo",
    "fit",
    "role",
    "join",
    "disconnect",
    "repeat",
    "swap",
    "either",
    "variant",
    "matrix",
    "extra",
    "value",
    "pin",
)
AFTER = (
    "pour",
    "pour",
    "pour",
    "pour",
    "clear",
    "flip",
    "turn",
    "hole",
    "lock",
    "text",
    "field",
    "undo",
    "redo",
    "drills",
    "zone",
    "place",
    "align",
    "shift",
    "cutout",
    "move",
    "waive",
)


def _arranged(trial: Trial, seed: int) -> None:
    """Give every part a place, by the quick way or by annealing; a refusal is a result too."""
    d = trial.design
    try:
        edit: Together = propose(d, 1, seed=seed % 1000, effort=0.05)[0].edit
        trial.say(edit.model_dump_json())
    except EditRefused as error:
        if not error.next_step:
            trial.fault(f"arranging is refused without a next step: {error.message}")
    except Exception as error:
        trial.fault(f"{type(error).__name__} by arranging: {str(error)[:160]}")
    else:
        for found in (f for f in check(trial.design).findings if f.code == "no-copper"):
            # A card edge has contacts on both faces: on one layer some are without copper, however it lies.
            if all(_faces(trial.design, ref) < 2 for ref in found.place.refs):
                trial.fault(f"arranging leaves pins without copper: {found.message}")


def _faces(design: Design, ref: str) -> int:
    """Count the faces on which connected surface pads of a part lie."""
    part = design.parts[ref]
    pads = design.packages[part.package].pads
    return len({p.layers for p in pads if p.layers != "through" and design.net_of(f"{ref}.{p.number}")})


def replay(said: Iterable[str], whole: bool) -> Trial:
    """Try a design by its sentences."""
    trial = Trial()
    for text in said:
        trial.say(text)
    trial.show()
    if whole and not trial.faults:
        trial.finish()
        trial.moved(500, 500)
    trial.opened_again()
    return trial


def kind_of(fault: str) -> str:
    """Tell faults of one kind by the words before the names in them."""
    return " ".join(w for w in fault.split()[:7] if w.isascii() and w.replace(":", "").isalpha())


def smallest(trial: Trial, whole: bool, seconds: float = 30.0) -> list[str]:
    """Leave sentences out of a failing trial as long as it fails in the same way; gives those that are left."""
    wanted, said = kind_of(trial.faults[0]), list(trial.said)
    end = time.perf_counter() + seconds
    step = max(1, len(said) // 2)
    while step and time.perf_counter() < end:
        at = 0
        while at < len(said) and time.perf_counter() < end:
            fewer = said[:at] + said[at + step :]
            if any(kind_of(f) == wanted for f in replay(fewer, whole).faults):
                said = fewer
            else:
                at += step
        step //= 2
    return said
