"""What every kind of stage answers, with honest defaults. Whoever asks does not ask which kind it is."""

from __future__ import annotations

from typing import ClassVar, Literal

import msgspec

from hermotrope_core.kinds.effects import Element, Holder, Station
from hermotrope_core.parts.craft import HOT_REFUSE_K
from hermotrope_core.parts.thermal import CLOSED_K_PER_W, OPEN_K_PER_W
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import Value, maybe, number

BEHIND_HOLDER = "behind a part that holds the volts it only takes some of them away again"
Skill = Literal["none", "careful hands", "soldering", "a meter"]


class Place(msgspec.Struct, frozen=True):
    """Where a stage stands: its path index, whether it is the first of its kind, mains volts before and behind it."""

    index: int
    first: bool
    mains: bool
    mains_behind: bool


class Fed(msgspec.Struct, frozen=True):
    """What comes to a place of the path, drops and resistances aside; volts are None without a pack."""

    before: tuple[StageKind, ...]
    bank: bool
    port_v: float | None
    """What a bank's port gives."""
    low_v: float | None
    high_v: float | None
    full_v: float | None
    """The full pack's own volts."""

    @property
    def held(self) -> bool:
        """Whether a part before it holds the volts."""
        return any(one.HOLDS for one in self.before)


class Wanted(msgspec.Struct, frozen=True):
    """What a new stage is for: the device's rated volts, and the volts at which its source counts as flat."""

    rated_v: float
    flat_v: float


def misplaced_guard(fed: Fed, volts: float | None, detail: str) -> str | None:
    """Why a part that acts on the pack's falling volts makes no sense in a place; `volts` are those it acts at."""
    if fed.held or fed.bank:
        return "behind a part that holds its volts it never sees the pack run down"
    if fed.full_v is not None and volts is not None and volts >= fed.full_v:
        return f"it {detail}, above the full pack's {figure(fed.full_v, 'V')}"
    return None


class Work(msgspec.Struct, frozen=True):
    """How a part is put in: its name, what to do, minutes (typical), the skill, and a caution where there is one."""

    name: str
    how: str
    minutes: float
    skill: Skill
    caution: str = ""


class Tails(msgspec.Struct, frozen=True):
    """Short wires to a part: which, how many, and what is written on them."""

    what: str
    count: int
    mark: str


class Step(msgspec.Struct, frozen=True):
    """One line of a working: what is computed, its formula, the values put in, the result."""

    what: str
    formula: str
    values: str
    result: str


