"""A digest of a value: the same facts give the same digest, whoever makes it and when."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping, Sequence, Set
from dataclasses import fields, is_dataclass
from datetime import date, time
from enum import Enum

import numpy as np


def digest_of(value: object) -> str:
    """The SHA-256 of a value as hexadecimal text.

    A value is a frozen dataclass, an array, a mapping, a sequence, a set, a date, a
    time, text, a number or None, to any depth. Every field of a dataclass counts, and
    so does its type. Raises TypeError for anything else, so that a new kind of field
    cannot be left out unseen.
    """
    digest = hashlib.sha256()
    _feed(value, digest.update)
    return digest.hexdigest()


def parts_of(value: object) -> dict[str, str]:
    """The digest of every field of a dataclass, by its name."""
    return {f.name: digest_of(getattr(value, f.name)) for f in fields(value)}  # type: ignore[arg-type]


def _feed(value: object, take: Callable[[bytes], None]) -> None:
    """Give a value to a digest, piece by piece. Every piece says what it is and how long."""
    if isinstance(value, np.ndarray):
        take(f"array {value.dtype.str} {value.shape};".encode())
        take(np.ascontiguousarray(value).tobytes())
    elif is_dataclass(value) and not isinstance(value, type):
        take(f"{type(value).__name__} {len(fields(value))};".encode())
        for field in fields(value):
            take(f"{field.name}=".encode())
            _feed(getattr(value, field.name), take)
    elif isinstance(value, Mapping | set | frozenset | list | tuple):
        pieces = list(_pieces(value))
        take(f"{'many' if isinstance(value, list | tuple) else 'any'} {len(pieces)};".encode())
        for piece in pieces:
            _feed(piece, take)
    else:
        text = _plain(value)
        take(f"{len(text)}:{text};".encode())


def _pieces(
    value: Mapping[object, object] | Set[object] | Sequence[object],
) -> Iterator[object]:
    """What a collection holds. Where order means nothing it is put into one."""
    if isinstance(value, Mapping):
        yield from (pair for pair in sorted(value.items(), key=lambda pair: digest_of(pair[0])))
    elif isinstance(value, Set):
        yield from sorted(value, key=digest_of)
    else:
        yield from value


def _plain(value: object) -> str:
    """A single value as text that no other value has."""
    if isinstance(value, Enum):
        return f"enum {type(value).__name__}.{value.name}"
    if isinstance(value, date | time):
        return f"{type(value).__name__} {value.isoformat()}"
    if value is None or isinstance(value, str | bool | int | float | np.number):
        number = value.item() if isinstance(value, np.generic) else value
        return f"{type(number).__name__} {number!r}"
    raise TypeError(f"no digest of {type(value).__name__}")
