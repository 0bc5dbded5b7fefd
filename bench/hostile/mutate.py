"""Spoils files: bytes, numbers, words, nesting, lines, JSON, archives; each mutant follows from its seed alone."""

from __future__ import annotations

import io
import json
import random
import re
import struct
import zipfile
import zlib
from collections.abc import Callable
from typing import Any

from bench.hostile.seeds import Brought

MOST_BYTES = 3_000_000
NUMBERS = (
    "0",
    "-1",
    "1e9",
    "1e308",
    "1e999",
    "-1e999",
    "nan",
    "NaN",
    "inf",
    "Infinity",
    "1e-320",
    "99999999999999999999",
    "0x10",
    "1_000",
    "1,5",
    "9" * 5000,
    "-" * 40 + "1",
    "1.2.3",
    "٣",
    "1²",
    "2147483648",
    "-0.0",
    "0.0000005",
    "65536",
)
WORDS = (
    "",
    "\x00",
    "\ud83d",
    "é",
    "﷽",
    "\u202e",
    "=1+1",
    "../../x",
    "%s%n",
    "<b>",
    "'\";--",
    "A" * 300,
    "x" * 70_000,
    "\r\n",
    "\u2028",
    "null",
    "true",
    "{}",
    "[]",
    "$ref",
    "__class__",
    "#",
    "*%",
    "M02*",
    "🜚" * 40,
    "\ufeff",
)
NESTS = (
    ("[", "]"),
    ('{"a":', "}"),
    ("(", ")"),
    ("<g>", "</g>"),
    ("%LPC*%", ""),
    ("G36*\n", "G37*\n"),
    ("0\nINSERT\n", ""),
)


def mutant(chance: random.Random, right: Brought, others: list[Brought]) -> Brought:
    """Give one spoiled copy of some right input; ``others`` of the same reader lend pieces."""
    files = dict(right.files)
    if len(files) > 1 and chance.random() < 0.15:
        files = _shuffled(chance, files)
    for _ in range(1 + (chance.random() < 0.4) + (chance.random() < 0.2)):
        name = chance.choice(list(files))
        lender = dict(chance.choice(others).files)
        data = _spoiled(chance, name, files[name], lender[chance.choice(list(lender))])
        files[name] = data[:MOST_BYTES]
    if chance.random() < 0.04:
        name = chance.choice(list(files))
        files[_other_name(chance, name)] = files.pop(name)
    return Brought(right.reader, tuple(files.items()))


def _shuffled(chance: random.Random, files: dict[str, bytes]) -> dict[str, bytes]:
    """Leave a file out, exchange two, or give one twice under another name."""
    names = list(files)
    one, two = chance.sample(names, 2)
    way = chance.randrange(3)
    if way == 0:
        del files[one]
    elif way == 1:
        files[one], files[two] = files[two], files[one]
    else:
        files["copy-" + one] = files[one]
    return files


def _other_name(chance: random.Random, name: str) -> str:
    stem, _, kind = name.rpartition(".")
    return chance.choice(
        (
            f"{stem}.{chance.choice(('dxf', 'svg', 'png', 'gbr', 'zip', 'json', 'bsd', 'ibs', 'csv', ''))}",
            f"{stem}².{kind}",
            "x" * 200 + "." + kind,
            kind,
            f"..{name}",
            f"a\n{name}",
            f"{stem}.{kind.upper()}",
        )
    )


def _spoiled(chance: random.Random, name: str, data: bytes, lent: bytes) -> bytes:
    if data[:2] == b"PK" and chance.random() < 0.8:
        try:
            return _archive(chance, data)
        except (
            zipfile.BadZipFile,
            EOFError,
            OSError,
            RuntimeError,
            NotImplementedError,
            ValueError,
            zlib.error,
        ):
            # It was spoiled before.
            return chance.choice(BINARY)(chance, data, lent)
    if name.endswith(".json") and chance.random() < 0.5:
        return _json(chance, data)
    binary = name.endswith((".png", ".jpg", ".gif", ".bmp", ".webp", ".zip"))
    ways = BINARY if binary and chance.random() < 0.9 else TEXT
    return chance.choice(ways)(chance, data, lent)


