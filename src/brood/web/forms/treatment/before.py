"""The questions that come before a mix."""

from __future__ import annotations

from brood.services.house.before_mixing import Asked, Told
from brood.services.house.who_lives_here import LIVING
from brood.web.forms.reader import Reader


def read(reader: Reader, asked: Asked) -> Told:
    """The answers to what is asked; raises FieldErrors."""
    living = frozenset(one for one in LIVING if reader.raw(f"living-{one}"))
    if asked.residents and not living and not reader.raw("alone"):
        reader.fault("living", "Tick who lives with you, or 'None of these'.")
    eaten = _yes(reader, "eaten", "Say whether any part of it is eaten.") if asked.eaten else None
    flowers = _yes(reader, "flowers", "Say whether it is in flower.")
    if any(not reader.raw(f"label-{key}") for key in asked.labels):
        reader.fault("labels", "Read every label first, and tick it. Or choose another treatment.")
    reader.done()
    return Told(living if asked.residents else None, eaten, flowers, asked.labels)


def _yes(reader: Reader, name: str, sentence: str) -> bool:
    said = reader.raw(name)
    if said not in ("yes", "no"):
        reader.fault(name, sentence)
    return said == "yes"
