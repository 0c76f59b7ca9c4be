"""Limits of the craft: where a figure begins to matter, and how far a choice stays away from it.

Each stands here once, with its unit in its name and where it comes from; *typical* means that practitioners use it
and that a stated figure of the part in hand goes before it.
"""

from __future__ import annotations

# warning
ALARM_LEAVES = 0.15
"""An alarm is put in so that this share of the charge that the run takes is left when it sounds (typical)."""

# boards
BOARD_EFFICIENCY, BOARD_IDLE_W = 0.85, 0.1
"""What a small converter that states neither makes of its watts, and takes for itself, watts (typical)."""

# volts
VOLT_TOLERANCE = 0.005
"""Slack on every limit in volts: meters and tables are not better than half a per cent."""
OVER, UNDER = 1.0 + VOLT_TOLERANCE, 1.0 - VOLT_TOLERANCE
"""A limit in volts times these: what is over and under it for certain."""
SAME_V = 0.05
"""Two settings or profiles closer than this are one; no set-point is adjusted finer."""
NEAR_SHARE = 0.01
"""A set-point this close under a limit is told: boards and their knobs are no better."""
TYPICAL_HEADROOM_V, TYPICAL_HEADROOM = 1.0, 0.15
"""Headroom of a step-down board that states none: volts, and at most this share of its output (typical)."""
SCHOTTKY_V = 0.4
"""Drop of a Schottky diode at about an ampere (typical)."""
UNRATED_V = 32.0
"""Up to here a fuse or switch that states no volts is taken to break the current (what small blade fuses stand)."""
MAINS_CARE_V = 50.0
"""Alternating volts above which a qualified person is needed (the usual limit of extra-low voltage)."""
HIGH_DC_V = 120.0
"""Direct volts above which a qualified person is needed (likewise)."""
MAINS_LEAST_V = 100.0
"""The least that is called mains (the lowest public supply)."""

# charge
LATE_SOC = 0.05
"""Below this charge an input that gets too low is the end of the pack, not a fault of the path."""
EARLY_SHARE = 0.05
"""Charge left above the reserve from which a run counts as stopped early by the device or a converter."""
CUT_OFF_SHARE = 0.25
"""Likewise for a cut-off, which is meant to stop a run, but not so soon."""
CHARGE_SHARE = 0.01
"""A charger may stop this share above what a pack is full at."""

AIR_CARE_WH, AIR_ASK_WH = 100.0, 160.0
"""Watt-hours of one lithium pack that carriers usually take in the cabin, and take with leave (check the carrier)."""

# amperes
RATED_TIMES = 1.2
"""A chosen converter is rated at least this many times the heaviest mode's current."""
NEAR_RATING = 0.8
"""A converter runs for hours at no more than this share of its rating (typical)."""
OVER_TIMES = 1.5
"""A connector at more than this many times its rating is refused."""
AWAKE = 1.2
"""A keep-alive load lifts a bank's port to this many times the current that keeps it awake."""
SLEEPS_AFTER_S = 30.0
"""A bank that does not say switches its port off after so long (typical)."""
REST_A = 1e-3
"""A mode that draws less leaves a series diode with much less than its rated drop (typical)."""
SHORT_A = 5.0
"""A source that drives more than this into a short must be fused."""
TO_FUSE_M = 0.2
"""Longest copper between the pack's positive and its fuse, metres."""
LONG_PEAK_S = 3600.0
"""For how long a peak is taken to last whose length nobody stated: long enough to open any fuse that it can."""
SHORT_PEAK_S = 0.1
"""A peak no longer than this can be carried by the device's own input capacitance."""
INRUSH_FROM_F = 470e-6
"""Input capacitance from which the rush into it matters (typical)."""

# what is lost
DROP_CARE, DROP_REFUSE = 0.03, 0.10
"""Share of the volts entering a lead that it may lose."""
HOT_CARE_K, HOT_REFUSE_K = 40.0, 70.0
"""Rise of a part above its surroundings, kelvin (typical)."""

# light-emitting diodes
LED_FADE = 0.7
"""Share of its rated volts at which a strip of diodes with series resistors is dark (typical: three white in 12 V)."""

NEARLY_DARK = 0.01
"""Diodes within this share of the volts at which they are dark count as dark (typical): else they fade for ever."""

# motors
NO_LOAD_SHARE = 0.2
"""Share of its working current that a small motor with brushes takes turning free, where nobody read it (typical)."""

# cars
CAR_RATED_V, CAR_FULL_V, CAR_CHARGING_V = 12.0, 12.8, 14.4
"""Volts of a car's socket: by name, its battery rested and full, and with the engine running (typical)."""
CAR_LEAST_V = 11.5
"""What is left at a car's socket under load, its battery low (typical)."""
