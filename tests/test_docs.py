"""What is written about the program is true of it: docs, help, docstrings, licences and pinned requirements."""

from __future__ import annotations

import ast
import os
import re
import subprocess
import sys
import unittest
from collections.abc import Iterator
from pathlib import Path

from tests.support import ROOT
from tools.demos.__main__ import DEMOS
from vane_step.cli import app as cli
from vane_step.core.ask import sentences_page
from vane_step.core.rules import RULES, rules_page
from vane_step.data.shipped import demo_designs, rule_sets
from vane_step.web.settings import Settings

DOCS = ROOT / "docs"
README = (ROOT / "README.md").read_text(encoding="utf-8")
VENDOR = ROOT / "vane_step" / "web" / "static" / "vendor"


def modules() -> Iterator[tuple[Path, ast.Module]]:
    """Parse every module of the program."""
    for path in sorted((ROOT / "vane_step").rglob("*.py")):
        yield path, ast.parse(path.read_text(encoding="utf-8"))


class Written(unittest.TestCase):
    """Documents against the program."""

    def test_links_lead_somewhere(self) -> None:
        """Every relative link of README and docs points at a file that exists."""
        for page in (ROOT / "README.md", *DOCS.glob("*.md")):
            for target in re.findall(r"\]\(([^)#]+)\)", page.read_text(encoding="utf-8")):
                self.assertTrue((page.parent / target).exists(), f"{page.name}: {target}")

    def test_two_commands(self) -> None:
        """README gives one command to start and one to test; both are executable, and CI calls the second."""
        for command in ("start", "test"):
            self.assertIn(f"./{command} ", README)
            self.assertTrue((ROOT / command).stat().st_mode & 0o111)
        self.assertIn("./test", (ROOT / ".ci" / "run").read_text(encoding="utf-8"))

    def test_every_command_is_documented(self) -> None:
        """Commands and their options have help, and each command is in docs/terminal.md."""
        text = (DOCS / "terminal.md").read_text(encoding="utf-8")
        names = {
            (c.name or c.callback.__name__).strip("_") for c in cli.app.registered_commands if c.callback
        }
        self.assertLessEqual(
            {"demo", "serve", "import", "arrange", "route", "check", "release", "etch"}, names
        )
        for name in names | {"calc trace"}:
            self.assertRegex(text, rf"`[^`]*\b{name}\b")

    def test_every_sentence_is_listed(self) -> None:
        """docs/sentences.md lists the verbs as they are declared."""
        text = (DOCS / "sentences.md").read_text(encoding="utf-8")
        written = text.partition("<!-- sentences -->\n")[2].partition("<!-- end of sentences -->")[0]
        self.assertEqual(
            written, sentences_page(), "write docs/sentences.md anew: python tools/write_rules.py"
        )

    def test_every_rule_is_listed(self) -> None:
        """docs/rules.md lists the registry as it is; every rule is made a finding of somewhere, and shown by its page."""
        text = (DOCS / "rules.md").read_text(encoding="utf-8")
        written = text.partition("<!-- rules -->\n")[2].partition("<!-- end of rules -->")[0]
        self.assertEqual(written, rules_page(), "write docs/rules.md anew: python tools/write_rules.py")
        strings = {
            node.value
            for path, tree in modules()
            if path.name != "rules.py"
            for node in ast.walk(tree)
            if isinstance(node, ast.Constant) and isinstance(node.value, str)
        }
        self.assertEqual(set(RULES) - strings, set())

    def test_findings_are_made_by_their_rules(self) -> None:
        """No room makes a finding but by its rule, and none says a level, a sense or a unit its rule does not list."""
        for path, tree in modules():
            for call in (
                n for n in ast.walk(tree) if isinstance(n, ast.Call) and isinstance(n.func, ast.Name)
            ):
                if call.func.id == "Finding":
                    self.assertEqual(path.name, "finding.py", f"{path.name}:{call.lineno}: use tell()")
                at = {"tell": 0, "breach": 1}.get(call.func.id, len(call.args))
                code = next((a.value for a in call.args[at : at + 1] if isinstance(a, ast.Constant)), None)
                if code is None:
                    continue
                rule = RULES[code]
                listed = {"level": rule.levels, "unit": (*rule.units, *(u[:-1] for u in rule.units))}
                words = [(w.arg, w.value) for w in call.keywords]
                words += zip(("level", "unit"), call.args[6:] if at else (), strict=False)
                for word, value in words:
                    either = [value.body, value.orelse] if isinstance(value, ast.IfExp) else [value]
                    said = {v.value for v in either if isinstance(v, ast.Constant)}
                    with self.subTest(f"{path.name}:{call.lineno}", rule=code):
                        self.assertLessEqual(said, set(listed.get(word or "", said)))
                        self.assertTrue(word != "sense" or rule.sense in ("either way", "is"))

    def test_the_picture_of_the_rooms(self) -> None:
        """The rooms are drawn as the imports are, and none reads one that reads it."""
        command = [sys.executable, "tools/draw_map.py", "--check"]
        drawn = subprocess.run(
            command, cwd=ROOT, env={**os.environ, "PYTHONPATH": str(ROOT)}, capture_output=True, text=True
        )
        self.assertEqual(drawn.returncode, 0, drawn.stderr)

    def test_questions_lead_to_their_rules(self) -> None:
        """Each question of the map leads to a module that makes findings of the rule."""
        rows = re.findall(
            r"^\| ([^|]+) \| `(core/[\w/]+\.py)` \| `([\w-]+)` \|$",
            (DOCS / "map.md").read_text("utf-8"),
            re.M,
        )
        self.assertGreaterEqual(len(rows), 30)
        for question, module, code in rows:
            with self.subTest(question):
                self.assertIn(code, RULES)
                self.assertIn(f'"{code}"', (ROOT / "vane_step" / module).read_text(encoding="utf-8"))

    def test_settings_say_what_they_are(self) -> None:
        """Every setting has a description."""
        self.assertTrue(all(f.description for f in Settings.model_fields.values()))

    def test_pictures(self) -> None:
        """Fewer than twenty pictures, each linked from the README and made by the script."""
        script = (ROOT / "tools" / "screenshots.py").read_text(encoding="utf-8")
        pictures = sorted((DOCS / "screenshots").glob("*.png"))
        self.assertTrue(0 < len(pictures) < 20)
        for picture in pictures:
            self.assertIn(f"docs/screenshots/{picture.name}", README)
            self.assertIn(f'"{picture.stem}"', script)


