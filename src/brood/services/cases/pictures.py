"""A photo as it is kept: small, upright, and without what cameras add."""

from __future__ import annotations

import io
from datetime import datetime

from PIL import Image, ImageOps, UnidentifiedImageError

from brood.errors import FieldErrors
from brood.store.tables import Photo

LARGEST_BYTES = 12_000_000
LONGEST_SIDE, LARGEST_PIXELS = 1600, 60_000_000
QUALITY = 85


def taken(filename: str, data: bytes, now: datetime) -> Photo:
    """A photo as it is kept. Raises FieldErrors when it is empty, too large or no picture."""
    jpeg, width, height = small(data)
    return Photo(
        filename=filename[:120] or "photo",
        jpeg=jpeg,
        width=width,
        height=height,
        lengths_mm=[],
        recorded_at=now,
    )


def small(data: bytes) -> tuple[bytes, int, int]:
    """A picture as JPEG, upright, at most 1600 px long, without any metadata; its width
    and height. Raises FieldErrors.
    """
    if not data:
        raise FieldErrors({"photo": "Choose a photo first."})
    if len(data) > LARGEST_BYTES:
        raise FieldErrors(
            {
                "photo": f"The photo has {len(data) / 1e6:.0f} MB; {LARGEST_BYTES // 1_000_000} MB "
                "is the most."
            }
        )
    try:
        with Image.open(io.BytesIO(data)) as picture:
            if picture.width * picture.height > LARGEST_PIXELS:
                raise FieldErrors(
                    {"photo": "The photo has too many pixels. Make it smaller first."}
                )
            upright = ImageOps.exif_transpose(picture).convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise FieldErrors(
            {"photo": "This is not a picture that can be read. JPEG, PNG and WebP can."}
        ) from None
    upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    bare = Image.new("RGB", upright.size)
    bare.paste(upright)
    out = io.BytesIO()
    bare.save(out, "JPEG", quality=QUALITY)
    return out.getvalue(), bare.width, bare.height
