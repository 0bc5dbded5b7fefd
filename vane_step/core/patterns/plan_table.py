"""The plans of land patterns that ship, a line each; how a line is read is in ``plans``.

Sizes are those common to parts of a kind: what people hold in their hands fits, whoever made it.
"""

# A plan is one line of a table and stays one, however long.
# ruff: noqa: E501

from __future__ import annotations

from typing import Final

from vane_step.core.patterns.plans import Plan, read_plan

TRANSISTORS: Final = """
TO-220-5 | upright transistor outline, 5 pins in two rows | 10.2x4.6@0,4.2 | 19 | 1.0 | 1@-3.4,0 2@-1.7,4.3 3@0,0 4@1.7,4.3 5@3.4,0
TO-220-7 | upright transistor outline, 7 pins in two rows | 10.2x4.6@0,4.2 | 19 | 0.8 | 1@-3.81,0 2@-2.54,4.3 3@-1.27,0 4@0,4.3 5@1.27,0 6@2.54,4.3 7@3.81,0
ZIP-15 | upright power package, 15 pins in two rows | 20x4.6@0,6.6 | 17 | 0.8 | 1..15/2@-8.89,0+2.54,0 2..14/2@-7.62,5.08+2.54,0
TO-252-3 | power outline, tab down, 3 leads | 6.6x6.1 | 2.4 | 0 | 1@-2.29,-4.6:1.6x2.2 2@0,1.9:5.8x6.2 3@2.29,-4.6:1.6x2.2
TO-263-3 | power outline, large tab, 3 leads | 10.2x9 | 4.6 | 0 | 1@-2.54,-7.6:1.8x3.4 2@0,2.2:10.4x8.6 3@2.54,-7.6:1.8x3.4
TO-263-5 | power outline, large tab, 5 leads | 10.2x9 | 4.6 | 0 | 1@-3.4,-7.6:1.05x3.4 2@-1.7,-7.6:1.05x3.4 3@0,-7.6:1.05x3.4 3@0,2.2:10.4x8.6 4@1.7,-7.6:1.05x3.4 5@3.4,-7.6:1.05x3.4
SOT-89 | small power outline with tab | 4.5x2.5 | 1.6 | 0 | 1@-1.5,-1.6:0.9x1.5 2@0,0.3:1.0x4.4 3@1.5,-1.6:0.9x1.5
SOT-143 | small outline, 4 pins, one wide | 2.9x1.3 | 1.1 | 0 | 1@-0.75,-1.05:1.2x1 2@0.95,-1.05:0.8x1 3@0.95,1.05:0.8x1 4@-0.95,1.05:0.8x1
SOP-4 | small outline, 4 pins, 2.54 mm, for isolation | 4.4x4.4 | 2.1 | 0 | 1@-3.25,1.27:1.6x0.8 2@-3.25,-1.27:1.6x0.8 3@3.25,-1.27:1.6x0.8 4@3.25,1.27:1.6x0.8
BRIDGE-SIP4 | bridge rectifier, 4 leads in a row, 5.08 mm | 21x3.6 | 19 | 1.3 | 1..4@-7.62,0+5.08,0
BRIDGE-ROUND | bridge rectifier, round, leads 5.08 mm apart | 9x9 | 6 | 0.8 | 1@-2.54,2.54 2@-2.54,-2.54 3@2.54,-2.54 4@2.54,2.54 | round
BRIDGE-SMD4 | bridge rectifier, small surface body | 4.7x4 | 2.6 | 0 | 1@-3.3,1.27:1.5x0.9 2@-3.3,-1.27:1.5x0.9 3@3.3,-1.27:1.5x0.9 4@3.3,1.27:1.5x0.9
"""

