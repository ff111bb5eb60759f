"""What was worked out is kept in the household's database under the digest of what it
was worked out from, and read again as it was.

The form is JSON and not the language's own, so that a database from elsewhere can do
nothing but hold wrong numbers.
"""

from __future__ import annotations

import base64
import json
import zlib
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from datetime import date, datetime
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

import brood
from brood.store.tables import Kept

_held: dict[str, type] = {}


def holds(*kinds: type) -> None:
    """Name the kinds of values that may be kept."""
    _held.update({kind.__name__: kind for kind in kinds})


COMPUTED = ("core", "catalogue", "services/cases")


@cache
def engine(parts: tuple[str, ...] = COMPUTED) -> str:
    """A digest of the program's own computation and catalogue (or of other parts of it):
    what another version worked out is not taken for this one's.
    """
    digest, home = sha256(), Path(brood.__file__).parent
    for part in parts:
        for path in sorted((home / part).rglob("*")):
            if path.suffix in (".py", ".toml"):
                digest.update(path.read_bytes())
    return digest.hexdigest()[:16]


def packed(value: object) -> bytes:
    """A value as bytes. Raises TypeError for what was not named with `holds`."""
    return zlib.compress(json.dumps(_plain(value), separators=(",", ":")).encode(), 6)


def unpacked(body: bytes) -> Any:
    """The value of such bytes."""
    return _value(json.loads(zlib.decompress(body)))


def _plain(value: object) -> object:
    if isinstance(value, np.ndarray):
        data = base64.b64encode(np.ascontiguousarray(value).tobytes()).decode()
        return {"#": [value.dtype.str, list(value.shape), data]}
    if isinstance(value, np.generic):
        return value.item()
    if is_dataclass(value) and not isinstance(value, type):
        name = type(value).__name__
        if _held.get(name) is not type(value):
            raise TypeError(f"{name} is not named as something to keep")
        return {"=": [name, [_plain(getattr(value, f.name)) for f in fields(value)]]}
    if isinstance(value, datetime):
        return {"t": value.isoformat()}
    if isinstance(value, date):
        return {"d": value.isoformat()}
    if isinstance(value, list | tuple):
        return [_plain(v) for v in value]
    if isinstance(value, Mapping):
        return {"%": [[_plain(k), _plain(v)] for k, v in value.items()]}
    if isinstance(value, set | frozenset):
        return {"*": sorted(_plain(v) for v in value)}  # type: ignore[type-var]
    if value is None or isinstance(value, str | int | float):
        return value
    raise TypeError(f"{type(value).__name__} cannot be kept")


def _value(held: Any) -> Any:
    if isinstance(held, list):
        return tuple(_value(v) for v in held)
    if not isinstance(held, dict):
        return held
    ((kind, inner),) = held.items()
    if kind == "#":
        form, shape, data = inner
        return np.frombuffer(base64.b64decode(data), dtype=form).reshape(shape)
    if kind == "=":
        return _held[inner[0]](*(_value(v) for v in inner[1]))
    if kind == "t":
        return datetime.fromisoformat(inner)
    if kind == "d":
        return date.fromisoformat(inner)
    if kind == "%":
        return {_value(k): _value(v) for k, v in inner}
    return frozenset(_value(v) for v in inner)


def get(session: Session, key: str) -> Any | None:
    """What is kept under a key. None where nothing is, or what is cannot be read."""
    body = session.scalar(select(Kept.body).where(Kept.key == key)) if key else None
    return None if body is None else _read(body)


def several(session: Session, keys: list[str]) -> dict[str, Any]:
    """What is kept under several keys, by key."""
    found = session.execute(select(Kept.key, Kept.body).where(Kept.key.in_(keys)))
    return {key: value for key, body in found if (value := _read(body)) is not None}


def _read(body: bytes) -> Any | None:
    try:
        return unpacked(body)
    except (ValueError, KeyError, TypeError, zlib.error):
        return None


def put(
    session: Session, key: str, kind: str, value: bytes, at: datetime, case_id: int | None = None
) -> None:
    """Keep a packed value under a key, whatever stood there before."""
    session.merge(Kept(key=key, kind=kind, case_id=case_id, body=value, made_at=at))


def sweep(session: Session, case_id: int) -> None:
    """Throw away whatever was kept for a case."""
    session.execute(delete(Kept).where(Kept.case_id == case_id))
