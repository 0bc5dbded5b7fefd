"""What firmware needs of a controller, read from plain lines; whether a controller meets it is in ``assign``."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Final

from vane_step.core.errors import InputError
from vane_step.core.quantity import parse_value

# What people write, and the signals it takes: the name of the peripheral and its signals, or one signal of its own.
FUNCTIONS: Final[dict[str, tuple[str, ...]]] = {
    "adc": ("ADC",),
    "pwm": ("PWM",),
    "dac": ("DAC",),
    "int": ("INT",),
    "clkin": ("CLKIN",),
    "gpio": ("GPIO",),
    "uart": ("UART.TX", "UART.RX"),
    "i2c": ("I2C.SDA", "I2C.SCL"),
    "spi": ("SPI.CK", "SPI.MOSI", "SPI.MISO"),
    "usb": ("USB.DP", "USB.DM"),
    "xtal": ("XTAL.IN", "XTAL.OUT"),
    "debug": ("DBG.IO", "DBG.CK"),
}
TITLES: Final = {
    "adc": "analogue input",
    "pwm": "timer output",
    "dac": "analogue output",
    "int": "interrupt input",
    "clkin": "fast clock input",
    "gpio": "plain pin",
    "uart": "serial port",
    "i2c": "two-wire bus",
    "spi": "three-wire bus",
    "usb": "USB",
    "xtal": "crystal",
    "debug": "debug lines",
}
MAX_DEMANDS = 200
_LINE = re.compile(
    r"^(?:(?P<name>[A-Za-z_]\w{0,39}(?:/\w{1,40}){0,4})\s*:\s*)?(?:(?P<count>\d{1,3})\s*x?\s+)?(?P<what>[a-z0-9]+)(?P<tolerant>\s+5v)?$",
    re.I,
)
_LIMIT = re.compile(r"^(flash|ram|supply|clock|package|price)\s+(.+)$", re.I)


@dataclass(frozen=True)
class Signal:
    """One pin wanted: its net name, the function it takes, and the group whose signals share one peripheral."""

    name: str
    function: str
    group: str
    tolerant: bool = False


@dataclass(frozen=True)
class Demand:
    """All that is wanted of a controller."""

    signals: tuple[Signal, ...] = ()
    flash_b: float = 0.0
    ram_b: float = 0.0
    clock_hz: float = 0.0
    supply_v: tuple[float, float] | None = None
    package: str = ""
    price: float | None = None


def read_demand(text: str) -> Demand:
    """Read a demand, one wish a line or parted by commas; a hash begins a comment.

    ``SENSE: adc``, ``4 adc``, ``PUMP: pwm``, ``2 uart``, ``FLOW: int 5v``, ``flash 32k``, ``supply 3.0..3.6``,
    ``package TQFP``, ``price 3``. A serial port named ``GPS`` asks for ``GPS_TX`` and ``GPS_RX``; ``TX/RX: uart``
    names each of its lines.

    Raises
    ------
    InputError
        Naming the line.
    """
    signals: list[Signal] = []
    limits: dict[str, str] = {}
    for number, raw in enumerate(text.splitlines(), 1):
        for wish in raw.split("#", 1)[0].split(","):
            word = wish.strip()
            if not word:
                continue
            if limit := _LIMIT.match(word):
                limits[limit[1].lower()] = limit[2].strip()
                continue
            signals += _signals(word, number, {s.group for s in signals})
    names = [s.name for s in signals]
    if len(names) > MAX_DEMANDS:
        raise InputError(
            "These are many pins.", where="demand", value=len(names), allowed=f"up to {MAX_DEMANDS}"
        )
    twice = sorted({n for n in names if names.count(n) > 1})
    if twice:
        raise InputError(
            f"{twice[0]} is wanted twice.", where="demand", value=twice[0], next_step="Name one otherwise."
        )
    low, _, high = limits.get("supply", "").replace("V", "").partition("..")
    supply = (parse_value(low, "supply"), parse_value(high or low, "supply")) if low else None
    return Demand(
        tuple(signals),
        _bytes(limits.get("flash", "0")),
        _bytes(limits.get("ram", "0")),
        parse_value(limits.get("clock", "0").removesuffix("Hz"), "clock"),
        supply,
        limits.get("package", ""),
        parse_value(limits["price"], "price") if "price" in limits else None,
    )


def _bytes(text: str) -> float:
    clean = text.upper().removesuffix("B")
    scale = {"K": 1024, "M": 1024**2}.get(clean[-1:], 1)
    return parse_value(clean.rstrip("KM"), "memory") * scale


def _signals(word: str, line: int, taken: set[str]) -> list[Signal]:
    match = _LINE.match(word)
    if match is None or match["what"].lower() not in FUNCTIONS:
        raise InputError(
            f"{word!r} is no demand.",
            where=f"demand, line {line}",
            value=word,
            allowed=", ".join(FUNCTIONS) + "; flash, ram, clock, supply, package, price",
        )
    what, count = match["what"].lower(), int(match["count"] or 1)
    found: list[Signal] = []
    for k in range(count):
        stem = match["name"] or what.upper()
        name = stem if match["name"] and count == 1 else f"{stem}{k + 1}"
        while not match["name"] and name in taken | {s.group for s in found}:
            k += 1
            name = f"{stem}{k + 1}"
        legs = FUNCTIONS[what]
        own = name.split("/")
        if len(own) > 1 and len(own) != len(legs):
            raise InputError(
                f"{what} has {len(legs)} lines, {name} names {len(own)}.",
                where=f"demand, line {line}",
                value=word,
                allowed=", ".join(f.rpartition(".")[2] for f in legs),
            )
        for k, function in enumerate(legs):
            leg = function.partition(".")[2]
            title = own[k] if len(own) > 1 else f"{name}_{leg}" if leg else name
            found.append(Signal(title, function, name, bool(match["tolerant"])))
    return found