def _span(chance: random.Random, data: bytes, most: int = 400) -> tuple[int, int]:
    a = chance.randrange(len(data) + 1)
    return a, min(len(data), a + chance.randrange(1, most))


def _flip(chance: random.Random, data: bytes, lent: bytes) -> bytes:
    out = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 8, 60))):
        if out:
            out[chance.randrange(len(out))] ^= 1 << chance.randrange(8)
    return bytes(out)


def _cut(chance: random.Random, data: bytes, lent: bytes) -> bytes:
    a, b = _span(chance, data, chance.choice((10, 400, 10**6)))
    return chance.choice((data[:a], data[a:], data[:a] + data[b:]))


def _repeat(chance: random.Random, data: bytes, lent: bytes) -> bytes:
    a, b = _span(chance, data, chance.choice((4, 60, 2000)))
    times = min(chance.choice((1, 2, 30, 2000, 60_000)), MOST_BYTES // max(1, b - a))
    return data[:a] + data[a:b] * times + data[a:]


def _splice(chance: random.Random, data: bytes, lent: bytes) -> bytes:
    a, _ = _span(chance, data)
    c, d = _span(chance, lent, 2000)
    return data[:a] + lent[c:d] + data[a:]


def _big(chance: random.Random, data: bytes, lent: bytes) -> bytes:
    """Write extreme integers over a few bytes, as counts and sizes of binary formats are."""
    value = chance.choice((0, 1, 0x7FFF, 0xFFFF, 0x7FFFFFFF, 0xFFFFFFFF, 100_000))
    packed = struct.pack(chance.choice("<>") + "I", value)
    a = chance.randrange(max(1, min(len(data), chance.choice((64, 10**6)))))
    return data[:a] + packed + data[a + 4 :]


def _number(chance: random.Random, data: bytes, lent: bytes) -> bytes:
    found = list(re.finditer(rb"-?\d+(\.\d+)?", data[:400_000]))
    if not found:
        return _flip(chance, data, lent)
    for match in sorted(
        chance.sample(found, min(len(found), chance.choice((1, 1, 3, 40)))), key=lambda m: -m.start()
    ):
        data = data[: match.start()] + chance.choice(NUMBERS).encode() + data[match.end() :]
    return data


def _word(chance: random.Random, data: bytes, lent: bytes) -> bytes:
    found = list(re.finditer(rb"[A-Za-z_]\w*", data[:400_000]))
    said = chance.choice(WORDS).encode("utf-8", "surrogatepass")
    if not found:
        return data + said
    match = chance.choice(found)
    if chance.random() < 0.3:
        said = chance.choice(found)[0]
    return data[: match.start()] + said + data[match.end() :]


def _lines(chance: random.Random, data: bytes, lent: bytes) -> bytes:
    lines = data.split(b"\n")
    way = chance.randrange(5)
    k = chance.randrange(len(lines))
    if way == 0:
        del lines[k]
    elif way == 1:
        lines.insert(chance.randrange(len(lines)), lines[k])
    elif way == 2:
        lines = lines[:k] + [lines[k]] * min(20_000, MOST_BYTES // (len(lines[k]) + 1)) + lines[k:]
    elif way == 3:
        chance.shuffle(lines)
    else:
        lines[k] = b""
    return b"\n".join(lines)


def _nest(chance: random.Random, data: bytes, lent: bytes) -> bytes:
    opens, closes = (x.encode() for x in chance.choice(NESTS))
    depth = chance.choice((3, 200, 5000, 100_000))
    a, b = _span(chance, data)
    return (
        data[:a] + opens * depth + data[a:b] + (closes * depth if chance.random() < 0.7 else b"") + data[b:]
    )


def _newlines(chance: random.Random, data: bytes, lent: bytes) -> bytes:
    pairs = ((b"\n", b"\r\n"), (b"\n", b"\r"), (b"\n", b" "), (b" ", b"\t"), (b",", b";"), (b"*", b""))
    return data.replace(*chance.choice(pairs))


def _encoded(chance: random.Random, data: bytes, lent: bytes) -> bytes:
    return data.decode("utf-8", "replace").encode(
        chance.choice(("utf-16", "utf-32", "utf-8-sig", "utf-7")), "replace"
    )


TEXT: tuple[Callable[[random.Random, bytes, bytes], bytes], ...] = (
    _number,
    _number,
    _number,
    _word,
    _word,
    _lines,
    _lines,
    _cut,
    _repeat,
    _splice,
    _nest,
    _flip,
    _newlines,
    _encoded,
)
BINARY: tuple[Callable[[random.Random, bytes, bytes], bytes], ...] = (
    _flip,
    _flip,
    _cut,
    _repeat,
    _splice,
    _big,
    _big,
)


def _json(chance: random.Random, data: bytes) -> bytes:
    """Put something strange in one or a few places of a JSON document, or name a key otherwise."""
    try:
        whole: Any = json.loads(data)
    except (ValueError, RecursionError):
        return _flip(chance, data, data)
    for _ in range(chance.choice((1, 1, 2, 5))):
        holder = whole
        for _ in range(chance.randrange(1, 9)):
            inner = list(holder.values()) if isinstance(holder, dict) else holder
            deeper = [v for v in inner if isinstance(v, dict | list) and v]
            if not deeper or chance.random() < 0.15:
                break
            holder = chance.choice(deeper)
        if not holder:
            continue
        key: Any = chance.choice(list(holder)) if isinstance(holder, dict) else chance.randrange(len(holder))
        _strange(chance, whole, holder, key)
    return json.dumps(whole, ensure_ascii=chance.random() < 0.5).encode("utf-8", "surrogatepass")


def _strange(chance: random.Random, whole: Any, holder: Any, key: Any) -> None:
    way = chance.randrange(6)
    if way == 0 and isinstance(holder, dict):
        holder[chance.choice(WORDS)] = holder.pop(key)
    elif way == 1:
        del holder[key]
    elif way == 2 and isinstance(holder, list):
        holder += [holder[key]] * chance.choice((1, 3, 3000))
    elif way == 3:
        inner: Any = holder[key]
        for _ in range(chance.choice((1, 3, 400))):
            inner = [inner] if chance.random() < 0.5 else {"a": inner}
        holder[key] = inner
    else:
        plain: tuple[Any, ...] = (
            None,
            True,
            -1,
            0,
            10**30,
            1e308,
            float("nan"),
            float("inf"),
            0.5,
            [],
            {},
            [[0, 0]],
        )
        holder[key] = chance.choice((*plain, *WORDS, *NUMBERS[:12]))


def _archive(chance: random.Random, data: bytes) -> bytes:
    """Pack the files of an archive again with something wrong, or spoil its bytes."""
    way = chance.randrange(7)
    if way < 2:
        return chance.choice(BINARY)(chance, data, data)
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        infos = old.infolist()
        victim = chance.choice(infos).filename
        for info in infos:
            content, name = old.read(info), info.filename
            if name == victim:
                if way == 2:
                    content = chance.choice(TEXT)(chance, content, content)[:MOST_BYTES]
                elif way == 3:
                    name = chance.choice(("../../etc/x.gbr", "/x.gbr", "a/" * 300 + "x.gbr", "²" + name, "x"))
                elif way == 4:
                    content = chance.choice((b"0", b" ", b"\n", b"X1Y1D01*\n")) * chance.choice(
                        (1000, 4_000_000)
                    )
                elif way == 5:
                    for k in range(chance.choice((3, 300))):
                        new.writestr(f"{k}-{name}", content)
            new.writestr(name, content)
    packed = bytearray(out.getvalue())
    if way == 6:
        # Flags, method and sizes in a random header: encrypted, odd compression, another length.
        heads = [m.start() for m in re.finditer(rb"PK(\x01\x02|\x03\x04)", bytes(packed))]
        at = chance.choice(heads) + chance.randrange(4, 30)
        packed[at] = chance.randrange(256)
    return bytes(packed)
