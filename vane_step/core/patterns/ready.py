"""Ready packages of the families that are described by dimensions: a name and what differs from the usual values."""

from __future__ import annotations

from typing import Final

from vane_step.core.design.model import Package
from vane_step.core.patterns.dimensions import from_dimensions

READY: Final[dict[str, str]] = {
    "SSOP-16": "gull pins=16 e=0.635 L=5.8..6.2 T=0.4..1.27 W=0.2..0.3 D=3.9 E=4.9",
    "SSOP-20": "gull pins=20 e=0.65 L=7.4..8.2 T=0.55..0.95 W=0.22..0.38 D=5.3 E=7.2 A=2",
    "SSOP-24": "gull pins=24 e=0.65 L=7.4..8.2 T=0.55..0.95 W=0.22..0.38 D=5.3 E=8.2 A=2",
    "SSOP-28": "gull pins=28 e=0.65 L=7.4..8.2 T=0.55..0.95 W=0.22..0.38 D=5.3 E=10.2 A=2",
    "MSOP-8": "gull pins=8 e=0.65 L=4.75..5.05 T=0.4..0.7 W=0.25..0.38 D=3 E=3",
    "MSOP-10": "gull pins=10 e=0.5 L=4.75..5.05 T=0.4..0.7 W=0.17..0.27 D=3 E=3",
    "TSSOP-8": "gull pins=8 e=0.65 L=6.2..6.6 T=0.45..0.75 W=0.19..0.3 D=4.4 E=3",
    "TSSOP-14": "gull pins=14 e=0.65 L=6.2..6.6 T=0.45..0.75 W=0.19..0.3 D=4.4 E=5",
    "TSSOP-16": "gull pins=16 e=0.65 L=6.2..6.6 T=0.45..0.75 W=0.19..0.3 D=4.4 E=5",
    "TSSOP-20": "gull pins=20 e=0.65 L=6.2..6.6 T=0.45..0.75 W=0.19..0.3 D=4.4 E=6.5",
    "TSSOP-24": "gull pins=24 e=0.65 L=6.2..6.6 T=0.45..0.75 W=0.19..0.3 D=4.4 E=7.8",
    "TSSOP-28": "gull pins=28 e=0.65 L=6.2..6.6 T=0.45..0.75 W=0.19..0.3 D=4.4 E=9.7",
    "SOIC-16W": "gull pins=16 L=10.1..10.6 D=7.5 E=10.3 A=2.6",
    "SOIC-18W": "gull pins=18 L=10.1..10.6 D=7.5 E=11.55 A=2.6",
    "SOIC-20W": "gull pins=20 L=10.1..10.6 D=7.5 E=12.8 A=2.6",
    "SOIC-24W": "gull pins=24 L=10.1..10.6 D=7.5 E=15.4 A=2.6",
    "SOIC-28W": "gull pins=28 L=10.1..10.6 D=7.5 E=17.9 A=2.6",
    "SC-70": "transistor pins=3 e=0.65 L=2..2.2 T=0.26..0.46 W=0.15..0.3 D=1.25 E=2 A=1",
    "SC-70-5": "transistor pins=5 e=0.65 L=2..2.2 T=0.26..0.46 W=0.15..0.3 D=1.25 E=2 A=1",
    "SC-70-6": "transistor pins=6 e=0.65 L=2..2.2 T=0.26..0.46 W=0.15..0.3 D=1.25 E=2 A=1",
    "QFN-16": "no-lead left=4 below=4 D=2.9..3.1 E=2.9..3.1 D2=1.6 E2=1.6",
    "QFN-20": "no-lead left=5 below=5 D=3.9..4.1 E=3.9..4.1 D2=2.4 E2=2.4",
    "QFN-24": "no-lead left=6 below=6 D=3.9..4.1 E=3.9..4.1 D2=2.5 E2=2.5",
    "QFN-28": "no-lead left=7 below=7 D=4.9..5.1 E=4.9..5.1 D2=3.2 E2=3.2",
    "QFN-32": "no-lead",
    "QFN-40": "no-lead left=10 below=10 D=5.9..6.1 E=5.9..6.1 D2=4.2 E2=4.2",
    "QFN-48": "no-lead left=12 below=12 D=6.9..7.1 E=6.9..7.1 D2=5.2 E2=5.2",
    "QFN-64": "no-lead left=16 below=16 D=8.9..9.1 E=8.9..9.1 D2=6 E2=6",
    "SON-6": "no-lead left=3 below=0 D=1.9..2.1 E=1.9..2.1 e=0.65 T=0.2..0.4 D2=0.9 E2=1.5 A=0.8",
    "SON-8": "no-lead left=4 below=0 D=2.9..3.1 E=2.9..3.1 e=0.65 D2=1.4 E2=2.2",
    "SON-10": "no-lead left=5 below=0 D=2.9..3.1 E=2.9..3.1 e=0.5 D2=1.5 E2=2.3",
    "SON-8-5060": "no-lead left=4 below=0 D=5.9..6.1 E=4.9..5.1 e=1.27 T=0.5..0.7 W=0.35..0.5 D2=3.7 E2=4.2 A=1",
    "XSMD-2520": "no-lead left=2 below=0 D=1.9..2.1 E=2.4..2.6 e=1.5 T=0.5..0.6 W=0.6..0.8 D2=0 E2=0 A=0.8",
    "XSMD-3225": "no-lead left=2 below=0 D=3.1..3.3 E=2.4..2.6 e=1.75 T=0.8..1 W=0.85..1.05 D2=0 E2=0 A=0.8",
    "XSMD-5032": "no-lead left=2 below=0 D=3.1..3.3 E=4.9..5.1 e=2.54 T=0.9..1.1 W=1..1.2 D2=0 E2=0 A=1.2",
    "XSMD-7050": "no-lead left=2 below=0 D=4.9..5.1 E=6.9..7.1 e=5.08 T=1.2..1.4 W=1.3..1.5 D2=0 E2=0 A=1.4",
    "PLCC-20": "j-lead left=5 below=5 L=9.78..10.03 L2=9.78..10.03",
    "PLCC-32": "j-lead left=9 below=7 L=12.32..12.57 L2=14.86..15.11 A=3.5",
    "PLCC-44": "j-lead",
    "BGA-64": "ball-grid",
    **{f"SIP-{n}": f"sip pins={n} E={n * 2.54:g}" for n in (*range(5, 13), 14, 16, 18, 20)},
    "SIP-3": "sip",
    "SIP-4": "sip pins=4 E=10.2",
    "TO-92S": "sip pins=3 b=0.5 E=4.1 D=1.6 A=3",
    **{f"PLUG-{n}": f"sip pins={n} e=2.5 b=0.9 E={2.5 * n + 2.5:g} D=5.8 A=7" for n in range(2, 16)},
    "TRIM-3": "sip pins=3 b=0.7 E=9.5 D=4.9 A=10",
    "TO-92": "to b=0.6 E=5.2 D=4.2 Q=2.1 A=8",
    "TO-126": "to b=0.9 e=2.29 E=8 D=2.7 Q=1.3 A=11",
    "TO-220-2": "to pins=2 e=5.08",
    "TO-220-3": "to",
    "TO-247-3": "to e=5.44 b=1.6 E=15.9 D=5 Q=2.4 A=21",
    "RELAY-6": "dip pins=6 row=7.62 e=5.08 b=0.9 E=20 A=15",
    "MODULE-16": "module left=8 below=0 e=2 D=16 E=24 antenna=5",
    "MODULE-18": "module left=6 below=6 e=2 D=17 E=20 antenna=5",
    "MODULE-22": "module left=8 below=6 e=2 D=16 E=24 antenna=6",
    "MODULE-32": "module",
    "MODULE-38": "module left=14 below=10 e=1.27 D=18 E=25.5 antenna=6",
    "MODULE-G24": "module left=12 below=0 e=1.1 D=12.2 E=16 b=0.8 antenna=0 A=2.4",
    "BRICK-PIR": "sip pins=3 E=32 D=24 A=25",
    "BRICK-ECHO": "sip pins=4 E=45 D=20 A=15",
    "BRICK-GAS": "sip pins=4 E=32 D=20 A=25",
    "BRICK-DHT": "sip pins=4 E=15.1 D=7.7 A=25",
    "BRICK-CLIMB": "sip pins=4 E=13 D=10.5 A=4",
    "BRICK-GYRO": "sip pins=8 E=20.5 D=15.6 A=4",
    "BRICK-5": "sip pins=5 E=15 D=18 A=5",
    "BRICK-6": "sip pins=6 E=18 D=18 A=5",
    "BRICK-7": "sip pins=7 E=20 D=20 A=6",
    "BRICK-9": "sip pins=9 E=25 D=25 A=6",
    "DCDC-4": "sip pins=4 E=11.7 D=6.1 A=10.2",
    "DCDC-7": "sip pins=7 E=19.6 D=7.5 A=10.2",
}


def ready_package(name: str, kitchen: bool = False) -> Package:
    """Make a ready package of a family of dimensions; ``name`` is one of ``READY``."""
    family, *words = READY[name].split()
    return from_dimensions(family, name, dict(w.split("=", 1) for w in words), kitchen)
