"""Photos of a look: given a scale, and measured."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import datetime

from sqlalchemy.orm import Session

from brood.catalogue.holdings import Catalogue
from brood.catalogue.signs import sizes_of
from brood.errors import FieldErrors
from brood.services.cases.pictures import taken
from brood.services.diagnosis import look_log
from brood.store.queries import looks as queries
from brood.store.tables import Photo


def add(session: Session, look_id: int, filename: str, data: bytes, *, now: datetime) -> int:
    """Keep a photo; its id. Raises FieldErrors when it is empty, too large or no picture."""
    row = queries.look(session, look_id)
    photo = taken(filename, data, now)
    row.photos.append(photo)
    session.flush()
    return photo.id


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