OPTICS: Final = """
LEDR-4-D5 | round LED of four leads, 5 mm | 5x5 | 8.6 | 0.5 | 1..4@-3.81,0+2.54,0 | round
LED-5050-6 | LED of three colours, 5 x 5 mm, 6 lands | 5x5 | 1.6 | 0 | 1@-2.4,1.65:1.5x1 2@-2.4,0:1.5x1 3@-2.4,-1.65:1.5x1 4@2.4,-1.65:1.5x1 5@2.4,0:1.5x1 6@2.4,1.65:1.5x1
LED-5050-4 | LED with its own driver, 5 x 5 mm | 5x5 | 1.6 | 0 | 1@-2.4,1.65:1.5x1 2@-2.4,-1.65:1.5x1 3@2.4,-1.65:1.5x1 4@2.4,1.65:1.5x1
LED-2020-4 | LED with its own driver, 2 x 2 mm | 2x2.2 | 0.9 | 0 | 1@-0.95,0.55:0.8x0.7 2@-0.95,-0.55:0.8x0.7 3@0.95,-0.55:0.8x0.7 4@0.95,0.55:0.8x0.7
SEG-10 | one digit of seven segments, 14 mm | 12.6x19 | 8 | 0.5 | 1..5@-5.08,-7.62+2.54,0 6..10@5.08,7.62+-2.54,0
SEG-12 | four digits of seven segments, 14 mm | 50.3x19 | 8 | 0.5 | 1..6@-6.35,-7.62+2.54,0 7..12@6.35,7.62+-2.54,0
DOTS-16 | field of 8 x 8 lights, 32 mm | 32x32 | 8 | 0.5 | 1..8@-8.89,-12+2.54,0 9..16@8.89,12+-2.54,0
LCD-16 | display of two lines of 16 letters, 80 x 36 mm | 80x36@12,-15.5 | 12 | 0.8 | 1..16@-19.05,0+2.54,0 @-25.5,-0.2:o2.7 @49.5,-0.2:o2.7 @-25.5,-30.8:o2.7 @49.5,-30.8:o2.7
LCD-20 | display of four lines of 20 letters, 98 x 60 mm | 98x60@18,-27.2 | 12 | 0.8 | 1..16@-19.05,0+2.54,0 @-28.5,-0.2:o2.7 @64.5,-0.2:o2.7 @-28.5,-55.2:o2.7 @64.5,-55.2:o2.7
OLED-4 | small display module on four pins | 27.3x27.8@0,-12.2 | 11 | 0.8 | 1..4@-3.81,0+2.54,0 @-11.4,-0.2:o2 @11.4,-0.2:o2 @-11.4,-24.2:o2 @11.4,-24.2:o2
OLED-7 | small display module on seven pins | 27.3x27.8@0,-12.2 | 11 | 0.8 | 1..7@-7.62,0+2.54,0 @-11.4,-0.2:o2 @11.4,-0.2:o2 @-11.4,-24.2:o2 @11.4,-24.2:o2
"""