class Code(unittest.TestCase):
    """House rules that a reader relies on."""

    def test_every_module_says_what_belongs_in_it(self) -> None:
        """Each module opens with a sentence; public functions, classes and methods have docstrings and full hints."""
        bare: list[str] = []
        for path, tree in modules():
            if not ast.get_docstring(tree):
                bare.append(str(path))
            for node in [*tree.body, *(n for c in tree.body if isinstance(c, ast.ClassDef) for n in c.body)]:
                if not isinstance(
                    node, ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef
                ) or node.name.startswith("_"):
                    continue
                inherited = isinstance(node, ast.FunctionDef) and node.name == "changes"
                if not ast.get_docstring(node) and not inherited:
                    bare.append(f"{path.name}:{node.lineno} {node.name}")
                kernel = path.name in (
                    "kernel.py",
                    "buckets.py",
                    "blocks.py",
                    "goal_distances.py",
                    "search.py",
                    "straighten.py",
                    "anneal.py",
                    "packing.py",
                    "standing.py",
                )
                if not isinstance(node, ast.ClassDef) and not kernel:
                    hinted = node.returns is not None and all(
                        a.annotation or a.arg in ("self", "cls") for a in node.args.args
                    )
                    if not hinted:
                        bare.append(f"{path.name}:{node.lineno} {node.name} lacks hints")
        self.assertEqual(bare, [])

    def test_modules_hold_one_idea(self) -> None:
        """No module is longer than 450 lines."""
        long = [
            f"{p.name}: {n}"
            for p, _ in modules()
            if (n := len(p.read_text(encoding="utf-8").splitlines())) > 450
        ]
        self.assertEqual(long, [])

    def test_functions_fit_a_screen(self) -> None:
        """No function is longer than 60 lines without its docstring, but compiled kernels and what hands them all."""
        kernels = {
            "anneal",
            "pack",
            "look_back",
            "goal_distances",
            "search",
            "_leap",
            "without_stairs",
            "_search",
            "look",
            "_paint",
        }
        long = []
        for path, tree in modules():
            for node in ast.walk(tree):
                if not isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) or node.name in kernels:
                    continue
                told = len((ast.get_docstring(node) or "").splitlines())
                if node.end_lineno and node.end_lineno - node.lineno + 1 - told > 60:
                    long.append(f"{path.name}: {node.name}")
        self.assertEqual(long, [])

    def test_nothing_is_fetched(self) -> None:
        """No template, style or script of ours names a host; what ships from others has its licence beside it."""
        for path in (ROOT / "vane_step" / "web").rglob("*"):
            if path.suffix in (".html", ".css", ".js", ".svg") and VENDOR not in path.parents:
                text = path.read_text(encoding="utf-8").replace("http://www.w3.org/", "")
                self.assertNotRegex(text, r"https?://", str(path))
        shipped = {
            re.split(r"[-.]\d|-latin|-greek|-csp|\.min", p.name)[0]
            for p in VENDOR.rglob("*")
            if p.is_file() and "LICENSE" not in p.name
        }
        licences = {p.name.removesuffix(".LICENSE") for p in VENDOR.rglob("*LICENSE*")}
        self.assertEqual(
            {s for s in shipped if not any(s.startswith(x) or x.startswith(s) for x in licences)}, set()
        )

    def test_requirements_are_pinned(self) -> None:
        """Every requirement has an exact version and hashes, and no address of an index."""
        for path in (ROOT / "requirements").glob("*.txt"):
            text = path.read_text(encoding="utf-8")
            self.assertNotRegex(text, r"index-url|://")
            for block in re.split(r"\n(?=[a-zA-Z0-9])", text):
                if re.match(r"[a-zA-Z0-9]", block):
                    self.assertRegex(block, r"^[\w.\-\[\]]+==\S+", path.name)
                    self.assertIn("--hash=sha256:", block, block[:60])

    def test_rule_sets(self) -> None:
        """Invented makers: two layers, four, fine lines with filled vias, and the kitchen table, etched at home."""
        sets = rule_sets()
        self.assertEqual(
            {n: s.etched for n, s in sets.items()},
            {
                "standard-house": False,
                "four-layer-house": False,
                "fine-line-house": False,
                "kitchen-table": True,
            },
        )
        self.assertIn(4, sets["four-layer-house"].copper_layers)
        self.assertIsNotNone(sets["kitchen-table"].jumper)


class Demos(unittest.TestCase):
    """The demo designs can be made again."""

    def test_their_sentences_are_taken(self) -> None:
        """Every sentence the four demo designs are made from is understood, and makes the parts that ship."""
        for slug, make in DEMOS.items():
            with self.subTest(slug):
                self.assertEqual(set(make().parts), set(demo_designs()[slug].parts))
