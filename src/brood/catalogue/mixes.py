"""Reads what mixes of treatments lead to, as it was worked out beforehand."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping
from importlib.resources.abc import Traversable

from pydantic import TypeAdapter, ValidationError

from brood.catalogue.schema import MixRecord

_BY_PEST = TypeAdapter(dict[str, list[MixRecord]])


def read(
    path: Traversable, pests: Collection[str], treatments: Collection[str], faults: list[str]
) -> Mapping[str, list[MixRecord]]:
    """The mixes of each pest, the mildest first."""
    try:
        mixes = _BY_PEST.validate_python(json.loads(path.read_text("utf-8")))
    except (ValidationError, OSError, ValueError) as error:
        faults.append(f"{path.name}: {error}")
        return {}
    faults += [f"{path.name}: there is no pest '{pest}'" for pest in mixes if pest not in pests]
    named = {act for rows in mixes.values() for row in rows for act in row.acts}
    faults += [
        f"{path.name}: there is no treatment '{act}'" for act in sorted(named - {*treatments})
    ]
    return mixes