SWITCHES: Final = """
BUTTON-4-6 | push button 6 mm on four legs; 1 and 2 are two legs each, joined inside | 6x6 | 5 | 0.8 | 1@-3.25,2.25 1@3.25,2.25 2@-3.25,-2.25 2@3.25,-2.25
BUTTON-4-12 | push button 12 mm on four legs; 1 and 2 are two legs each, joined inside | 12x12 | 7.3 | 1.0 | 1@-6.25,2.5 1@6.25,2.5 2@-6.25,-2.5 2@6.25,-2.5
BUTTON-4-6S | push button 6 mm, surface mount | 6x6 | 4.3 | 0 | 1@-4.5,2.25:1.6x1.4 1@4.5,2.25:1.6x1.4 2@-4.5,-2.25:1.6x1.4 2@4.5,-2.25:1.6x1.4
BUTTON-2-4S | push button 4 x 3 mm, surface mount | 4.2x3.2 | 2.5 | 0 | 1@-2.7,0:1.2x1.8 2@2.7,0:1.2x1.8
BUTTON-SIDE | push button at right angle, two posts | 7.5x7@0,1.3 | 7 | 0.8 | 1@-2.25,0 2@2.25,0 S@-3.5,2.5:1.0 S@3.5,2.5:1.0 | mouth=bottom
KEYSW-19 | key for caps of 19 mm: two contacts, a middle hole and two pegs | 15.6x15.6 | 18 | 1.3 | 1@-3.81,2.54 2@2.54,5.08 @0,0:o4 @-5.08,0:o1.7 @5.08,0:o1.7
SLIDE-3 | slide switch, one changeover | 8.6x4.4 | 6 | 0.8 | 1..3@-2.54,0+2.54,0
SLIDE-3L | slide switch, one changeover, lugs | 11.6x4.4 | 6 | 0.8 | 1..3@-2,0+2,0 S@-4.5,0:1.2 S@4.5,0:1.2
SLIDE-6 | slide switch, two changeovers | 12.7x7 | 9 | 0.8 | 1..3@-2.54,1.65+2.54,0 4..6@-2.54,-1.65+2.54,0
SLIDE-3S | slide switch, surface mount, two pegs | 6.7x2.7 | 1.4 | 0 | 1@-2.25,1.75:0.8x1.5 2@0.75,1.75:0.8x1.5 3@2.25,1.75:0.8x1.5 S@-3.65,1.1:1.0x0.9 S@3.65,1.1:1.0x0.9 S@-3.65,-1.1:1.0x0.9 S@3.65,-1.1:1.0x0.9 @-1.5,0:o0.9 @1.5,0:o0.9
TOGGLE-3 | toggle switch, one changeover | 12.7x6.9 | 10 | 1.2 | 1..3@-4.7,0+4.7,0
TOGGLE-6 | toggle switch, two changeovers | 12.7x11.4 | 10 | 1.2 | 1..3@-4.7,2.4+4.7,0 4..6@-4.7,-2.4+4.7,0
ROCKER-2 | rocker switch, two blades | 21x15 | 20 | 1.9 | 1@-3.7,0 2@3.7,0
ROCKER-3 | rocker switch, three blades, one for its light | 21x15 | 20 | 1.9 | 1@-7.4,0 2@0,0 3@7.4,0
MICROSW-3 | snap-action switch with lever | 19.8x6.4 | 10.2 | 1.2 | 1..3@-8.8,0+8.8,0
KEYLOCK-2 | switch with a key | 14x14 | 26 | 1.0 | 1@-2.5,0 2@2.5,0
ROTARY-12 | rotary switch, one pole of twelve ways | 27x27 | 21 | 1.1 | 1@-2.91,10.87 2@-7.96,7.96 3@-10.87,2.91 4@-10.87,-2.91 5@-7.96,-7.96 6@-2.91,-10.87 7@2.91,-10.87 8@7.96,-7.96 9@10.87,-2.91 10@10.87,2.91 11@7.96,7.96 12@2.91,10.87 A@4.3,2.5 | round
ROTARY-10C | coded rotary switch, ten ways, 10 mm | 10x10 | 6 | 0.6 | 1@-3.81,2.54 2@-3.81,0 3@-3.81,-2.54 4@3.81,-2.54 5@3.81,0 6@3.81,2.54
ENCODER-5 | rotary encoder with push switch | 12x13 | 20 | 0.9 | 1..3@-2.5,-7.5+2.5,0 4@-2.5,7 5@2.5,7 S@-5.7,0:2.4 S@5.7,0:2.4
NAV-6 | five-way stick, surface mount | 7.4x7.5 | 5 | 0 | 1@-4.2,2.5:1.6x1.0 2@-4.2,0:1.6x1.0 3@-4.2,-2.5:1.6x1.0 4@4.2,-2.5:1.6x1.0 5@4.2,0:1.6x1.0 6@4.2,2.5:1.6x1.0
STICK-5 | thumb stick of two potentiometers with push switch | 18x17 | 22 | 1.0 | 1..3@-2.5,-9.3+2.5,0 4..6@9.8,-2.5+0,2.5 7@-6.6,3.25 8@-6.6,-3.25 S@-6.35,6.75:1.4 S@6.35,6.75:1.4 S@-6.35,-6.75:1.4 S@6.35,-6.75:1.4
"""

POTENTIOMETERS: Final = """
POT-9 | potentiometer 9 mm, upright shaft | 9.8x11.2@0,6.9 | 25 | 1.0 | 1..3@-2.5,0+2.5,0 S@-4.4,7:2.0 S@4.4,7:2.0
POT-16 | potentiometer 16 mm, shaft along the board | 17x14@0,7 | 20 | 1.2 | 1..3@-5,0+5,0 | mouth=top
POT-16-6 | double potentiometer 16 mm | 17x20@0,12 | 20 | 1.2 | 1..3@-5,0+5,0 4..6@-5,5+5,0 | mouth=top
TRIM-6F | trimmer 6 mm, lying | 6.6x6.8@0,2.5 | 4.5 | 0.7 | 1@-2.5,0 2@0,5 3@2.5,0
TRIM-3S | trimmer 3 mm, surface mount | 3x3 | 1.6 | 0 | 1@-1,-1.75:1.1x1.3 2@0,1.7:1.6x1.4 3@1,-1.75:1.1x1.3
SLIDEPOT-60 | slide potentiometer, 60 mm way | 75x9 | 20 | 1.0 | 1@-36,0 2@-33.5,3 3@36,0 S@-31,-3:1.2 S@31,-3:1.2
TRIMCAP-6 | trimmer capacitor 6 mm | 6x6 | 5 | 0.8 | 1@-2.5,0 2@2.5,0 | round
"""

