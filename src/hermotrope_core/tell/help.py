"""Help in one place: a line on every field and every panel, shown at a question mark and in the guide."""

from __future__ import annotations

from hermotrope_core.values.fields import FIELDS

FIELDS_HELP: dict[str, str] = {
    "min_v": "Turn a bench supply down until it stops, and enter a little more; or take what its flat cells gave.",
    "nominal_v": "Printed beside the inlet or on its adapter; cells add up: four alkaline cells are 6 V.",
    "max_v": "Fresh cells and unloaded adapters count: what it has stood already. Trying more is no way to find out.",
    "absolute_max_v": "From the data sheet of its first part, a capacitor or regulator; leave it open otherwise.",
    "at_v": "The meter's volts at the inlet while you read the amperes.",
    "fade_v": "Lower the feed until it no longer shines: that many volts its diodes drop.",
    "no_load_share": "Read it twice: once turning free, once at work.",
    "on_share": "Watch it for some minutes: how much of them it was on.",
    "stall_a": "From its data sheet, or volts over the winding's ohms; what pinches or rides is never held.",
    "unloaded_v": "The adapter alone in the wall, a meter at its plug.",
    "lasted_s": "By the calendar: so many evenings of so many hours.",
    "power_w": "Volts times amperes at its inlet while it does that; of what hangs on mains only by a plug-in meter.",
    "current_a": "A meter in line, red in its A socket and back to V afterwards; on mains only a plug-in meter.",
    "peak_a": "A clamp or meter that holds its maximum, while it starts; on mains only a plug-in meter.",
    "peak_w": "Peak amperes times the volts at that moment.",
    "peak_s": "From switching on until the amperes settle.",
    "input_capacitance_f": "From its data or service sheet; several add up. Nothing with mains inside is opened.",
    "energy_wh": "Printed on its own battery, or Ah times its volts.",
    "charge_w": "What it takes more while its own battery is not full.",
    "charges_to_v": "The volts at its battery when the charging light goes out.",
    "cells_in_series": "Full volts over the volts of one full cell; a label may say 5S2P: five in series.",
    "cells_in_parallel": "Only for what one cell carries; the capacity is that of the pack.",
    "capacity_ah": "From the label at the cells' volts, or measured by a full run-down; old packs hold less.",
    "stated_at_v": "Banks state mAh at their cells' volts, not at the port's.",
    "resistance_ohm": "Two readings: the fall in volts over the rise in amperes.",
    "cutoff_v": "Where its own protection opens, or where you stop so that it lives.",
    "full_v": "A meter at its terminals as soon as the charger is done, nothing else connected.",
    "max_current_a": "From its data sheet; of a pack, cells in parallel times what one may give.",
    "peak_current_a": "From its data sheet, for seconds; more trips its protection.",
    "state_of_health": "Measured capacity over the printed one.",
    "initial_soc": "100 % for freshly charged; less if you set out with a used pack.",
    "reserve_soc": "What you want to be left: cold, age, the way home.",
    "peukert": "1.05 to 1.3 of lead; 1 where fast draining costs nothing.",
    "rated_hours": "Lead packs: Ah printed for 20 hours, mostly.",
    "mass_g": "A kitchen scale.",
    "price": "What it costs to buy; in your own money, without a sign.",
    "recharge_h": "From flat to full on the charger that you have.",
    "output_v": "Turned unloaded with a meter at its output, before anything is connected.",
    "quiescent_w": "Volts times amperes into it with nothing behind it.",
    "quiescent_a": "A meter in line before it, nothing behind it.",
    "output_current_max_a": "The board's rating with air around it; in a closed box less.",
    "output_min_current_a": "Load the port with less and less until it goes off by itself.",
    "output_off_delay_s": "A watch from the moment the load is too small.",
    "input_min_v": "From the board's sheet: below it, it stops or passes through.",
    "input_max_v": "From the board's sheet: what feeds it, fresh and unloaded, must stay under it.",
    "headroom_v": "From the board's sheet; 1 to 2 V of cheap ones.",
    "adjusts_from_v": "The least to which its trimmer turns.",
    "adjusts_to_v": "The most to which its trimmer turns.",
    "thermal_k_per_w": "How many degrees it warms for each watt it loses; a thermometer on it after ten minutes.",
    "dropout_v": "From its sheet: below, it holds nothing any more.",
    "length_m": "From end to end once; the way back is counted for you.",
    "area_mm2": "Printed on the wire, or by gauge: 18 AWG is 0.82 mm².",
    "rating_a": "Printed on it; for direct current where two are given.",
    "rating_v": "For direct current: what is printed for alternating current does not count.",
    "rating_w": "Printed on it or known by its size.",
    "trips_v": "Its setting; a supply turned down shows where it opens.",
    "other_v": "A meter at the other supply with nothing connected.",
    "other_a": "Printed on the other supply.",
    "gap_s": "A lamp in the place of the device: watch whether it blinks.",
    "warns_v": "Its setting; set by the lightest load, so that no peak makes it cry.",
    "forward_v": "A meter's diode range, or 0.4 V of a Schottky and 0.7 V of a silicon diode.",
    "count": "How many of it in a row.",
    "outer_mm": "A caliper over the plug's barrel.",
    "inner_mm": "The drill that just goes in, or the pin of the inlet.",
    "pin_count": "All of them, those in the middle too.",
    "arc_deg": "Over which part of the circle they stand.",
    "reading_v": "With its sign: red on the first contact, black on the second.",
    "columns": "How many slots lie side by side.",
    "fed_slot": "The slot whose dummy takes both wires.",
    "ports_power_max_w": "Printed on the bank: what all ports give together.",
    "seconds": "How long this lasts before the next begins.",
    "temperature_c": "Where it will stand, not where you sit: cold takes capacity.",
    "hours": "From setting out to coming home.",
    "spread": "How far off it may be, nine times of ten.",
    "efficiency": "Watts out over watts in, at about this load.",
}
"""By the name of the field in the document: where its value is found or how it is read."""

