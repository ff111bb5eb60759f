"""Reading a JSON document."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from brood.errors import InputError

Json = Mapping[str, Any]


def parse_json(text: str) -> Json:
    """A JSON object; raises InputError that says where it went wrong."""
    try:
        data = json.loads(text)
    except json.JSONDecodeError as error:
        raise InputError(f"This is not JSON: {error.msg} in line {error.lineno}.", field="document", allowed="a JSON object") from None
    except RecursionError:
        raise InputError("This JSON is nested too deeply.", field="document", allowed="a JSON object") from None
    if not isinstance(data, dict):
        raise InputError("This must be one JSON object.", field="document", value=type(data).__name__, allowed="a JSON object")
    return data
