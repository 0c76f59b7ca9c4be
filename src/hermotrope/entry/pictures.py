"""Pictures of a build or of a part: checked, turned, made smaller, re-encoded: nothing but the picture is kept."""

from __future__ import annotations

import warnings
from io import BytesIO
from typing import Any, BinaryIO, cast

from django.core.files.uploadedfile import UploadedFile
from django.http import HttpResponse
from PIL import Image, ImageOps, UnidentifiedImageError

from hermotrope.entry.typed import EditError

LARGEST_BYTES = 20_000_000
MOST_PIXELS = 60_000_000
LONGEST_SIDE = 1600
QUALITY = 82
AGAIN = "choose it again: a browser keeps no file"
FORMATS = ("JPEG", "PNG", "WEBP")


def encoded(file: BinaryIO, size: int, longest: int = LONGEST_SIDE, quality: int = QUALITY) -> tuple[bytes, int, int]:
    """JPEG bytes with width and height, no side above `longest` pixels.

    It is made smaller before it is turned: a JPEG is then read at that size from the start. Raises `EditError` for what
    is no picture, or too large.
    """
    if size > LARGEST_BYTES:
        raise EditError(f"more than {LARGEST_BYTES / 1e6:g} MB is no picture for a bench")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            picture = Image.open(file, formats=FORMATS)
            if picture.width * picture.height > MOST_PIXELS:
                raise EditError(f"more than {MOST_PIXELS / 1e6:g} million pixels")
            plain = _on_white(ImageOps.exif_transpose(_made_small(picture, longest)))
    except (
        UnidentifiedImageError,
        Image.DecompressionBombWarning,
        Image.DecompressionBombError,
        OSError,
        ValueError,
        SyntaxError,
    ):
        raise EditError("that is no JPEG, PNG or WebP picture, or it is damaged") from None
    out = BytesIO()
    plain.save(out, "JPEG", quality=quality, optimize=True)
    return out.getvalue(), plain.width, plain.height


def jpeg_of(file: UploadedFile[Any]) -> bytes:
    """What was sent, as a JPEG of ours. Raises `EditError`."""
    return encoded(cast(BinaryIO, file), file.size or 0)[0]


def shown(jpeg: bytes | memoryview) -> HttpResponse:
    """A kept picture; asked for anew each time, since another backup may hold another one under its address."""
    headers = {"X-Content-Type-Options": "nosniff", "Cache-Control": "private, no-cache"}
    return HttpResponse(bytes(jpeg), content_type="image/jpeg", headers=headers)


def _made_small(picture: Image.Image, longest: int) -> Image.Image:
    """Read no larger than needed; the large one is let go before the small one is worked out of the coarse one."""
    picture.draft("RGB", (longest, longest))
    coarse = max(picture.size) // longest
    if coarse > 1 and picture.mode not in ("1", "P"):  # the numbers of a palette have no mean
        large, picture = picture, picture.reduce(coarse)
        large.close()
    picture.thumbnail((longest, longest))
    return picture


def _on_white(picture: Image.Image) -> Image.Image:
    """The pixels alone, without transparency and without metadata."""
    layered = picture.convert("RGBA")
    ground = Image.new("RGB", layered.size, "white")
    ground.paste(layered, mask=layered.getchannel("A"))
    return ground
