"""Measured parts of the demonstration: a pack's foot on a picture that is drawn here, and a board by caliper."""

from __future__ import annotations

from functools import cache
from io import BytesIO

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

from hermotrope.bench.models import Conversion
from hermotrope.making import actions
from hermotrope.making.documents import plain
from hermotrope.making.models import MeasuredPart
from hermotrope_core.make.measured import MAKES, Mark, Measured
from hermotrope_core.photo.plane import SHEETS, Reference, to_px

SIZE = (1600, 1200)
CARD_MM = SHEETS["bank card"]
FOOT_MM = (62.0, 48.0)
AT = (-15.0, 70.0)
"""Lower left corner of the foot, from that of the card, in millimetres."""
SEEN = np.array([[0.118, 0.006, -46.0], [0.004, -0.121, 136.0], [2.2e-5, 3.1e-5, 1.0]])
"""From pixels to millimetres of the table: a camera held a little askew."""


def _px(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Pixels of points in the card's millimetres."""
    return [(float(x), float(y)) for x, y in to_px(SEEN, np.array(points))]


def _rect(x: float, y: float, long: float, wide: float) -> list[tuple[float, float]]:
    return [(x, y), (x + long, y), (x + long, y + wide), (x, y + wide)]


def _on_foot(x: float, y: float, long: float, wide: float) -> list[tuple[float, float]]:
    return _rect(AT[0] + x, AT[1] + y, long, wide)


@cache
def foot_picture() -> bytes:
    """The foot beside a card, as a JPEG."""
    fine = 2
    picture = Image.new("RGB", (SIZE[0] * fine, SIZE[1] * fine), "#8d8a80")
    pen = ImageDraw.Draw(picture)

    def area(points: list[tuple[float, float]], colour: str) -> None:
        pen.polygon([(x * fine, y * fine) for x, y in _px(points)], fill=colour)

    area(_rect(0, 0, *CARD_MM), "#f4f3ee")
    area(_on_foot(0, 0, *FOOT_MM), "#2c2f31")
    for y in (0.0, FOOT_MM[1] - 3.0):
        area(_on_foot(0, y, FOOT_MM[0], 3.0), "#54595c")
    for y in (11.6, 35.6):
        area(_on_foot(46.0, y, 8.0, 0.8), "#d7c08a")
    area(_on_foot(20.0, 16.0, 10.0, 16.0), "#15181a")
    soft = picture.resize(SIZE, Image.Resampling.LANCZOS).filter(ImageFilter.GaussianBlur(0.8))
    out = BytesIO()
    soft.save(out, "JPEG", quality=90)
    return out.getvalue()


def foot() -> Measured:
    """The foot's marks where they lie on the picture."""
    x, y = AT
    long, wide = FOOT_MM

    def mark(role: str, points: list[tuple[float, float]], name: str = "") -> Mark:
        placed = tuple((round(u, 1), round(v, 1)) for u, v in _px([(x + a, y + b) for a, b in points]))
        return Mark(role, placed, name)  # type: ignore[arg-type]

    corners = tuple((round(u, 1), round(v, 1)) for u, v in _px(_rect(0, 0, *CARD_MM)))
    return Measured(
        kind="foot",
        name="Foot of the 18 V tool pack",
        reference=Reference("sheet", corners, *CARD_MM, doubt_mm=0.1),
        marks=(
            mark("outline", [(0, 0), (long, 0), (long / 2, wide)]),
            mark("rail", [(long / 3, 0), (long / 3, 3)]),
            mark("latch", [(20, 16), (30, 32)]),
            mark("contact", [(46, 12), (54, 12)], "−"),
            mark("contact", [(46, 36), (54, 36)], "+"),
        ),
        caliper={"foot_w_mm": 48.1, "rail_t_mm": 4.0},
    )


def board() -> Measured:
    """A buck board by caliper."""
    caliper = {"board_l_mm": 44.0, "board_w_mm": 22.5, "tall_mm": 14.0, "thick_mm": 1.6}
    return Measured(kind="board", name="Buck board, 44 × 22 mm", caliper=caliper)


def put_on_shelf() -> None:
    """Both of them, once, and for the first conversion that is proved a dock and a box after them."""
    if MeasuredPart.objects.exists():
        return
    for part, picture in ((foot(), foot_picture()), (board(), None)):
        MeasuredPart.objects.create(
            kind=part.kind, name=part.name, document=plain(part), picture=picture,
            picture_wide=SIZE[0] if picture else 0, picture_high=SIZE[1] if picture else 0,
        )  # fmt: skip
    conversion = Conversion.objects.filter(proved_on__isnull=False).order_by("pk").first()
    if conversion is not None:
        for row in MeasuredPart.objects.order_by("kind"):
            actions.add(conversion, MAKES[row.kind], row)