COILS: Final = """
TOROID-P15 | coil on a ring, upright leads | 20x10 | 20 | 1.0 | 1@-7.5,0 2@7.5,0
CMC-4 | choke of two windings, leads 10 x 7 mm | 15x13 | 16 | 0.9 | 1@-5,3.5 2@-5,-3.5 3@5,-3.5 4@5,3.5
CMC-2012 | choke of two windings, chip | 2x1.2 | 1.2 | 0 | 1@-0.95,0.4:0.9x0.4 2@-0.95,-0.4:0.9x0.4 3@0.95,-0.4:0.9x0.4 4@0.95,0.4:0.9x0.4
TRAFO-6 | signal transformer, six pins | 13x14 | 12 | 0.7 | 1..3@-5,5+0,-5 4..6@5,-5+0,5
TRAFO-30 | mains transformer, 2 VA | 32.5x27.5 | 24 | 0.9 | 1@-10,10 2@-5,10 3@-5,-10 4@5,-10
"""

RELAYS: Final = """
RELAY-5 | relay, one changeover, cube | 19.2x15.5@1.2,0 | 15.3 | 1.1 | 1@-6.1,6 2@-6.1,-6 3@-8.1,0 4@6.1,-6 5@6.1,6
RELAY-30 | relay of 30 A, one contact | 32x27.4 | 20.1 | 1.3 | 1@-12.5,7.6 2@-12.5,-7.6 3@12.7,7.6:2.0 4@12.7,-7.6:2.0
RELAY-8 | signal relay, two changeovers | 10x15 | 11 | 0.6 | 1@-2.54,5.08 2@-2.54,0 3@-2.54,-2.54 4@-2.54,-5.08 5@2.54,-5.08 6@2.54,-2.54 7@2.54,0 8@2.54,5.08
REED-4 | reed relay in one row | 15.1x5.1 | 7 | 0.6 | 1@-5.08,0 2@-2.54,0 3@2.54,0 4@5.08,0
SSR-4 | solid-state relay in one row | 43.2x10.2 | 25.4 | 1.1 | 1@-16.51,0 2@-11.43,0 3@11.43,0 4@16.51,0
FUSE-CLIP-5x20 | two clips for a fuse of 5 x 20 mm | 25x6.6 | 9 | 1.3 | 1@-12.6,0 1@-9.1,0 2@9.1,0 2@12.6,0
FUSE-BLADE | holder for a blade fuse | 18x7 | 15 | 1.4 | 1@-6.6,1.7 1@-6.6,-1.7 2@6.6,1.7 2@6.6,-1.7
FUSE-MINI | holder for a small blade fuse | 13x6.5 | 12 | 1.2 | 1@-4.95,1.7 1@-4.95,-1.7 2@4.95,1.7 2@4.95,-1.7
"""