PANELS_HELP: dict[str, tuple[str, str]] = {
    "device": (
        "Device",
        "All that is known of it, drawn: the volts it stands and the draws of its modes follow from what "
        "you tell. Press a part of the picture to change just that; press what you know to add to it.",
    ),
    "source": (
        "Pack",
        "What feeds it: cells, capacity, resistance and where it stops. A line under a figure says how it "
        "is measured; how it is known decides how far the runtime is told.",
    ),
    "shelf": (
        "Choose a pack",
        "Every pack of your shelf with what would arrive at the device. What is far off says why.",
    ),
    "stage": (
        "Part of the line",
        "One part between pack and device. Its figures change what is behind it: watch the line, "
        "the verdict and the scale beside it.",
    ),
    "add": (
        "Put in a part",
        "What could stand here; what makes no sense says why. Parts of your shelf come with their figures.",
    ),
    "match": (
        "Match",
        "Every way to feed this device from the shelf, judged over the whole discharge. Say beside it what "
        "matters to you; point at a way to see its volts; put up to four beside each other.",
    ),
    "run": (
        "Run",
        "How long it lasts, what ends it, and how sure that is. Change duty and temperature beside the curves; "
        "measure next what narrows the range most.",
    ),
    "build": (
        "Build: plan",
        "The wiring with gauge, fuse and switch, and what each part stands. Dashed places on the drawing "
        "are where the switch could stand; press one to put it there.",
    ),
    "buy": ("Build: buy", "Everything that is needed, what of it you have, and what the rest costs."),
    "do": ("Build: do", "One step after the other; the part that is meant is lit in the drawing beside it."),
    "make": (
        "Build: make",
        "Dummies, box, dock, plate and drill template, from a caliper or a picture. Look at what nobody measured, "
        "print the test slice first, and measure plus and minus yourself: no print knows them.",
    ),
    "prove": (
        "Prove",
        "Gates in order, from the pack alone to the whole run. Each says what to expect before you read; the "
        "device gets power only when polarity and volts have passed.",
    ),
    "record": ("Record", "What was changed when, and the files that carry it elsewhere."),
}
"""By kind of panel: what it is called, what it tells and what to do there."""


def figures_told() -> list[tuple[str, str, str, str]]:
    """Every figure of the document by its term: its unit, what it is, where it is found."""
    told = [(field.term, field.unit, field.help, FIELDS_HELP[name]) for name, field in FIELDS.items()]
    return sorted(told, key=lambda one: one[0].lower())
