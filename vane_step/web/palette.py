"""What people add most, with a sentence each that chooses the ordinary part; the catalogue knows all others."""

from __future__ import annotations

from dataclasses import dataclass

from vane_step.web.language.catalogue import text


@dataclass(frozen=True)
class Tile:
    """A tile of the palette: what it says, the sentence it asks with ``{value}``, and an example of the value."""

    title: str
    sentence: str
    example: str = ""
    shape: str = "card"


def palette() -> tuple[Tile, ...]:
    """List the tiles, in the language in use; the first twelve are always seen."""
    return (
        Tile(text("Resistor"), "add resistor {value}", "10k", "resistor"),
        Tile(text("Capacitor"), "add ceramic capacitor {value}", "100n", "capacitor"),
        Tile(text("Electrolytic"), "add electrolytic {value}", "100u 25V", "polar-capacitor"),
        Tile(text("LED"), "add {value} LED", "red", "led"),
        Tile(text("Push button"), "add push button", "", "switch"),
        Tile(text("Diode"), "add rectifier diode 1A {value}", "400V", "diode"),
        Tile(text("NPN transistor"), "add npn transistor", "", "npn"),
        Tile(text("N-channel FET"), "add n-channel FET {value}", "30V", "nfet"),
        Tile(text("Regulator"), "add linear regulator {value}", "5V"),
        Tile(text("Pin header"), "add pin header {value}", "1x4"),
        Tile(text("Screw terminal"), "add screw terminal {value}", "2"),
        Tile(text("USB-C connector"), "add usb-c connector"),
        Tile(text("Schottky diode"), "add schottky diode 1A {value}", "40V", "diode"),
        Tile(text("Zener diode"), "add zener {value}", "5.1V", "diode"),
        Tile(text("PNP transistor"), "add pnp transistor", "", "pnp"),
        Tile(text("Op amp"), "add dual op amp", "", "amplifier"),
        Tile(text("Timer"), "add timer"),
        Tile(text("Relay"), "add relay {value}", "5V", "relay"),
        Tile(text("Buzzer"), "add buzzer own tone {value}", "5V", "sounder"),
        Tile(text("Potentiometer"), "add potentiometer {value}", "10k", "trimmer"),
        Tile(text("Slide switch"), "add slide switch", "", "changeover"),
        Tile(text("Barrel jack"), "add barrel jack"),
        Tile(text("Battery holder"), "add battery holder {value}", "3V"),
        Tile(text("Inductor"), "add power inductor {value}", "10u", "inductor"),
        Tile(text("Crystal"), "add crystal {value}", "16MHz", "crystal"),
        Tile(text("Resettable fuse"), "add resettable fuse {value}", "0.5A", "fuse"),
    )