OSCILLATORS: Final = """
RESO-3 | resonator with its capacitors, three leads | 8x3.5 | 7 | 0.5 | 1..3@-2.5,0+2.5,0
RESO-3213 | resonator with its capacitors, chip | 3.2x1.3 | 1 | 0 | 1@-1.2,0:0.5x1.7 2@0,0:0.5x1.7 3@1.2,0:0.5x1.7
OSC-14 | oscillator in a can, size of DIP-14 | 13.2x20.8 | 5.3 | 0.5 | 1@-3.81,7.62 7@-3.81,-7.62 8@3.81,-7.62 14@3.81,7.62
OSC-8 | oscillator in a can, size of DIP-8 | 13.2x13.2 | 5.3 | 0.5 | 1@-3.81,3.81 4@-3.81,-3.81 5@3.81,-3.81 8@3.81,3.81
XTAL-SMD2 | crystal, flat can on two lands | 11.4x4.7 | 4.2 | 0 | 1@-4.75,0:5.6x2.1 2@4.75,0:5.6x2.1
XTAL-3215 | watch crystal, two lands | 3.2x1.5 | 0.9 | 0 | 1@-1.25,0:1.1x1.9 2@1.25,0:1.1x1.9
MIC-D10 | microphone capsule, 10 mm | 9.7x9.7 | 6.7 | 0.6 | 1@-1.27,0 2@1.27,0 | polar round
MIC-4S | microphone with its amplifier, sound hole below | 3.5x2.65 | 1.1 | 0 | 1@-1.15,0.85:0.8x0.6 2@-1.15,-0.85:0.8x0.6 3@1.15,-0.85:0.8x0.6 4@1.15,0.85:0.8x0.6 @0,0:o0.7
"""

USB: Final = """
USBC-16 | USB-C receptacle with data; B12, B9, A9 and A12 share the lands of A1, A4, B4 and B1 | 8.94x7.3@0,-2.4 | 3.2 | 0.6 | A1@-3.2,2.6:0.6x1.15 A4@-2.4,2.6:0.6x1.15 B8@-1.75,2.6:0.3x1.15 A5@-1.25,2.6:0.3x1.15 B7@-0.75,2.6:0.3x1.15 A6@-0.25,2.6:0.3x1.15 A7@0.25,2.6:0.3x1.15 B6@0.75,2.6:0.3x1.15 A8@1.25,2.6:0.3x1.15 B5@1.75,2.6:0.3x1.15 B4@2.4,2.6:0.6x1.15 B1@3.2,2.6:0.6x1.15 S1@-4.32,1:0.8 S2@4.32,1:0.8 S3@-4.32,-3.2:0.8 S4@4.32,-3.2:0.8 @-2.89,0.5:o0.65 @2.89,0.5:o0.65 | mouth=bottom
USBC-6 | USB-C receptacle, supply only | 8.94x7.3 | 3.2 | 0.9 | 1..6@-2.75,2.6+1.1,0:0.65x1.3 S1@-4.32,1.7:0.9 S2@4.32,1.7:0.9 S3@-4.32,-2.3:0.9 S4@4.32,-2.3:0.9 | mouth=bottom
USBC-PLUG | USB-C plug at the board's edge, six contacts | 9x6.5@0,-3.2 | 3.2 | 0 | 1@-2.5,1.2:0.5x1.8 2@-1.5,1.2:0.5x1.8 3@-0.5,1.2:0.5x1.8 4@0.5,1.2:0.5x1.8 5@1.5,1.2:0.5x1.8 6@2.5,1.2:0.5x1.8 S1@-4,-1:0.8 S2@4,-1:0.8 | mouth=bottom+4
USB-MICRO | USB micro-B receptacle | 7.5x5.6@0,-1.4 | 2.6 | 0 | 1..5@-1.3,1.45+0.65,0:0.4x1.35 S1@-3.1,1.3:1.6x1.6 S2@3.1,1.3:1.6x1.6 S3@-3.8,-1.4:1.4x1.9 S4@3.8,-1.4:1.4x1.9 S5@-1.2,-1.4:1.9x1.9 S6@1.2,-1.4:1.9x1.9 | mouth=bottom
USB-MINI | USB mini-B receptacle | 7.7x9.2@0,-3 | 4 | 0 | 1..5@-1.6,2.3+0.8,0:0.5x2.3 S1@-4.45,2.3:2x2.5 S2@4.45,2.3:2x2.5 S3@-4.45,-3.2:2x2.5 S4@4.45,-3.2:2x2.5 @-2.2,0:o0.9 @2.2,0:o0.9 | mouth=bottom
USB-A | USB-A receptacle, lying | 13.2x14@0,-5.6 | 7 | 0.8 | 1@-3.5,0 2@-1,0 3@1,0 4@3.5,0 S1@-6.57,-2.71:2.1 S2@6.57,-2.71:2.1 | mouth=bottom
USB-B | USB-B receptacle | 12x16@0,-6.8 | 11 | 0.8 | 1@1.25,0 2@-1.25,0 3@-1.25,2 4@1.25,2 S1@-6.02,-2.71:2.1 S2@6.02,-2.71:2.1 | mouth=bottom
USB-A-PLUG | USB-A plug at the board's edge | 12x18.8@0,-9 | 4.5 | 1.0 | 1@-3.5,1.5:1.2x2.5 2@-1,1.5:1.2x2.5 3@1,1.5:1.2x2.5 4@3.5,1.5:1.2x2.5 S1@-5.85,-1.5:2.1 S2@5.85,-1.5:2.1 | mouth=bottom+15
"""