class StageKind(Value, frozen=True, tag_field="stage"):
    """A stage of the path. In series in the plus conductor, without an effect, unless its kind says otherwise."""

    TITLE: ClassVar[str] = ""
    OFFERED: ClassVar[str] = ""
    """Its name where stages are offered."""
    WORK_KEY: ClassVar[str] = ""
    """The beginning of the lasting key of its step."""
    ROWS: ClassVar[tuple[str, ...]] = ()
    """Its fields in the order of its panel."""
    SHOWN: ClassVar[tuple[str, ...]] = ()
    """The fields that decide volts and amperes."""
    HOLDS: ClassVar[bool] = False
    """Whether it holds its output volts, so that what is behind it does not see the pack run down."""
    KEEPS_AWAKE: ClassVar[bool] = False
    """Whether it is there to keep what is before it awake, and makes no sense without."""
    SWITCHES: ClassVar[bool] = False
    """Whether it is a switching converter: it makes noise, and runs on with nothing behind it."""
    DRAWS: ClassVar[bool] = False
    """Whether it draws by itself, with nothing behind it."""
    SHOWS: ClassVar[bool] = False
    """Whether one can see on it how far the pack is run down."""
    BY_HAND: ClassVar[bool] = False
    """Whether a hand opens it: nothing behind it draws then."""
    ONE_WAY: ClassVar[bool] = False
    """Whether current goes through it one way only."""
    NEEDS_CURRENT: ClassVar[bool] = False
    """Whether it takes volts away only while current flows."""
    IN_THE_WIRE: ClassVar[bool] = False
    """Whether it sits in a lead's own wire, so that ends meet across it."""
    READ_THROUGH: ClassVar[bool] = True
    """Whether ohms can be read through it while nothing is powered."""
    FOUR_POLES: ClassVar[bool] = False
    """Whether both conductors go through it, in and out."""

    @property
    def kind(self) -> str:
        """The document's name of its kind."""
        return str(type(self).__struct_config__.tag)

    @property
    def title(self) -> str:
        """Its name on the line."""
        return self.TITLE

    @property
    def boxed(self) -> tuple[str, ...]:
        """What stands in its box on the line: its sort and its efficiency; nothing for what has no box."""
        return (self.kind, "") if self.HOLDS else ()

    @property
    def detail(self) -> str:
        """The one figure that tells it from its like."""
        return ""

    @property
    def called(self) -> str:
        """What a sentence calls it."""
        return self.kind

    @property
    def whole(self) -> str:
        """Name and figure."""
        return f"{self.title} {self.detail}".strip()

    @property
    def ohms(self) -> float:
        """Series resistance in ohms."""
        return number(getattr(self, "resistance_ohm", 0.0))

    @property
    def plus_ohms(self) -> float:
        """Ohms along the plus conductor alone."""
        return self.ohms

    @property
    def drop_v(self) -> float:
        """Volts that it takes away at any current."""
        return 0.0

    @property
    def turns(self) -> bool:
        """Whether plus and minus change places in it."""
        return False

    @property
    def opens_above_a(self) -> float | None:
        """Rated amperes of what opens on too many; None for what does not."""
        return None

    @property
    def stands_a(self) -> float | None:
        """Amperes that it is stated to carry, for what is overloaded by more and does not open; None for the others."""
        return maybe(getattr(self, "rating_a", None)) if self.opens_above_a is None else None

    @property
    def opens_below_v(self) -> float | None:
        """Volts at which it opens, so that a pack is not drained further; None for what does not."""
        return None

    @property
    def warns_below_v(self) -> float | None:
        """Volts at which it warns, opening nothing; None for what does not."""
        return None

    @property
    def breaks_v(self) -> float | None:
        """Direct volts that it is stated to break, for what opens a circuit."""
        return maybe(getattr(self, "rating_v", None))

    @property
    def inside(self) -> bool:
        """Whether it is built into the part or lead beside it: nothing to buy or join by itself."""
        return bool(getattr(self, "built_in", False))

    @property
    def set_by_hand(self) -> bool:
        """Whether its output is set with a knob."""
        return False

    @property
    def alternating(self) -> bool:
        """Whether it gives alternating current, as dangerous as the wall's."""
        return False

    @property
    def bare_board(self) -> bool:
        """Whether it is a bare board, which wants a box."""
        return False

    @property
    def passes_on(self) -> bool:
        """Whether it gives its input on once that is too low for what it is to hold."""
        return False

    @property
    def most_rise_k(self) -> float:
        """The rise that it stands, kelvin."""
        return HOT_REFUSE_K

    @property
    def shunt_a(self) -> float:
        """Amperes that it draws across both conductors, beside what passes through it."""
        return 0.0

    @property
    def beside(self) -> tuple[float, float | None] | None:
        """Most volts and amperes of another supply that may feed what is behind it; None where there is none."""
        return None

    @property
    def lets_meet(self) -> bool:
        """Whether two supplies are joined in it for a moment."""
        return False

    @property
    def feed_gap_s(self) -> float | None:
        """Seconds without feed while it changes over; None where nobody knows, or it does not."""
        return None

    @classmethod
    def typical(cls, wanted: Wanted) -> StageKind:
        """One with sensible values, before anything is designed."""
        raise NotImplementedError(cls.__struct_config__.tag)

    def element(self, i: int) -> Element:
        """Its effect at path index `i`, where it holds nothing."""
        return Element(i, self.ohms, 0.0)

    def holder(self, i: int) -> Holder | None:
        """Its effect at path index `i`, where it holds its output."""
        return None

    def working(self, at: Station) -> Step:
        """How its output volts follow at an operating point."""
        values = f"{figure(at.volts_in, 'V')} − {figure(at.amps_in, 'A')} × {figure(self.ohms, 'Ω')}"
        return Step(self.kind, "V − I R", values, figure(at.volts_out, "V"))

    def k_per_w(self, *, closed: bool) -> float:
        """How much it warms in an open or a closed box, kelvin per watt."""
        return CLOSED_K_PER_W if closed else OPEN_K_PER_W

    def warms(self, watts: float, *, closed: bool) -> float | None:
        """Its rise in kelvin at so many watts of heat; None where its heat is not looked at over the run."""
        return None

    def misfit(self, fed: Fed) -> str | None:
        """Why it makes no sense in a place, or None."""
        return None

    @property
    def set_to(self) -> tuple[object, ...]:
        """What it is set to or made of, as far as another value would have to be proved again."""
        return (number(getattr(self, "output_v", 0.0)), False)

    @property
    def part(self) -> tuple[str, str]:
        """Name and figures on a list of parts."""
        return self.title, self.detail

    def mounted(self, place: Place) -> str:
        """What a builder must know of it, in one line."""
        return self.whole

    def tails(self, place: Place) -> Tails | None:
        """The short wires it takes; None where it takes none."""
        return Tails("tails", 2, "+")

    def work(self, place: Place) -> Work:
        """How it is put in."""
        raise NotImplementedError(self.kind)
