"""The form of a pasted list."""

from __future__ import annotations

from dataclasses import dataclass, field

from werkzeug.datastructures import FileStorage

from brood.errors import InputError
from brood.services.house.pasting import Usual, of_file
from brood.services.house.places import USUAL_C
from brood.services.house.plants import KINDS
from brood.web.forms.reader import Reader

LARGEST = 1_000_000


@dataclass(frozen=True)
class PasteSaid:
    """A list, what counts for lines that do not say it, and how warm new places are, °C."""

    text: str = ""
    usual: Usual = field(default_factory=Usual)
    celsius: float = USUAL_C


def read(reader: Reader, file: FileStorage | None) -> PasteSaid:
    """A list as pasted, or as it stands in a file; raises FieldErrors."""
    text = reader.form.get("list", "").replace("\r\n", "\n").strip("\n")
    if file is not None and file.filename:
        text = _read(reader, file.read(LARGEST + 1))
    place = reader.text("place", "The place", needed=False)
    if set(place) & set("<>\n"):
        reader.fault("place", "A place's name cannot hold < or >. Leave those signs out.")
    kind = reader.choice("kind", KINDS, "a kind")
    celsius = reader.celsius("warmth", "How warm new places are") if reader.raw("warmth") else None
    reader.done()
    return PasteSaid(text, Usual(place, kind), USUAL_C if celsius is None else celsius)


def _read(reader: Reader, data: bytes) -> str:
    if len(data) > LARGEST:
        reader.fault("file", "A list of plants is smaller than that: 1 MB is the most.")
        return ""
    try:
        return of_file(data)
    except InputError as error:
        reader.fault("file", error.message)
        return ""
