"""Reads a JSON document."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from brood.errors import InputError

Json = Mapping[str, Any]


def parse_json(text: str, what: str = "case") -> Json:
    """A JSON object. Raises InputError that names `what` it should be and where it went
    wrong.
    """
    try:
        data = json.loads(text)
    except json.JSONDecodeError as error:
        raise InputError(
            f"This is not JSON: {error.msg} in line {error.lineno}.",
            field=what,
            allowed="a JSON object",
        ) from None
    except ValueError:
        raise InputError(
            "A number in this JSON has more digits than any figure needs.",
            field=what,
            allowed="a JSON object",
        ) from None
    except RecursionError:
        raise InputError(
            "This JSON is nested too deeply.", field=what, allowed="a JSON object"
        ) from None
    if not isinstance(data, dict):
        raise InputError(
            "This must be one JSON object.",
            field=what,
            value=type(data).__name__,
            allowed="a JSON object",
        )
    return data