CONNECTORS: Final = """
JACK-DC | barrel jack for a plug of 5.5 mm | 9x14.2@0,-5 | 11 | 2.6 | 1@0,0 2@0,-6 3@4.8,-3 | mouth=bottom
JACK-DC-F | barrel jack for a plug of 5.5 mm, flat leads in slots | 9x14.2@0,-5 | 11 | 0 | 1@0,0:2.4x0.8s 2@0,-6:2.4x0.8s 3@4.8,-3:0.8x2.4s | mouth=bottom
JACK-DC-S | barrel jack, surface mount | 9x14.5@0,0 | 6.5 | 0 | 1@-5.4,-2.6:2.8x2.4 1@-5.4,3.5:2.8x2.4 2@5.4,-2.6:2.8x2.4 3@5.4,3.5:2.8x2.4 @0,-2.25:o1.6 @0,2.25:o1.8 | mouth=bottom
JACK-DC-35 | barrel jack for a plug of 3.5 mm | 6.5x9.5@0,-3 | 6 | 1.6 | 1@0,0 2@0,-4.5 3@3.3,-2.2 | mouth=bottom
HC-30 | high-current connector, two contacts for 30 A | 13x7.5 | 11 | 2.5 | 1@-2.5,0 2@2.5,0 | polar
HC-60 | high-current connector, two contacts for 60 A | 16x8.2 | 16 | 4.3 | 1@-3.6,0 2@3.6,0 | polar
HC-60-3 | high-current connector, three contacts for 60 A | 20x8 | 16 | 3.4 | 1..3@-5,0+5,0
LUG-M4 | threaded lug for a cable, 50 A | 9x9 | 10 | 1.3 | 1@-3.5,3.5 1@3.5,3.5 1@3.5,-3.5 1@-3.5,-3.5
TAB-63 | blade of 6.3 mm, two legs | 6.6x2 | 11 | 1.2 | 1@-2.54,0 1@2.54,0
TAB-48 | blade of 4.8 mm, two legs | 5.2x2 | 10 | 1.2 | 1@-2.54,0 1@2.54,0
COAX-5 | coaxial jack, upright, five pins | 6.4x6.4 | 11 | 1.3 | 1@0,0 2@-2.54,2.54 2@2.54,2.54 2@2.54,-2.54 2@-2.54,-2.54
COAX-EDGE | coaxial jack for the board's edge | 6.4x9.5@0,-5 | 6.4 | 0 | 1@0,1.8:1.5x4.2 2@-2.85,1.8:1.7x4.2 2@2.85,1.8:1.7x4.2 2@-2.85,1.8:1.7x4.2b 2@2.85,1.8:1.7x4.2b | mouth=bottom+9.1
COAX-S | coaxial jack, small, surface mount | 2.6x2.6 | 1.3 | 0 | 1@0,-1.5:1x1 2@-1.5,0:1.05x2.2 2@1.5,0:1.05x2.2
AUDIO-35-3 | audio jack 3.5 mm, three contacts | 6.5x14@0,-4 | 5.5 | 1.2 | 1@0,2.5 2@-2.5,-4.5 3@2.5,-1.5 | mouth=bottom
AUDIO-35-5 | audio jack 3.5 mm, five contacts, two of them open when plugged | 6.5x14@0,-4 | 5.5 | 1.2 | 1@0,2.5 2@-2.5,-5 3@2.5,-5 4@-2.5,-1.5 5@2.5,-1.5 | mouth=bottom
AUDIO-63 | audio jack 6.3 mm, six contacts | 16x26@0,-5 | 12 | 1.5 | 1@-6.35,5.08 2@-6.35,0 3@-6.35,-6.35 4@6.35,-6.35 5@6.35,0 6@6.35,5.08 | mouth=bottom
PHONO-1 | pin jack for a screened plug | 10x10@0,-4 | 13 | 1.3 | 1@0,0 2@-4.5,-4.5:1.8 2@4.5,-4.5:1.8 | mouth=bottom
DIN-5 | round connector of five contacts | 20.5x17@0,-7 | 20 | 1.1 | 1@-7.5,0 2@0,2.5 3@7.5,0 4@-5,2.5 5@5,2.5 S@0,-7.5:1.3 | mouth=bottom
MODJACK-8 | modular jack of eight contacts | 16x15.9@0,-5.4 | 13.5 | 0.7 | 1..7/2@-4.445,0+2.54,0 2..8/2@-3.175,2.54+2.54,0 @-5.715,-6.35:o3.25 @5.715,-6.35:o3.25 | mouth=bottom
MODJACK-8M | modular jack of eight contacts with transformers and lights | 16x21.5@0,-7 | 13.5 | 0.8 | 1..7/2@-4.445,0+2.54,0 2..8/2@-3.175,2.54+2.54,0 9@-6.6,-4.9 10@-4.1,-4.9 11@4.1,-4.9 12@6.6,-4.9 S1@-8.1,-12.5:1.5 S2@8.1,-12.5:1.5 @-5.715,-9:o3.25 @5.715,-9:o3.25 | mouth=bottom
MODJACK-6 | modular jack of six contacts | 13.2x18@0,-6 | 12 | 0.7 | 1..5/2@-2.55,0+2.04,0 2..6/2@-1.53,2.54+2.04,0 @-5.08,-7.62:o3.25 @5.08,-7.62:o3.25 | mouth=bottom
DSUB-9 | trapezoid connector of 9 contacts, lying | 30.8x12.5@0,-6.5 | 12.5 | 1.0 | 1..5@5.54,0+-2.77,0 6..9@4.155,2.84+-2.77,0 S1@-12.5,1.42:3.0 S2@12.5,1.42:3.0 | mouth=bottom+6
DSUB-15 | trapezoid connector of 15 contacts, lying | 39.1x12.5@0,-6.5 | 12.5 | 1.0 | 1..8@9.695,0+-2.77,0 9..15@8.31,2.84+-2.77,0 S1@-16.65,1.42:3.0 S2@16.65,1.42:3.0 | mouth=bottom+6
DSUB-25 | trapezoid connector of 25 contacts, lying | 53x12.5@0,-6.5 | 12.5 | 1.0 | 1..13@16.62,0+-2.77,0 14..25@15.235,2.84+-2.77,0 S1@-23.5,1.42:3.0 S2@23.5,1.42:3.0 | mouth=bottom+6
CARD-MICRO | holder for a small memory card | 14x14.5@0,-4 | 1.9 | 0 | 1..8@3.2,4.2+-1.1,0:0.7x1.6 9@-6.9,3.2:1.2x1.4 S1@-7.05,-6.2:1.3x2 S2@7.05,-6.2:1.3x2 S3@7.05,3.2:1.3x1.4 | mouth=bottom
CARD-FULL | holder for a memory card | 28x27@0,-10 | 3 | 0 | 1..8@7.5,5+-2.5,0:1x2 9@10,5:1x2 10@-12.2,5:0.9x2 11@-13.5,5:0.9x2 S1@-14,-6:1.5x2.5 S2@14,-6:1.5x2.5 | mouth=bottom
CARD-SIM | holder for a subscriber card | 15x15@0,0 | 2 | 0 | 1@-2.54,-7.6:1.2x1.8 2@0,-7.6:1.2x1.8 3@2.54,-7.6:1.2x1.8 4@-2.54,7.6:1.2x1.8 5@0,7.6:1.2x1.8 6@2.54,7.6:1.2x1.8 | mouth=right
CELL-20 | holder for a coin cell of 20 mm | 21x21@0,0 | 5.5 | 1.2 | 1@-10,0 2@10,0 | polar round
CELL-20S | holder for a coin cell of 20 mm, surface mount | 23x16 | 5.3 | 0 | 1@-14.6,0:2.6x5.1 2@14.6,0:2.6x5.1 | polar
CELL-12 | holder for a coin cell of 12 mm | 13.5x13.5 | 4 | 1.0 | 1@-6.5,0 2@6.5,0 | polar round
CELL-AA-1 | holder for a cell of 14 x 50 mm | 57x17 | 15 | 1.2 | 1@-26.5,0 2@26.5,0 | polar
CELL-AA-2 | holder for two cells of 14 x 50 mm | 57x31 | 15 | 1.2 | 1@-26.5,7.5 2@-26.5,-7.5 | polar
CELL-AAA-2 | holder for two cells of 10 x 44 mm | 52x25 | 13 | 1.2 | 1@-24,5.5 2@-24,-5.5 | polar
CELL-18 | holder for a cell of 18 x 65 mm | 77x21 | 20 | 1.4 | 1@-36,0 2@36,0 | polar
CELL-9V | holder for a block battery | 58x29 | 22 | 1.2 | 1@-25,6.4 2@-25,-6.4 | polar
TP-LOOP | test point, a loop of wire | 2.5x1.5 | 4.5 | 1.0 | 1@0,0
TP-PAD | test point, a bare land | 1.5x1.5 | 0.1 | 0 | 1@0,0:1.5x1.5
SINK-220 | heat sink for one upright outline, two posts | 25x25@0,0 | 25 | 2.5 | 1@-12.7,0 1@12.7,0
"""

