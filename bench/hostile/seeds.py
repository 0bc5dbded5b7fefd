"""Right files of every kind a reader takes, to be mutated; how they are spoiled is in ``mutate``."""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path

import ezdxf
from PIL import Image, ImageDraw

from vane_step.core.circuit.blocks import block_json
from vane_step.core.design.fileformat import to_json
from vane_step.core.fab.release import release
from vane_step.data.shipped import blocks, demo_designs

TESTS = Path(__file__).parent.parent.parent / "tests"
BEEPER, CIDER = "2-seedling-thirst-beeper", "4-cider-press-logger"
READERS = ("outline", "like", "picture", "pins", "connections", "block", "packages", "design", "exchange")


@dataclass(frozen=True)
class Brought:
    """What a user brings at once: which reader it is for, and files by name."""

    reader: str
    files: tuple[tuple[str, bytes], ...]


def seeds() -> list[Brought]:
    """Give right input of every reader, in the order of ``READERS``."""
    found = [Brought("outline", ((f"board.{k}", v),)) for k, v in (("dxf", _dxf()), ("svg", _svg()))]
    found += [
        Brought("outline", ((f"shape.{kind}", _picture(kind)),))
        for kind in ("png", "jpg", "gif", "bmp", "webp")
    ]
    for name in (BEEPER, CIDER):
        made = release(demo_designs()[name], "2026-01-01T00:00:00Z")
        host = [(n, t.encode()) for n, t in made.files.items() if n.endswith((".gbr", ".xnc", ".ipc"))]
        found += [Brought("like", (("release.zip", made.zipped()),)), Brought("like", tuple(host))]
    found += [
        Brought("picture", ((f"mark.{kind}", _picture(kind)),))
        for kind in ("png", "jpg", "gif", "bmp", "webp")
    ]
    for sample in ("tern32.bsd", "wren8.ibs"):
        found.append(Brought("pins", ((sample, (TESTS / "samples" / sample).read_bytes()),)))
    table = (
        b"number,name,role\n1,VDD,supply-in\n2,GND,ground\n3,TX/PA1,io\n4,RX,input\n5,OUT,output\n6,NC,nc\n"
    )
    found += [
        Brought("pins", (("pins.csv", table),)),
        Brought("pins", (("pins.txt", table.replace(b",", b"\t")),)),
    ]
    design = demo_designs()[BEEPER]
    listed = "".join(f"{n.name} {' '.join(n.pins)}\n" for n in design.nets.values())
    found.append(Brought("connections", (("list.txt", listed.encode()),)))
    mixed = b"ROW0..3: J1.1 J1.2\nA; U1.1, U1.2\n# a remark\nGND C1.2 C2.2\n"
    found.append(Brought("connections", (("list.txt", mixed),)))
    found += [
        Brought("block", ((f"{k}.block.json", block_json(b).encode()),))
        for k, b in list(blocks().items())[:6]
    ]
    folder = TESTS / "boards" / "smd2L_015_s1"
    found.append(Brought("packages", (("packages.json", (folder / "packages.json").read_bytes()),)))
    found += [Brought("design", (("design.json", to_json(d).encode()),)) for d in demo_designs().values()]
    contents = tuple((p.name, p.read_bytes()) for p in sorted(folder.iterdir()) if p.is_file())
    found.append(Brought("exchange", contents))
    return found


def _dxf() -> bytes:
    drawing = ezdxf.new("R2010", units=4)  # type: ignore[attr-defined]
    space = drawing.modelspace()
    space.add_lwpolyline([(0, 0, 0.3), (60, 0, 0), (60, 40, 0), (0, 40, 0)], format="xyb", close=True)
    space.add_circle((5, 5), 1.6)
    space.add_arc((30, 20), 6, 0, 180)
    space.add_line((24, 20), (36, 20))
    space.add_ellipse((45, 20), (5, 0), 0.5)
    space.add_spline([(10, 20), (14, 26), (18, 20)])
    block = drawing.blocks.new("HOLE")
    block.add_circle((0, 0), 1.6)
    space.add_blockref("HOLE", (55, 35))
    out = io.StringIO()
    drawing.write(out)
    return out.getvalue().encode()


def _svg() -> bytes:
    return (
        b'<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" '
        b'viewBox="0 0 60 40"><defs><circle id="h" cx="0" cy="0" r="1.6"/></defs><path d="M2 0H58A2 2 0 0 1 60 2V38'
        b'C60 39 59 40 58 40H2Q0 40 0 38V2Z"/><use href="#h" x="5" y="5"/><g transform="translate(20 20) rotate(30)">'
        b'<rect x="-4" y="-2" width="8" height="4" rx="1"/></g><polygon points="40,10 50,10 45,18"/>'
        b'<ellipse cx="45" cy="30" rx="5" ry="3"/></svg>'
    )


def _picture(kind: str) -> bytes:
    image = Image.new("L", (240, 160), 255)
    draw = ImageDraw.Draw(image)
    draw.rounded_rectangle((10, 10, 230, 150), 25, fill=0)
    draw.ellipse((90, 50, 150, 110), fill=255)
    draw.line((20, 20, 220, 140), fill=255, width=3)
    out = io.BytesIO()
    image.save(out, {"jpg": "jpeg"}.get(kind, kind))
    return out.getvalue()
