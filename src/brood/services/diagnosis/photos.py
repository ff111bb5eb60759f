"""Photos of a look: kept small, without what cameras add, given a scale, and measured."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from datetime import datetime

from PIL import Image, ImageOps, UnidentifiedImageError
from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.signs import sizes_of
from brood.errors import FieldErrors
from brood.services.diagnosis import look_log
from brood.store.queries import looks as queries
from brood.store.tables import Photo

LARGEST_BYTES = 12_000_000
LONGEST_SIDE, LARGEST_PIXELS = 1600, 60_000_000
QUALITY = 85


def add(session: Session, look_id: int, filename: str, data: bytes, *, now: datetime) -> int:
    """Keep a photo; its id. Raises FieldErrors when it is empty, too large or no picture."""
    row = queries.look(session, look_id)
    photo = taken(filename, data, now)
    row.photos.append(photo)
    session.flush()
    return photo.id


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


def set_scale(session: Session, photo_id: int, ends: Sequence[float], known_mm: float) -> None:
    """Give a photo its scale by a line of known length. `ends` are x1, y1, x2, y2 in px
    of the photo. Earlier measurements are worked out again.
    """
    photo = queries.photo(session, photo_id)
    px = _length(photo, ends)
    if px < 3:
        raise FieldErrors({"ends": "Mark two ends that lie apart."})
    before = photo.px_per_mm
    photo.px_per_mm = px / known_mm
    photo.lengths_mm = (
        [round(mm * before / photo.px_per_mm, 3) for mm in photo.lengths_mm] if before else []
    )


def measure(
    session: Session, catalogue: Catalogue, photo_id: int, ends: Sequence[float], *, now: datetime
) -> float:
    """The length of a body on a photo in mm. It answers the size question of the look;
    each body counts by itself. Raises FieldErrors without a scale.
    """
    photo = queries.photo(session, photo_id)
    if photo.px_per_mm is None:
        raise FieldErrors({"ends": "Set the scale first: mark a length that you know."})
    mm = _length(photo, ends) / photo.px_per_mm
    if mm <= 0:
        raise FieldErrors({"ends": "Mark both ends of the body."})
    photo.lengths_mm = [*photo.lengths_mm, round(mm, 3)]
    how = f"{mm:.2f} mm on the photo"
    look_log.answer(
        session,
        catalogue,
        photo.look_id or 0,
        dict.fromkeys(sizes_of(mm), "yes"),
        now=now,
        how=how,
    )
    return mm


def _length(photo: Photo, ends: Sequence[float]) -> float:
    x1, y1, x2, y2 = ends
    if not all(0 <= x <= photo.width and 0 <= y <= photo.height for x, y in ((x1, y1), (x2, y2))):
        raise FieldErrors({"ends": "Both ends must lie on the photo."})
    return math.hypot(x2 - x1, y2 - y1)


def withdraw(session: Session, photo_id: int, *, now: datetime) -> int:
    """Take a photo out of its look or inspection. The id of the look; 0 for an inspection's."""
    photo = queries.photo(session, photo_id)
    photo.withdrawn_at = now
    return photo.look_id or 0