MODULES: Final = """
MOD-24 | controller module on two rows of 12, 15.24 mm apart | 18x33 | 12 | 0.8 | 1..12@-7.62,13.97+0,-2.54 13..24@7.62,-13.97+0,2.54
MOD-30 | controller module on two rows of 15, 15.24 mm apart | 18x45 | 12 | 0.8 | 1..15@-7.62,17.78+0,-2.54 16..30@7.62,-17.78+0,2.54
MOD-38 | controller module on two rows of 19, 22.86 mm apart | 28x51 | 12 | 0.8 | 1..19@-11.43,22.86+0,-2.54 20..38@11.43,-22.86+0,2.54
MOD-40 | controller module on two rows of 20, 17.78 mm apart | 21x51 | 12 | 0.8 | 1..20@-8.89,24.13+0,-2.54 21..40@8.89,-24.13+0,2.54
MOD-16 | module on two rows of 8, 17.78 mm apart | 20.5x20.5 | 12 | 0.8 | 1..8@-8.89,8.89+0,-2.54 9..16@8.89,-8.89+0,2.54
MOD-16S | module on two rows of 8, 12.7 mm apart | 15.3x20.4 | 12 | 0.8 | 1..8@-6.35,8.89+0,-2.54 9..16@6.35,-8.89+0,2.54
STAMP-8 | radio module of 2 x 4 pins | 15x29@0,10.2 | 12 | 0.8 | 1@-1.27,-3.81 2@1.27,-3.81 3@-1.27,-1.27 4@1.27,-1.27 5@-1.27,1.27 6@1.27,1.27 7@-1.27,3.81 8@1.27,3.81
CHARGE-6 | charger module with half holes | 26x17 | 4 | 1.2 | 1@-11.5,7 2@-11.5,-7 3@11.5,7 4@11.5,4.3 5@11.5,-4.3 6@11.5,-7
STEP-4 | converter module, a post in each corner | 43x21 | 14 | 1.0 | 1@-19.5,8.5 2@-19.5,-8.5 3@19.5,-8.5 4@19.5,8.5
MAINS-4 | mains supply module, 3 W | 34x20.2 | 15 | 0.9 | 1@-14.7,2.5 2@-14.7,-2.5 3@14.7,-5.1 4@14.7,5.1
MAINS-10 | mains supply module, 10 W | 45.7x25.4 | 21.5 | 1.0 | 1@-20.3,4 2@-20.3,-4 3@20.3,-8 4@20.3,8
"""

PLANS: Final[dict[str, Plan]] = {
    plan.name: plan
    for table in (
        TRANSISTORS,
        OPTICS,
        SWITCHES,
        POTENTIOMETERS,
        COILS,
        RELAYS,
        OSCILLATORS,
        USB,
        CONNECTORS,
        MODULES,
    )
    for line in table.strip().splitlines()
    if (plan := read_plan(line))
}
